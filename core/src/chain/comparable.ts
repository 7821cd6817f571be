import type { ImageInfo } from "../graph/image";
import { sameGrid } from "../grid/grid";

/**
 * What matters when two scenes are compared. Times are UTC texts; incidence is that of the near and
 * the far edge, degrees.
 */
export interface Comparable {
  acquiredAt: string | null;
  pass: string | null;
  incidenceDeg: readonly [number, number] | null;
  /** Which backscatter it is. */
  radiometry?: ImageInfo["radiometry"] | null;
  /**
   * The orbit that a radar date lies by, the product's own or a file's, and how far the file moved
   * it, metres.
   */
  orbit?: { kind: "own" | "restituted" | "precise"; movedM: number | null } | null;
  /** 1: top of the atmosphere, 2: surface. */
  level?: 1 | 2 | null;
  /** Mean of the band that is compared, in its stored numbers; null where it was not counted. */
  mean?: number | null;
}

/**
 * Days of the year beyond which seasons differ, degrees beyond which incidence does, and how many
 * times the mean of one date that of the other may be.
 */
const SEASON_DAYS = 45;
const INCIDENCE_DEG = 2;
const SCALE_APART = 20;
const RADIOMETRY = {
  beta: "beta nought",
  sigma: "sigma nought",
  gamma: "gamma nought",
  flat: "gamma nought with the terrain flattened",
} as const;
/** One digit that counts: 9 800 is about 10 000. */
const roundly = (value: number): string => {
  const k = 10 ** Math.floor(Math.log10(value));
  return (Math.round(value / k) * k).toLocaleString("en").replace(/,/g, "\u2009");
};

/** Both values, where both are known and say something. */
const both = <T>(a: T | null | undefined, b: T | null | undefined): [T, T] | null =>
  a && b ? [a, b] : null;

/** Slopes look different from the other side, or at another angle. */
function ofGeometry(a: Comparable, b: Comparable): string | null {
  const passes = both(a.pass, b.pass);
  if (passes && passes[0] !== passes[1]) {
    return `One was taken on ${article(passes[0])} pass, the other on ${article(passes[1])} one: slopes change their brightness between passes.`;
  }
  const angles = both(a.incidenceDeg, b.incidenceDeg);
  const apart = angles ? Math.abs(middle(angles[0]) - middle(angles[1])) : 0;
  return apart > INCIDENCE_DEG
    ? `The incidence angles differ by ${apart.toFixed(1)}°: backscatter changes with the angle alone.`
    : null;
}

function ofSeason(a: Comparable, b: Comparable): string | null {
  const times = both(a.acquiredAt, b.acquiredAt);
  const days = times ? Math.abs(dayOfYear(times[0]) - dayOfYear(times[1])) : 0;
  const apart = Math.min(days, 365 - days);
  return apart > SEASON_DAYS
    ? `The two dates lie ${Math.round(apart)} days apart in the year: plants alone will look like change.`
    : null;
}

function ofRadiometry(a: Comparable, b: Comparable): string | null {
  const kinds = both(a.radiometry, b.radiometry);
  return kinds && kinds[0] !== kinds[1]
    ? `Before is ${RADIOMETRY[kinds[0]]}, after is ${RADIOMETRY[kinds[1]]}: they differ by the lie of the ground. Calibrate both alike.`
    : null;
}

/** Places differ between an orbit file and a product's own orbit. */
function ofOrbit(a: Comparable, b: Comparable): string | null {
  const orbits = both(a.orbit, b.orbit);
  const isMixed = orbits && (orbits[0].kind === "own") !== (orbits[1].kind === "own");
  if (!isMixed) {
    return null;
  }
  const [filed, own] = orbits[0].kind === "own" ? ["after", "before"] : ["before", "after"];
  const { movedM } = orbits[0].kind === "own" ? orbits[1] : orbits[0];
  const metres =
    movedM === null
      ? "by some metres"
      : `by about ${movedM < 1 ? movedM.toFixed(1) : Math.round(movedM)} m, which is how far the file moves ${filed}`;
  return `The orbit of ${filed} is from a file, that of ${own} is the product's own: they can lie apart ${metres}. Add the orbit file of ${own}.`;
}

function ofLevel(a: Comparable, b: Comparable): string | null {
  const levels = both<1 | 2>(a.level, b.level);
  if (!levels || levels[0] === levels[1]) {
    return null;
  }
  const [surface, top] = levels[0] === 2 ? ["Before", "after"] : ["After", "before"];
  return `${surface} is surface reflectance, ${top} is taken at the top of the atmosphere: the air between will look like change. Bring both to the surface in Prepare.`;
}

function ofScale(a: Comparable, b: Comparable): string | null {
  const means = both(a.mean, b.mean);
  const times = means ? means[1] / means[0] : 0;
  // Means on both sides of nought are no matter of scale.
  if (!(times > 0) || (times <= SCALE_APART && times >= 1 / SCALE_APART)) {
    return null;
  }
  const [larger, smaller] = times > 1 ? ["after", "before"] : ["before", "after"];
  return `The numbers of ${larger} are about ${roundly(Math.max(times, 1 / times))} times those of ${smaller}: one of the files may lack its scale factor or hold another quantity.`;
}

const WARNINGS = [ofGeometry, ofOrbit, ofSeason, ofRadiometry, ofLevel, ofScale];

/** Plain warnings about two scenes that may not be comparable; the first is the earlier one. */
export const comparisonWarnings = (before: Comparable, after: Comparable): string[] =>
  WARNINGS.map((warning) => warning(before, after)).filter((text) => text !== null);

const article = (s: string) => (/^[aeiou]/i.test(s) ? `an ${s}` : `a ${s}`);
const middle = (x: readonly [number, number]) => (x[0] + x[1]) / 2;
const dayOfYear = (t: string) => {
  const date = new Date(t);
  return (Date.UTC(2001, date.getUTCMonth(), date.getUTCDate()) - Date.UTC(2001, 0, 1)) / 864e5;
};

/**
 * A scene as it stands in a series: `detail.form` 'computed' is made of others and belongs to none.
 */
export interface InSeries {
  imageId: string | null;
  acquiredAt: string | null;
  info: ImageInfo | null;
  detail: object;
}
const isComputed = (detail: object): boolean => "form" in detail && detail.form === "computed";

/**
 * Scenes of the same bands on the same cells as one of them, by date: a series of composites, or of
 * images calibrated elsewhere. Products in sensor
 * geometry and bands of light have a chain, and no series here. Empty when `like` itself is no such
 * scene.
 */
export function seriesOf<T extends InSeries>(like: T, all: readonly T[]): T[] {
  const fit = (s: T): boolean =>
    s.imageId !== null &&
    s.acquiredAt !== null &&
    s.info !== null &&
    s.info.type === "float32" &&
    !s.info.sensor &&
    !s.info.optical &&
    !isComputed(s.detail) &&
    s.info.bands.every((band) => band.role !== "elevation");
  const key = (s: T) =>
    s.info!.bands.map((band) => `${band.name}/${band.role}/${band.unit}`).join();
  return fit(like)
    ? all
        .filter((s) => fit(s) && key(s) === key(like) && sameGrid(s.info!.grid, like.info!.grid))
        .sort((a, b) => Date.parse(a.acquiredAt!) - Date.parse(b.acquiredAt!))
    : [];
}
