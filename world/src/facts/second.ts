import { saidOf } from "@hindglance/core/change/confirmed";
import type { SecondSensor } from "@hindglance/core/change/second";
import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import type { Ground } from "../ground";
import { SCENES, helioTruth } from "../optical/helio";
import { HELIO_BANDS, opticalGrid } from "../optical/ground";
import type { Truth } from "./scored";

/** Cloud and shadow beyond which the quality band of the mission says that a cell is hidden. */
const HIDDEN = { cloud: 0.02, shadow: 0.12 };

/** The camera that saw the flood the day after the radar: reflectance where neither cloud nor shadow lies. */
export function cameraOf(ground: Ground): { info: ImageInfo; bands: Float32Array[] } {
  const { toa, cloud, shadow } = helioTruth(ground, SCENES.flooded);
  const bands: BandInfo[] = HELIO_BANDS.map(({ id, nm }) => ({
    ...{ name: `B${id}`, unit: "", role: "reflectance", wavelengthNm: nm },
  }));
  const isHidden = (i: number) => cloud[i]! > HIDDEN.cloud || shadow[i]! > HIDDEN.shadow;
  return {
    info: { grid: opticalGrid(), type: "float32", bands },
    bands: toa.map((band) => band.map((value, i) => (isHidden(i) ? NaN : value))),
  };
}

/** What is asked of it: whether there is water, of some classes of the map. */
export const askedOf = (labels: number[]): SecondSensor => ({
  ...{ beforeId: null, afterId: "h", look: { index: "mndwi" } },
  confirms: { labels, layer: "secondAfter", op: ">", value: 0 },
});

/** How what it says of a class of a map holds against the truth. */
export interface SecondScore {
  /** Share of the class that it saw. */
  seen: number;
  /** Of cells that it confirms, the share that is flooded; of those that it does not, that is not. */
  confirmedTrue: number;
  againstTrue: number;
  against: number;
}

/** Scores what a second sensor says. @param said labels of the image of what is said */
export function scoreSecond(said: Uint8Array, truth: Truth): SecondScore {
  const count = { all: 0, seen: 0, confirmed: 0, flooded: 0, against: 0, dry: 0 };
  for (let i = 0; i < said.length; i++) {
    const one = truth.counts(i) ? saidOf(said[i]!) : null;
    if (one === null) {
      continue;
    }
    count.all++;
    count.seen += Number(one !== "unseen");
    count.confirmed += Number(one === "confirmed");
    count.flooded += Number(one === "confirmed" && truth.real(i));
    count.against += Number(one === "against");
    count.dry += Number(one === "against" && !truth.real(i));
  }
  return {
    seen: count.seen / count.all,
    confirmedTrue: count.flooded / count.confirmed,
    againstTrue: count.dry / count.against,
    against: count.against,
  };
}
