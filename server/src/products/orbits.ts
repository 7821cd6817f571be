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

/** Geometry of a radar product that became a scene, or null. */
export const sensorOfScene = ({ info, detail }: Scene): SensorModel | null =>
  info?.sensor ?? (typeof detail.sensor === "object" ? detail.sensor : null);

/** Whether an orbit file covers a scene of its mission, with half a minute on both sides. */
export function orbitServes(orbit: StoredOrbit, scene: Scene): boolean {
  const sensorModel = sensorOfScene(scene);
  return (
    sensorModel !== null &&
    sameMission(orbit.mission, sensorModel.mission) &&
    orbit.from <= sensorModel.firstLineT - 30 &&
    orbit.to >= sensorModel.firstLineT + sensorModel.lines * sensorModel.lineIntervalS + 30
  );
}

/** The best file for a scene: precise before restituted, then the newest. */
export const orbitFor = (all: readonly StoredOrbit[], scene: Scene): StoredOrbit | null =>
  all
    .filter((orbit) => orbitServes(orbit, scene))
    .sort((orbit, b) => {
      if (orbit.kind === b.kind) {
        if (orbit.createdAt < b.createdAt) {
          return 1;
        }
        return -1;
      }
      if (orbit.kind === "precise") {
        return -1;
      }
      return 1;
    })[0] ?? null;
