import { FormatError } from "../errors";

/** Letters and digits of a name: dialects differ in the rest. */
export const plainName = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]/g, "");

/** That a coordinate system cannot be computed, and why. */
export const refused = (why: string): FormatError =>
  new FormatError(
    "noCrs",
    `The coordinate system cannot be computed: ${why}`,
    "Give its EPSG code, or save the file in a UTM zone.",
  );

/** Parameters of a projection by their roles: angles in degrees, lengths in metres. */
export type Values = Partial<Record<string, number>>;

/** Roles of parameters that are angles. */
export const ANGLES = new Set(["lat_0", "lon_0", "lat_1", "lat_2", "lat_p", "alpha", "gamma"]);

/** A number as text, without the noise of its arithmetic. */
const tidy = (value: number): string => String(Number(value.toPrecision(15)) + 0);

type Words = Record<string, number | string | undefined>;
type Method = (values: Values) => Words;

/** Words of a projection that takes an origin, and no more. */
const simple =
  (proj: string, more: readonly string[] = []): Method =>
  (given) => ({
    proj,
    lat_0: given.lat_0,
    lon_0: given.lon_0,
    ...Object.fromEntries(more.map((key) => [key, given[key]])),
  });

/** One whose standard parallel is the latitude of true scale. */
const trueScale =
  (proj: string): Method =>
  (given) => ({ proj, lon_0: given.lon_0, lat_ts: given.lat_1 ?? given.lat_0 });

/** A conic on two parallels, or on one: that of its origin where it names none. */
const lambert: Method = (given) => ({
  proj: "lcc",
  lat_1: given.lat_2 === undefined ? (given.lat_1 ?? given.lat_0) : given.lat_1,
  lat_2: given.lat_2,
  lat_0: given.lat_0,
  lon_0: given.lon_0,
  k_0: given.k,
});

/** A stereographic projection from a pole: scaled there, or true along a parallel. */
const polar =
  (pole?: number): Method =>
  (given) => {
    const parallel = given.lat_1 ?? given.lat_0 ?? pole ?? 90;
    const lat = pole ?? (parallel < 0 ? -90 : 90);
    const isTrue = Math.abs(Math.abs(parallel) - 90) > 1e-9;
    return {
      proj: "stere",
      lat_0: lat,
      lat_ts: isTrue ? parallel : undefined,
      lon_0: given.lon_0,
      k: given.k,
    };
  };

const mercator: Method = (given) => ({
  proj: "merc",
  lon_0: given.lon_0,
  lat_ts: given.lat_1,
  k: given.k,
});

/** An oblique Mercator projection; where its cone lies east-west it is the Swiss one. */
const oblique =
  (atCentre: boolean): Method =>
  (given) => {
    const gamma = given.gamma ?? given.alpha;
    const isSwiss = [given.alpha, gamma].every((angle) => Math.abs((angle ?? 0) - 90) < 1e-9);
    if (isSwiss) {
      return { proj: "somerc", lat_0: given.lat_0, lon_0: given.lon_0, k_0: given.k };
    }
    return {
      proj: "omerc",
      no_uoff: atCentre ? undefined : "",
      lat_0: given.lat_0,
      lonc: given.lon_0,
      alpha: given.alpha,
      gamma,
      k: given.k,
    };
  };

/** Krovak's projection counts to the south and west, or to the east and north. */
const krovak =
  (isNorth: boolean): Method =>
  (given) => ({
    proj: "krovak",
    axis: isNorth || given.turn === 90 ? undefined : "swu",
    lat_0: given.lat_0,
    lon_0: given.lon_0,
    alpha: given.alpha,
    k: given.k,
  });

const METHODS: Record<string, Method> = {
  transversemercator: simple("tmerc", ["k"]),
  transversemercatorcomplex: simple("tmerc", ["k"]),
  gausskruger: simple("tmerc", ["k"]),
  transversemercatorsouthorientated: (given) => ({ ...simple("tmerc", ["k"])(given), axis: "wsu" }),
  transversemercatorsouthoriented: (given) => ({ ...simple("tmerc", ["k"])(given), axis: "wsu" }),
  lambertconformalconic: lambert,
  lambertconformalconic1sp: lambert,
  lambertconformalconic2sp: lambert,
  lambertconicconformal1sp: lambert,
  lambertconicconformal2sp: lambert,
  albers: simple("aea", ["lat_1", "lat_2"]),
  albersequalarea: simple("aea", ["lat_1", "lat_2"]),
  albersconicequalarea: simple("aea", ["lat_1", "lat_2"]),
  equidistantconic: simple("eqdc", ["lat_1", "lat_2"]),
  polarstereographic: polar(),
  polarstereographicvarianta: polar(),
  polarstereographicvariantb: polar(),
  stereographicnorthpole: polar(90),
  stereographicsouthpole: polar(-90),
  obliquestereographic: simple("sterea", ["k"]),
  doublestereographic: simple("sterea", ["k"]),
  stereographic: simple("stere", ["k"]),
  mercator,
  mercator1sp: mercator,
  mercator2sp: mercator,
  mercatorvarianta: mercator,
  mercatorvariantb: mercator,
  lambertazimuthalequalarea: simple("laea"),
  azimuthalequidistant: simple("aeqd"),
  modifiedazimuthalequidistant: simple("aeqd"),
  gnomonic: simple("gnom"),
  orthographic: simple("ortho"),
  hotineobliquemercator: oblique(false),
  hotineobliquemercatorvarianta: oblique(false),
  hotineobliquemercatorazimuthnaturalorigin: oblique(false),
  rectifiedskeworthomorphicnaturalorigin: oblique(false),
  hotineobliquemercatorvariantb: oblique(true),
  hotineobliquemercatorazimuthcenter: oblique(true),
  rectifiedskeworthomorphiccenter: oblique(true),
  obliquemercator: oblique(true),
  swissobliquecylindrical: oblique(true),
  cassini: simple("cass"),
  cassinisoldner: simple("cass"),
  polyconic: simple("poly"),
  americanpolyconic: simple("poly"),
  krovak: krovak(false),
  krovaknorthorientated: krovak(true),
  newzealandmapgrid: simple("nzmg"),
  equidistantcylindrical: trueScale("eqc"),
  equidistantcylindricalspherical: trueScale("eqc"),
  equirectangular: trueScale("eqc"),
  platecarree: trueScale("eqc"),
  cylindricalequalarea: trueScale("cea"),
  lambertcylindricalequalarea: trueScale("cea"),
  bonne: (given) => ({ proj: "bonne", lat_1: given.lat_1 ?? given.lat_0, lon_0: given.lon_0 }),
  sinusoidal: simple("sinu"),
  mollweide: simple("moll"),
  robinson: simple("robin"),
  vandergrinteni: simple("vandg"),
  vandergrinten: simple("vandg"),
  eckertvi: simple("eck6"),
  millercylindrical: simple("mill"),
  equalearth: simple("eqearth"),
};

/** Ways to say a Mercator projection that takes the ellipsoid's longitudes for a sphere's. */
const ON_A_SPHERE = /^(popularvisualisationpseudomercator|mercatorauxiliarysphere)$/;

const wordsOf = (words: Words): string =>
  Object.entries(words)
    .filter(([, value]) => value !== undefined)
    .map(([key, value]) => {
      const text = typeof value === "number" ? tidy(value) : value;
      return text === "" ? `+${key}` : `+${key}=${text}`;
    })
    .join(" ");

/** An ellipsoid as part of a PROJ string: its longer axis in metres, its inverse flattening (0: a sphere). */
export const ellipsoidText = (a: number, rf: number): string =>
  rf === 0 ? `+a=${tidy(a)} +b=${tidy(a)}` : `+a=${tidy(a)} +rf=${tidy(rf)}`;

/** A system in degrees as a PROJ string. */
export const geographicText = (meridian: number, ellipsoid: string): string =>
  `${wordsOf({ proj: "longlat", pm: meridian || undefined })} ${ellipsoid}`;

/** What a projected system is made of. */
export interface Projected {
  /** The method, as texts name it. */
  method: string;
  values: Values;
  /** Metres of its unit. */
  metres: number;
  /** Degrees of its prime meridian. */
  meridian: number;
  /** As part of a PROJ string. */
  ellipsoid: string;
}

/**
 * Projection and ellipsoid of a projected system as a PROJ string.
 * @throws FormatError where its method is not known
 */
export function projectedText({ method, values, metres, meridian, ellipsoid }: Projected): string {
  const place = { x_0: values.x_0 ?? 0, y_0: values.y_0 ?? 0 };
  const unit = metres === 1 ? { units: "m" } : { to_meter: metres };
  if (ON_A_SPHERE.test(plainName(method))) {
    const [, a] = /\+a=(\S+)/.exec(ellipsoid) ?? [];
    const words = { proj: "merc", lon_0: values.lon_0, ...place, ...unit };
    return `${wordsOf(words)} +a=${a} +b=${a} +nadgrids=@null`;
  }
  const words = METHODS[plainName(method)]?.(values);
  if (!words) {
    throw refused(`its projection, ${method}, is not known`);
  }
  return `${wordsOf({ ...words, ...place, ...unit, pm: meridian || undefined })} ${ellipsoid}`;
}

/** A word of a PROJ string; undefined where it is not there. */
export const wordOf = (text: string, key: string): string | undefined =>
  text
    .split(" ")
    .find((word) => word.startsWith(`+${key}=`))
    ?.slice(key.length + 2);

/** The ellipsoid of a definition as part of a PROJ string. */
export const ellipsoidIn = (projection: string): string =>
  projection
    .split(" ")
    .filter((word) => /^\+(a|b|rf)=/.test(word))
    .join(" ");

/**
 * The seven parameters of a shift that a file brings: moves in metres alone, or with rotations in arc
 * seconds and scale in parts per million. Null where there are neither three nor seven.
 */
export function sevenOf(numbers: readonly number[]): number[] | null {
  switch (numbers.length) {
    case 3:
      return [...numbers, 0, 0, 0, 0];
    case 7:
      return [...numbers];
    default:
      return null;
  }
}

/** Degrees of prime meridians that definitions call by a name. */
const MERIDIANS: Record<string, number> = {
  lisbon: -9.131906111111,
  paris: 2.337229166667,
  bogota: -74.080916666667,
  madrid: -3.687938888889,
  rome: 12.452333333333,
  bern: 7.439583333333,
  jakarta: 106.807719444444,
  ferro: -17.666666666667,
  brussels: 4.367975,
  stockholm: 18.058277777778,
  athens: 23.7163375,
  oslo: 10.722916666667,
};

/** The prime meridian of a definition in degrees. @throws FormatError where its name is not known */
export function meridianOf(projection: string): number {
  const word = wordOf(projection, "pm") ?? "0";
  const degrees = MERIDIANS[word] ?? Number(word);
  if (!Number.isFinite(degrees)) {
    throw refused(`its prime meridian, ${word}, is not known`);
  }
  return degrees;
}
