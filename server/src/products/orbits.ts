import type { OrbitFile } from "@hindglance/contract/scenes";
import type { SensorModel } from "@hindglance/core/radar/sensor";
import { missionKey } from "@hindglance/formats/product/orbitFile";
import type { StoredOrbit } from "../db/products";
import type { Scene } from "../db/scenes";

/**
 * Whether the mission of an orbit file is that of a product: LANTERN-1 and LN1 name one mission
 * when the product's short form is made of its letters.
 */
export function sameMission(file: string, product: string): boolean {
  const a = missionKey(file);
  const b = missionKey(product);
  if (a === b) {
    return true;
  }
  const short = (long: string, abbreviation: string) => {
    let at = 0;
    for (const ch of abbreviation) {
      at = long.indexOf(ch, at) + 1;
      if (at === 0) {
        return false;
      }
    }
    return long[0] === abbreviation[0] && long.at(-1) === abbreviation.at(-1);
  };
  return short(a, b) || short(b, a);
}

/** What tells where a scene was taken from. */
export type SeenFrom = Pick<Scene, "info" | "detail">;

/** Geometry of a radar product that became a scene, or null. */
export const sensorOfScene = ({ info, detail }: SeenFrom): SensorModel | null =>
  info?.sensor ?? (typeof detail.sensor === "object" ? detail.sensor : null);

/** Seconds of vectors that a scene needs on either side: the way between them is a curve through eight. */
const AROUND_S = 30;
/** Seconds beside a scene in which no vector may be missing. */
const WITHOUT_GAP_S = 10;

/** How an orbit file stands to a scene. */
type Serving = "serves" | "gap" | "no";

/** Whether an orbit file surrounds a scene of its mission without a gap. */
function serving(orbit: StoredOrbit, scene: SeenFrom): Serving {
  const sensorModel = sensorOfScene(scene);
  if (!sensorModel || !sameMission(orbit.mission, sensorModel.mission)) {
    return "no";
  }
  const first = sensorModel.firstLineT;
  const last = first + sensorModel.lines * sensorModel.lineIntervalS;
  if (orbit.from > first - AROUND_S || orbit.to < last + AROUND_S) {
    return "no";
  }
  const isBroken = orbit.gaps.some(
    ([from, to]) => from < last + WITHOUT_GAP_S && to > first - WITHOUT_GAP_S,
  );
  return isBroken ? "gap" : "serves";
}

/** Whether an orbit file surrounds a scene of its mission, with half a minute on both sides and no gap. */
export const orbitServes = (orbit: StoredOrbit, scene: SeenFrom): boolean =>
  serving(orbit, scene) === "serves";

/** An orbit file with the scenes of its study that it serves, and those that it would but for a gap. */
export function orbitView(
  orbit: StoredOrbit,
  scenes: readonly (SeenFrom & Pick<Scene, "name">)[],
): OrbitFile {
  const named = (how: Serving) =>
    scenes.filter((scene) => serving(orbit, scene) === how).map(({ name }) => name);
  return { ...orbit, serves: named("serves"), broken: named("gap") };
}

/** The precise one before the restituted one, then the newest. */
function byWorth(first: StoredOrbit, second: StoredOrbit): number {
  if (first.kind !== second.kind) {
    return first.kind === "precise" ? -1 : 1;
  }
  return first.createdAt < second.createdAt ? 1 : -1;
}

/** The best file for a scene: precise before restituted, then the newest; null where none serves. */
export const orbitFor = (all: readonly StoredOrbit[], scene: SeenFrom): StoredOrbit | null =>
  all.filter((orbit) => orbitServes(orbit, scene)).sort(byWorth)[0] ?? null;

/** Files that would serve a scene but for a gap in their vectors, by name. */
export const brokenOrbits = (all: readonly StoredOrbit[], scene: SeenFrom): string[] =>
  all.filter((orbit) => serving(orbit, scene) === "gap").map(({ fileName }) => fileName);
