// Prints the codes of coordinate systems that come out here as the registry's own program has them, and
// how far off those are that are further off than is stated: run by scripts/coordinateSystems.mjs.
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { crsAt } from "@hindglance/formats/crs/epsg";
import { type CoordinateSystem, allSystems } from "@hindglance/formats/crs/systems";
import { metresApart } from "@hindglance/formats/testing/metresApart";
import check from "@hindglance/formats/crs/tables/check.json";

/** Metres that two computations of the same may differ by. */
const SAME_M = 0.02;
/** What is further off than this, beyond what is stated, is not the same. */
const MOST_M = 50;
/** Where no accuracy is stated, a difference of a datum is not more. */
const UNKNOWN_M = 1500;

/**
 * Metres that a system is off at most, 0 where it is as close as is stated; null where it is not the
 * same system.
 */
function offOf(system: CoordinateSystem): number | null {
  let most = 0;
  for (const [x, y, lon, lat] of check[system.code] ?? []) {
    const crs = crsAt(system, [[x, y]]);
    const away = metresApart(transformer(crs, LONLAT)(x, y), [lon, lat]);
    const { accuracy = 0 } = crs;
    if (!(away <= (accuracy === null ? UNKNOWN_M : accuracy + MOST_M))) {
      return null;
    }
    most = Math.max(most, away > (accuracy ?? UNKNOWN_M) + SAME_M ? away : 0);
  }
  return most;
}

/** Codes that are kept, and how far off those are that are further off than is stated. */
const kept: [code: string, off: number][] = [];
for (const system of await allSystems()) {
  try {
    const off = offOf(system);
    if (off === null) {
      console.error(`${system.code} ${system.name} comes out otherwise`);
    } else {
      kept.push([system.code, Math.ceil(off)]);
    }
  } catch (error) {
    console.error(`${system.code} ${system.name}: ${String(error)}`);
  }
}
console.log(JSON.stringify(kept));
