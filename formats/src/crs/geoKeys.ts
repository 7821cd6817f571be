import type { Crs } from "@hindglance/core/geodesy/crs";
import { type Places, crsOfEpsg } from "./epsg";
import { crsOfDefinition, crsOfWkt, datumsSaid, systemOn } from "./match";
import {
  type Values,
  ellipsoidIn,
  ellipsoidText,
  geographicText,
  meridianOf,
  projectedText,
  refused,
  sevenOf,
} from "./projections";

/** Keys of a GeoTIFF's key directory by their names in the specification (OGC 19-008r4). */
export type GeoKeys = Record<string, unknown>;

/** GTModelTypeGeoKey: coordinates in lengths of a map, or in degrees. */
const PROJECTED = 1;
const GEOGRAPHIC = 2;
/** The code that stands for what the file defines itself. */
const USER_DEFINED = 32767;
const DEG = 180 / Math.PI;

/** Lengths of the registry in metres. */
const METRES: Record<number, number> = {
  9001: 1,
  9002: 0.3048,
  9003: 1200 / 3937,
  9005: 0.3047972654,
  9036: 1000,
  9037: 0.9143917962,
  9040: 0.914398414616029,
  9041: 0.304799471538676,
  9084: 0.914398530744440774,
  9301: 20.1167651215526,
};

/** Angles of the registry in degrees. */
const DEGREES: Record<number, number> = { 9101: DEG, 9102: 1, 9105: 0.9, 9106: 0.9, 9122: 1 };

/** Methods by ProjMethodGeoKey, by the names that well-known text has for them. */
const METHODS: Record<number, string> = {
  1: "Transverse Mercator",
  3: "Hotine Oblique Mercator Variant B",
  7: "Mercator",
  8: "Lambert Conic Conformal (2SP)",
  9: "Lambert Conic Conformal (1SP)",
  10: "Lambert Azimuthal Equal Area",
  11: "Albers",
  12: "Azimuthal Equidistant",
  13: "Equidistant Conic",
  14: "Stereographic",
  15: "Polar Stereographic",
  16: "Oblique Stereographic",
  17: "Equirectangular",
  18: "Cassini Soldner",
  19: "Gnomonic",
  20: "Miller Cylindrical",
  21: "Orthographic",
  22: "Polyconic",
  23: "Robinson",
  24: "Sinusoidal",
  25: "Van der Grinten",
  26: "New Zealand Map Grid",
  27: "Transverse Mercator South Orientated",
  28: "Cylindrical Equal Area",
};

/** Keys of a projection's parameters by what they are. */
const ANGLE_KEYS: [role: string, keys: string[]][] = [
  ["lat_0", ["ProjNatOriginLat", "ProjFalseOriginLat", "ProjCenterLat"]],
  ["lon_0", ["ProjNatOriginLong", "ProjFalseOriginLong", "ProjCenterLong", "ProjStraightVertPoleLong"]], // prettier-ignore
  ["lat_1", ["ProjStdParallel1"]],
  ["lat_2", ["ProjStdParallel2"]],
  ["alpha", ["ProjAzimuthAngle"]],
  ["gamma", ["ProjRectifiedGridAngle"]],
];
const LENGTH_KEYS: [role: string, keys: string[]][] = [
  ["x_0", ["ProjFalseEasting", "ProjFalseOriginEasting", "ProjCenterEasting"]],
  ["y_0", ["ProjFalseNorthing", "ProjFalseOriginNorthing", "ProjCenterNorthing"]],
];
const SCALE_KEYS = ["ProjScaleAtNatOrigin", "ProjScaleAtCenter"];

/** The number of the first of some keys that is there. */
function numberOf(keys: GeoKeys, ...names: string[]): number | undefined {
  const value = names.map((name) => keys[`${name}GeoKey`]).find((found) => found !== undefined);
  return value === undefined ? undefined : Number(value);
}

/** A code of the registry; 0 where the key is not there or stands for something of the file's own. */
function codeOf(keys: GeoKeys, ...names: string[]): number {
  const code = numberOf(keys, ...names) ?? 0;
  return code > 0 && code !== USER_DEFINED ? code : 0;
}

/** Size of a unit: of the registry, or of the file's own. @throws FormatError */
function unitOf(keys: GeoKeys, name: string, table: Record<number, number>, whole: number): number {
  const code = numberOf(keys, `${name}Units`);
  const own = numberOf(keys, `${name}UnitSize`);
  const named = code === undefined ? whole : table[code];
  const size = code === USER_DEFINED ? own : named;
  if (!size || !(size > 0)) {
    throw refused(`its unit, ${code}, is not known`);
  }
  return size;
}

/** Degrees of the file's angles. */
function degreesOf(keys: GeoKeys): number {
  const isOwn = numberOf(keys, "GeogAngularUnits") === USER_DEFINED;
  const size = unitOf(keys, "GeogAngular", DEGREES, 1);
  return isOwn ? size * DEG : size;
}

const texts = (keys: GeoKeys): string[] =>
  ["PCSCitation", "ProjectedCitation", "GTCitation", "GeogCitation", "GeodeticCitation"]
    .map((name) => keys[`${name}GeoKey`])
    .filter((text) => typeof text === "string");

/** What the file calls its coordinate system. */
const nameOf = (keys: GeoKeys): string =>
  (texts(keys)[0] ?? "own system")
    .replace(/\|.*$/s, "")
    .replace(/^PCS Name = |^GCS Name = /, "")
    .trim();

/** What citations call the geographic system and its datum. */
function datumNames(keys: GeoKeys): string[] {
  const all = texts(keys).join("|");
  const named = [...all.matchAll(/(?:GCS Name|Datum) ?= ?([^|]+)/g)].map(([, name]) =>
    name!.trim(),
  );
  const whole = ["GeogCitation", "GeodeticCitation"]
    .map((name) => keys[`${name}GeoKey`])
    .filter((text) => typeof text === "string")
    .filter((text) => !text.includes("|"));
  return [...named, ...whole];
}

/** Parameters of the projection. */
function valuesOf(keys: GeoKeys, degrees: number, metres: number): Values {
  const values: Values = { k: numberOf(keys, ...SCALE_KEYS) };
  for (const [role, names] of ANGLE_KEYS) {
    const value = numberOf(keys, ...names);
    values[role] = value === undefined ? undefined : value * degrees;
  }
  for (const [role, names] of LENGTH_KEYS) {
    const value = numberOf(keys, ...names);
    values[role] = value === undefined ? undefined : value * metres;
  }
  return values;
}

/** A zone of Universal Transverse Mercator as a method and its values; null for other codes. */
function zoneOf(code: number): { method: string; values: Values } | null {
  const zone = code % 100;
  if ((code < 16001 || code > 16060) && (code < 16101 || code > 16160)) {
    return null;
  }
  const values = {
    lat_0: 0,
    lon_0: zone * 6 - 183,
    k: 0.9996,
    x_0: 500_000,
    y_0: code > 16100 ? 1e7 : 0,
  };
  return { method: "Transverse Mercator", values };
}

/** The projection of the file's own. @throws FormatError */
function projectionOf(keys: GeoKeys, degrees: number, metres: number) {
  const code = codeOf(keys, "Projection");
  const zone = code ? zoneOf(code) : null;
  const method = METHODS[numberOf(keys, "ProjCoordTrans", "ProjMethod") ?? 0];
  if (zone ?? method) {
    return zone ?? { method: method!, values: valuesOf(keys, degrees, metres) };
  }
  throw refused(`the file (${nameOf(keys)}) names no projection that is known here`);
}

interface Base {
  ellipsoid: string;
  meridian: number;
}

/** Ellipsoid and prime meridian as the file gives them itself; null where it does not. */
function ownBase(keys: GeoKeys, degrees: number): Base | null {
  const a = numberOf(keys, "GeogSemiMajorAxis", "EllipsoidSemiMajorAxis");
  const b = numberOf(keys, "GeogSemiMinorAxis", "EllipsoidSemiMinorAxis");
  const rf =
    numberOf(keys, "GeogInvFlattening", "EllipsoidInvFlattening") ??
    (a && b ? inverseFlattening(a, b) : NaN);
  if (!a || !(a > 0) || !(rf >= 0)) {
    return null;
  }
  const meridian =
    (numberOf(keys, "GeogPrimeMeridianLong", "PrimeMeridianLongitude") ?? 0) * degrees;
  return { ellipsoid: ellipsoidText(a, rf), meridian };
}

const inverseFlattening = (a: number, b: number): number => (a === b ? 0 : a / (a - b));

/** What is said of the datum. */
function datumOf(keys: GeoKeys) {
  const geographic = codeOf(keys, "GeographicType", "GeodeticCRS");
  return {
    names: datumNames(keys),
    geographic: geographic ? `EPSG:${geographic}` : null,
    datumCode: codeOf(keys, "GeogGeodeticDatum", "GeodeticDatum") || null,
  };
}

/**
 * Ellipsoid and prime meridian of a system of the file's own: as the registry has them, or as it gives
 * them. @throws FormatError where neither is there
 */
async function baseOf(keys: GeoKeys, degrees: number): Promise<Base> {
  const own = ownBase(keys, degrees);
  const isCoded = codeOf(keys, "GeographicType", "GeodeticCRS") > 0;
  const [datum] = isCoded || !own ? await datumsSaid(datumOf(keys)) : [];
  const known = datum && (await systemOn(datum));
  if (known) {
    const { projection } = known;
    return { ellipsoid: ellipsoidIn(projection), meridian: meridianOf(projection) };
  }
  if (!own) {
    throw refused(`the file (${nameOf(keys)}) names no ellipsoid`);
  }
  return own;
}

/** The shift that a file brings itself, as seven parameters. */
const shiftOf = ({ GeogTOWGS84GeoKey: value }: GeoKeys): number[] | null =>
  sevenOf((Array.isArray(value) ? value : []).map(Number));

/** A system of the file's own. @throws FormatError */
async function ownCrs(keys: GeoKeys, isProjected: boolean, places: Places): Promise<Crs> {
  const degrees = degreesOf(keys);
  const metres = unitOf(keys, "ProjLinear", METRES, 1);
  const { ellipsoid, meridian } = await baseOf(keys, degrees);
  if (!isProjected && degrees !== 1) {
    throw refused("its coordinates are not in degrees");
  }
  const projection = isProjected
    ? projectedText({ ...projectionOf(keys, degrees, metres), metres, meridian, ellipsoid })
    : geographicText(meridian, ellipsoid);
  const name = nameOf(keys);
  return crsOfDefinition({ name, projection, datum: datumOf(keys), shift: shiftOf(keys) }, places);
}

/** The well-known text that some programs put into a citation. */
function textIn(keys: GeoKeys): string | null {
  const [, text] =
    /ESRI PE String ?= ?((?:PROJCS|GEOGCS)\[.*)$/s.exec(texts(keys).join("\n")) ?? [];
  return text?.replace(/\|+\s*$/, "") ?? null;
}

/**
 * The coordinate system of a GeoTIFF's keys; null where they name none.
 * @param places where the image lies, in the system itself
 * @throws FormatError where it is not known or cannot be computed
 */
export async function crsOfGeoKeys(keys: GeoKeys, places: Places): Promise<Crs | null> {
  const model = numberOf(keys, "GTModelType") ?? 0;
  const projected = codeOf(keys, "ProjectedCSType", "ProjectedCRS");
  if (projected) {
    return crsOfEpsg(projected, places);
  }
  const text = textIn(keys);
  if (text) {
    return crsOfWkt(text, places);
  }
  const isProjected = model === PROJECTED || numberOf(keys, "ProjectedCSType") === USER_DEFINED;
  const geographic = codeOf(keys, "GeographicType", "GeodeticCRS");
  if (geographic && (model === GEOGRAPHIC || !isProjected)) {
    return crsOfEpsg(geographic, places);
  }
  if (model !== PROJECTED && model !== GEOGRAPHIC) {
    return null;
  }
  return ownCrs(keys, isProjected, places);
}
