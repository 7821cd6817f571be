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
  /** Which backscatter it is. */ radiometry?: ImageInfo["radiometry"] | null;
  /** 1: top of the atmosphere, 2: surface. */ level?: 1 | 2 | null;
  /** Mean of the band that is compared, in its stored numbers; null where it was not counted. */ mean?:
    number | null;
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

/** Plain warnings about two scenes that may not be comparable. `a` is the earlier one. */
export function comparisonWarnings(comparable: Comparable, b: Comparable): string[] {
  const out: string[] = [];
  if (comparable.pass && b.pass && comparable.pass !== b.pass) {
    out.push(
      `One was taken on ${article(comparable.pass)} pass, the other on ${article(b.pass)} one: slopes change their brightness between passes.`,
    );
  } else if (comparable.incidenceDeg && b.incidenceDeg) {
    const apart = Math.abs(middle(comparable.incidenceDeg) - middle(b.incidenceDeg));
    if (apart > INCIDENCE_DEG) {
      out.push(
        `The incidence angles differ by ${apart.toFixed(1)}°: backscatter changes with the angle alone.`,
      );
    }
  }
  if (comparable.acquiredAt && b.acquiredAt) {
    const days = Math.abs(dayOfYear(comparable.acquiredAt) - dayOfYear(b.acquiredAt));
    const apart = Math.min(days, 365 - days);
    if (apart > SEASON_DAYS) {
      out.push(
        `The two dates lie ${Math.round(apart)} days apart in the year: plants alone will look like change.`,
      );
    }
  }
  if (comparable.radiometry && b.radiometry && comparable.radiometry !== b.radiometry) {
    out.push(
      `Before is ${RADIOMETRY[comparable.radiometry]}, after is ${RADIOMETRY[b.radiometry]}: they differ by the lie of the ground. Calibrate both alike.`,
    );
  }
  if (comparable.level && b.level && comparable.level !== b.level) {
    out.push(
      `${comparable.level === 2 ? "Before" : "After"} is surface reflectance, ${comparable.level === 2 ? "after" : "before"} is taken at the top of the atmosphere: the air between will look like change. Bring both to the surface in Prepare.`,
    );
  }
  if (comparable.mean && b.mean && comparable.mean * b.mean > 0) {
    const times = Math.abs(b.mean / comparable.mean);
    if (times > SCALE_APART || times < 1 / SCALE_APART) {
      out.push(
        `The numbers of ${times > 1 ? "after" : "before"} are about ${roundly(Math.max(times, 1 / times))} times those of ${times > 1 ? "before" : "after"}: one of the files may lack its scale factor or hold another quantity.`,
      );
    }
  }
  return out;
}
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
    (s.detail as { form?: string }).form !== "computed" &&
    s.info.bands.every((band) => band.role !== "elevation");
  const key = (s: T) =>
    s.info!.bands.map((band) => `${band.name}/${band.role}/${band.unit}`).join();
  return fit(like)
    ? all
        .filter((s) => fit(s) && key(s) === key(like) && sameGrid(s.info!.grid, like.info!.grid))
        .sort((a, b) => Date.parse(a.acquiredAt!) - Date.parse(b.acquiredAt!))
    : [];
}
