import { setImmediate } from "node:timers/promises";
import { type Crs, LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { type Fault, faultsOf, isOnGlobe } from "@hindglance/core/vector/check";
import { type Feature, placed, rowsOf } from "@hindglance/core/vector/features";
import { type Places, crsOfEpsg } from "../crs/epsg";
import { crsOfWkt } from "../crs/match";
import { FormatError } from "../errors";
import type { VectorLayer } from "./layer";

/** Features that are looked at before others get their turn. */
const AT_ONCE = 500;
/** Places that a shift between systems is chosen by. */
const SAMPLE = 50;

/** Features in longitude and latitude, and what has to be said of them. */
export interface PlacedLayer {
  name: string;
  /** The system that they came in. */
  crs: Crs;
  features: Feature[];
  faults: Fault[];
  /** Features with heights, which are left out. */
  withHeights: number;
}

const placesOf = (features: readonly Feature[]): Places =>
  features
    .flatMap(({ geometry }) => rowsOf(geometry).flatMap((row) => row.slice(0, 1)))
    .filter((place) => place.length >= 2 && place.every(Number.isFinite))
    .slice(0, SAMPLE)
    .map(([x, y]) => [x!, y!]);

/** Whether all places could be longitude and latitude. */
const areDegrees = (features: readonly Feature[]): boolean => placesOf(features).every(isOnGlobe);

/**
 * Why the system of a layer has to be asked for; null where its file says it and that can be so.
 */
export function systemDoubt({ system, features }: VectorLayer): string | null {
  if (system === null) {
    return "The file does not say in which coordinate system it is";
  }
  const [far] = system === "lonLat" && !areDegrees(features) ? placesOf(features) : [];
  return far
    ? `The file says longitude and latitude, and has the place ${far[0]}, ${far[1]}: these are metres or feet of another system`
    : null;
}

/** The system of a layer's coordinates. @throws FormatError where it is not known */
function crsOf({ system, features, name }: VectorLayer, epsg: number | undefined): Promise<Crs> {
  if (epsg !== undefined) {
    return crsOfEpsg(epsg, placesOf(features));
  }
  if (system === "lonLat") {
    return Promise.resolve(LONLAT);
  }
  if (system === null) {
    throw new FormatError(
      "noPosition",
      `${name} does not say in which coordinate system it is`,
      "Give its EPSG code.",
    );
  }
  return "epsg" in system
    ? crsOfEpsg(system.epsg, placesOf(features))
    : crsOfWkt(system.wkt, placesOf(features));
}

/**
 * Features of a layer in longitude and latitude on WGS 84, without heights, with what is wrong with
 * their geometries.
 *
 * @param epsg the system that a person gives, before that of the file
 * @throws FormatError where the system is not known
 */
export async function onGlobe(layer: VectorLayer, epsg?: number): Promise<PlacedLayer> {
  const crs = await crsOf(layer, epsg);
  const onto = transformer(crs, LONLAT);
  const features: Feature[] = [];
  const faults: Fault[] = [];
  for (let first = 0; first < layer.features.length; first += AT_ONCE) {
    const some = layer.features
      .slice(first, first + AT_ONCE)
      .map(({ properties, geometry }): Feature => ({
        properties,
        geometry: geometry && placed(geometry, onto),
      }));
    features.push(...some);
    faults.push(...faultsOf(some, first));
    await setImmediate();
  }
  const withHeights = layer.features.filter(({ geometry }) =>
    rowsOf(geometry).some((row) => row.some((place) => place.length > 2)),
  ).length;
  return { name: layer.name, crs, features, faults, withHeights };
}
