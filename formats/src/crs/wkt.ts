import {
  ANGLES,
  type Values,
  ellipsoidText,
  geographicText,
  plainName,
  projectedText,
  refused,
  sevenOf,
} from "./projections";
import { type WktNode, childOf, childrenOf, findNode, nameOf, numberAt } from "./wktTree";

/** A coordinate system as a text gives it. */
export interface WktSystem {
  name: string;
  /** Projection and ellipsoid as a PROJ string, without its shift. */
  projection: string;
  /** What the geographic system and its datum are called, and their codes where the text has them. */
  datum: { names: string[]; geographic: string | null; datumCode: number | null };
  /** Seven parameters of a shift that the text brings itself. */
  shift: number[] | null;
}

const PROJECTED = ["PROJCS", "PROJCRS", "PROJECTEDCRS"];
const GEOGRAPHIC = ["GEOGCS", "GEOGCRS", "GEOGRAPHICCRS", "BASEGEOGCRS", "GEODCRS", "BASEGEODCRS"];
const DEG = 180 / Math.PI;

/** The code that a node gives itself. */
function codeOf(node: WktNode): string | null {
  const own = childrenOf(node, "AUTHORITY", "ID").at(-1);
  const authority = own ? nameOf(own).toUpperCase() : "";
  const code = own ? String(own.values[1]) : "";
  return /^(EPSG|ESRI)$/.test(authority) && /^\d+$/.test(code) ? `${authority}:${code}` : null;
}

/** The code that a text gives its system, "EPSG:…" or "ESRI:…"; null where it gives none. */
export function codeOfWkt(root: WktNode): string | null {
  const node = findNode(root, ...PROJECTED) ?? findNode(root, ...GEOGRAPHIC);
  return node && codeOf(node);
}

const unitOf = (node: WktNode, ...keywords: string[]): number | null => {
  const factor = numberAt(childOf(node, ...keywords), 1);
  return factor > 0 ? factor : null;
};

/** Radians of the unit of a geographic system. */
function angleUnit(geographic: WktNode): number {
  const axis = childOf(geographic, "AXIS");
  return (
    unitOf(geographic, "UNIT", "ANGLEUNIT") ??
    (axis && unitOf(axis, "UNIT", "ANGLEUNIT")) ??
    1 / DEG
  );
}

/** Metres of the unit of a projected system. */
function lengthUnit(projected: WktNode): number {
  const axis = childOf(projected, "AXIS");
  return (
    unitOf(projected, "UNIT", "LENGTHUNIT") ?? (axis && unitOf(axis, "UNIT", "LENGTHUNIT")) ?? 1
  );
}

/** The ellipsoid as part of a PROJ string. */
function ellipsoidOf(geographic: WktNode): string {
  const node = findNode(geographic, "SPHEROID", "ELLIPSOID");
  const unit = (node && unitOf(node, "LENGTHUNIT", "UNIT")) ?? 1;
  const a = numberAt(node, 1) * unit;
  const rf = numberAt(node, 2);
  if (!(a > 0) || !(rf >= 0)) {
    throw refused("it has no ellipsoid");
  }
  return ellipsoidText(a, rf);
}

/** The prime meridian in degrees. Texts of the first generation give it in degrees or in their unit. */
function meridianOf(geographic: WktNode): number {
  const node = findNode(geographic, "PRIMEM", "PRIMEMERIDIAN");
  if (!node) {
    return 0;
  }
  const own = unitOf(node, "ANGLEUNIT", "UNIT");
  const degrees = numberAt(node, 1) * (own ? own * DEG : 1);
  // Of Paris both 2.337 degrees and 2.597 grads are found; its name decides.
  return Math.abs(degrees - 2.5969213) < 1e-6 ? 2.33722917 : degrees || 0;
}

/**
 * Roles of parameters, by all the names that texts give them. Some are read and not needed: a
 * projection has them always alike, or says the same by its method.
 */
const ROLES: Record<string, string> = {
  latitudeoforigin: "lat_0",
  latitudeofnaturalorigin: "lat_0",
  latitudeoffalseorigin: "lat_0",
  latitudeofcenter: "lat_0",
  latitudeofcentre: "lat_0",
  latitudeofprojectioncentre: "lat_0",
  centralparallel: "lat_0",
  latitudeoftopocentricorigin: "lat_0",
  centralmeridian: "lon_0",
  longitudeoforigin: "lon_0",
  longitudeofnaturalorigin: "lon_0",
  longitudeoffalseorigin: "lon_0",
  longitudeofcenter: "lon_0",
  longitudeofcentre: "lon_0",
  longitudeofprojectioncentre: "lon_0",
  straightverticallongitudefrompole: "lon_0",
  standardparallel1: "lat_1",
  latitudeof1ststandardparallel: "lat_1",
  standardparallel: "lat_1",
  latitudeofstandardparallel: "lat_1",
  standardparallel2: "lat_2",
  latitudeof2ndstandardparallel: "lat_2",
  pseudostandardparallel1: "lat_p",
  latitudeofpseudostandardparallel: "lat_p",
  scalefactor: "k",
  scalefactoratnaturalorigin: "k",
  scalefactoratprojectioncentre: "k",
  scalefactoroninitialline: "k",
  scalefactoronpseudostandardparallel: "k",
  falseeasting: "x_0",
  eastingatfalseorigin: "x_0",
  eastingatprojectioncentre: "x_0",
  falsenorthing: "y_0",
  northingatfalseorigin: "y_0",
  northingatprojectioncentre: "y_0",
  azimuth: "alpha",
  azimuthofinitialline: "alpha",
  azimuthatprojectioncentre: "alpha",
  azimuthoftheinitialline: "alpha",
  colatitudeofconeaxis: "alpha",
  rectifiedgridangle: "gamma",
  anglefromrectifiedtoskewgrid: "gamma",
  xyplanerotation: "turn",
  xscale: "x_s",
  yscale: "y_s",
  auxiliaryspheretype: "sphere",
};

/** Parameters of a projection by their roles: angles in degrees, lengths in metres. */
function valuesOf(projection: WktNode, angle: number, length: number): Values {
  const values: Values = {};
  const parameters = childrenOf(projection, "PARAMETER");
  if (!parameters.length) {
    throw refused("its projection has no parameters");
  }
  for (const node of parameters) {
    const role = ROLES[plainName(nameOf(node))];
    if (!role) {
      throw refused(`its parameter ${nameOf(node)} is not known`);
    }
    const value = numberAt(node, 1);
    const own = unitOf(node, "ANGLEUNIT", "LENGTHUNIT", "SCALEUNIT", "UNIT");
    if (ANGLES.has(role)) {
      values[role] = value * (own ?? angle) * DEG;
    } else {
      values[role] = role === "x_0" || role === "y_0" ? value * (own ?? length) : value;
    }
  }
  return values;
}

/** The name of a method. Texts of the first generation tell two of them apart by their axes alone. */
function methodOf(projected: WktNode, method: WktNode | null): string {
  const name = method ? nameOf(method) : "none";
  const first = childOf(projected, "AXIS");
  const isNorth = name === "Krovak" && first && /^east$/i.test(String(first.values[1]));
  return isNorth ? "Krovak (North Orientated)" : name;
}

/** Projection and ellipsoid of a projected system. */
function projectedOf(node: WktNode, geographic: WktNode): string {
  const conversion = childOf(node, "CONVERSION") ?? node;
  const method = childOf(conversion, "PROJECTION", "METHOD");
  const metres = lengthUnit(node);
  return projectedText({
    method: methodOf(node, method),
    // The first generation gives angles in the unit of the geographic system.
    values: valuesOf(conversion, angleUnit(geographic), metres),
    metres,
    meridian: meridianOf(geographic),
    ellipsoid: ellipsoidOf(geographic),
  });
}

/** A geographic system; its coordinates must be degrees. */
function geographicOf(geographic: WktNode): string {
  if (Math.abs(angleUnit(geographic) * DEG - 1) > 1e-9) {
    throw refused("its coordinates are not in degrees");
  }
  return geographicText(meridianOf(geographic), ellipsoidOf(geographic));
}

/** The seven parameters of a shift within the text. */
const shiftOf = (root: WktNode): number[] | null =>
  sevenOf(findNode(root, "TOWGS84")?.values.filter((value) => typeof value === "number") ?? []);

/**
 * The coordinate system of a well-known text, of either generation and in the dialects of usual
 * programs. Vertical parts are left out.
 * @throws FormatError naming what of it is not known
 */
export function systemOfWkt(root: WktNode): WktSystem {
  const projected = findNode(root, ...PROJECTED);
  const geographic = findNode(projected ?? root, ...GEOGRAPHIC);
  if (!geographic || findNode(root, "LOCAL_CS", "ENGCRS", "ENGINEERINGCRS", "GEOCCS")) {
    throw refused("it is not tied to the Earth");
  }
  const node = projected ?? geographic;
  const datum = findNode(geographic, "DATUM", "ENSEMBLE", "GEODETICDATUM", "TRF");
  const datumCode = datum && codeOf(datum);
  return {
    name: nameOf(node),
    projection: projected ? projectedOf(projected, geographic) : geographicOf(geographic),
    datum: {
      names: [geographic, ...(datum ? [datum] : [])].map(nameOf),
      geographic: codeOf(geographic),
      datumCode: datumCode ? Number(datumCode.slice(5)) : null,
    },
    shift: shiftOf(root),
  };
}
