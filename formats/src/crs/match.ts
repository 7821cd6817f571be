import proj4 from "proj4";
import type { Crs } from "@hindglance/core/geodesy/crs";
import { METRES_A_DEGREE } from "@hindglance/core/grid/metres";
import { FormatError } from "../errors";
import { type Places, crsAt } from "./epsg";
import {
  type CoordinateSystem,
  type Datum,
  type LonLatBox,
  allDatums,
  allSystems,
  definitionOf,
  findSystem,
} from "./systems";
import { ellipsoidIn, meridianOf, plainName, wordOf } from "./projections";
import { type WktSystem, codeOfWkt, systemOfWkt } from "./wkt";
import { parseWkt } from "./wktTree";

/** Two definitions are one system where they put places this close together, in metres. */
const SAME_M = 0.01;

/** What a file says of its geographic system: names of it and its datum, and codes of the registry. */
export interface DatumSaid {
  names: readonly string[];
  /** Code of the geographic system, "EPSG:…". */
  geographic: string | null;
  datumCode: number | null;
}

/** The geographic systems of the registry that a file may mean, the likeliest first. */
export async function datumsSaid(said: DatumSaid): Promise<Datum[]> {
  const datums = await allDatums();
  const byCode = datums.filter(({ code }) => code === said.geographic);
  const byDatum = datums.filter(({ datumCode }) => datumCode && datumCode === said.datumCode);
  const wanted = said.names.map(plainName).filter(Boolean);
  const byName = datums.filter(({ names }) =>
    names.some((name) => wanted.includes(plainName(name))),
  );
  return [...new Set([...byCode, ...byDatum, ...byName])];
}

const isLonLat = (projection: string): boolean => projection.startsWith("+proj=longlat");

/** Degrees around its origin in which a system without an area of use is looked at. */
const AROUND = 1;

/** Some places of a system's area of use; around its origin where that is not known. */
function placesOf({ area, projection }: CoordinateSystem): [number, number][] {
  const isEverywhere = area[2] - area[0] > 359;
  const lon = Number(wordOf(projection, "lon_0") ?? wordOf(projection, "lonc") ?? 0);
  const lat = Number(wordOf(projection, "lat_0") ?? 0);
  const [west, south, east, north] = isEverywhere
    ? [lon - AROUND, Math.max(-89, lat - AROUND), lon + AROUND, Math.min(89, lat + AROUND)]
    : area;
  const width = east < west ? east + 360 - west : east - west;
  return [0.3, 0.5, 0.7].map((part, k) => [
    west + part * width,
    south + [0.4, 0.55, 0.65][k]! * (north - south),
  ]);
}

type Forward = (place: [number, number]) => [number, number];

/** From longitude and latitude on a system's own ellipsoid to its coordinates; null where it cannot. */
function forwardOf(projection: string): Forward | null {
  try {
    const geographic = `+proj=longlat ${ellipsoidIn(projection)} +no_defs`;
    const { forward } = proj4(geographic, `${projection} +no_defs`);
    return (place) => {
      const [x = NaN, y = NaN] = forward([...place], true);
      return [x, y];
    };
  } catch {
    return null;
  }
}

/** Whether two definitions, both without shift, put the same places at the same coordinates. */
function isSame(a: Forward, b: Forward, system: CoordinateSystem): boolean {
  const isDegrees = isLonLat(system.projection);
  const limit = isDegrees ? SAME_M / METRES_A_DEGREE : SAME_M;
  try {
    return placesOf(system).every((place) => {
      const [one, other] = [a(place), b(place)];
      return one.every((value, k) => Math.abs(value - other[k]!) < limit);
    });
  } catch {
    return false;
  }
}

/** Prime meridians are one where they are this close, in degrees. */
const SAME_DEG = 1e-6;

/** Whether two definitions have one ellipsoid, its axes to so many metres. */
function sameEllipsoid(a: string, b: string, within = SAME_M): boolean {
  const axes = (text: string) => {
    const major = Number(wordOf(text, "a"));
    const rf = wordOf(text, "rf");
    return [major, rf ? major * (1 - 1 / Number(rf)) : Number(wordOf(text, "b"))];
  };
  return axes(a).every((axis, k) => Math.abs(axis - axes(b)[k]!) < within);
}

/** Programs give some ellipsoids with fewer figures than the registry. */
const ROUNDED_M = 2;

/**
 * A system that is based on a geographic one and so has its ellipsoid and prime meridian. The
 * geographic one itself may not be computable, in grads for one.
 */
export const systemOn = async ({ code }: Datum): Promise<CoordinateSystem | null> =>
  (await allSystems()).find((system) => system.datum?.code === code) ?? null;

/** Those of some geographic systems that have the ellipsoid of a definition. */
async function ofEllipsoid(datums: readonly Datum[], projection: string): Promise<Datum[]> {
  const systems = await Promise.all(datums.map(systemOn));
  return datums.filter((_datum, k) => {
    const own = systems[k];
    return own && sameEllipsoid(own.projection, projection, ROUNDED_M);
  });
}

/** EPSG's codes before others, the lower before the higher. */
const byCode = (a: CoordinateSystem, b: CoordinateSystem): number =>
  a.code.localeCompare(b.code, "en", { numeric: true });

/** The system of the registry that a definition equals, among those of some geographic systems. */
async function equalSystem(
  projection: string,
  datums: readonly Datum[],
): Promise<CoordinateSystem | null> {
  const own = forwardOf(projection);
  if (!own) {
    return null;
  }
  const codes = new Set(datums.map(({ code }) => code));
  const candidates = (await allSystems()).filter(
    (system) =>
      codes.has(system.datum?.code ?? "") &&
      isLonLat(system.projection) === isLonLat(projection) &&
      sameEllipsoid(system.projection, projection) &&
      Math.abs(meridianOf(system.projection) - meridianOf(projection)) < SAME_DEG,
  );
  const equal = candidates.filter((system) => {
    const other = forwardOf(system.projection);
    return other && isSame(own, other, system);
  });
  const order = (system: CoordinateSystem) =>
    datums.findIndex(({ code }) => code === system.datum?.code);
  return equal.sort((a, b) => order(a) - order(b) || byCode(a, b))[0] ?? null;
}

/** A system that is in no registry, on a datum that is. */
function ownOn(projection: string, name: string, datum: Datum, places: Places): Crs {
  const area: LonLatBox = [-180, -90, 180, 90];
  const system = { code: `own: ${name}`, name, projection, datum, area };
  return crsAt(system, places);
}

/**
 * The coordinate system that a definition without shift, and what is said of its datum, come to: one
 * of the registry where it equals one, else one of the file's own on a datum of the registry or with
 * the shift that the file brings.
 * @param places where it is used, in the system itself
 * @throws FormatError where its datum is not known and no shift is given
 */
export async function crsOfDefinition(
  { name, projection, datum, shift }: WktSystem,
  places: Places = [],
): Promise<Crs> {
  const datums = await ofEllipsoid(await datumsSaid(datum), projection);
  const known = await equalSystem(projection, datums);
  if (known) {
    return crsAt(known, places);
  }
  const sameDatum = datums[0];
  if (sameDatum) {
    return ownOn(projection, name, sameDatum, places);
  }
  if (shift || projection.includes("+nadgrids=@null")) {
    const given = shift && { accuracy: 0, area: [-180, -90, 180, 90] as const, parameters: shift };
    return { code: `own: ${name}`, name, proj4: definitionOf(projection, given), accuracy: null };
  }
  throw new FormatError(
    "noCrs",
    `The datum of the coordinate system ${name} (${datum.names.join(", ")}) is not known here`,
    "Give its EPSG code, or save the file in a UTM zone.",
  );
}

/**
 * The coordinate system of a well-known text.
 * @param places where it is used, in the system itself
 * @throws FormatError where it cannot be read, computed or placed
 */
export async function crsOfWkt(text: string, places: Places = []): Promise<Crs> {
  const root = parseWkt(text.trim());
  let said: WktSystem;
  try {
    said = systemOfWkt(root);
  } catch (error) {
    // What cannot be computed from its parameters may be by its code.
    const code = codeOfWkt(root);
    const coded = code ? await findSystem(code) : null;
    if (coded) {
      return crsAt(coded, places);
    }
    throw error;
  }
  return crsOfDefinition(said, places);
}
