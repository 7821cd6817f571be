import type { ImageInfo } from '../graph/image';
import { sameGrid } from '../grid/grid';

/** What matters when two scenes are compared. Times are UTC texts; incidence is that of the near and the far edge, degrees. */
export interface Comparable { acquiredAt: string | null; pass: string | null; incidenceDeg: readonly [number, number] | null }

/** Days of the year beyond which seasons differ, and degrees beyond which incidence does. */
const SEASON_DAYS = 45, INCIDENCE_DEG = 2;

/** Plain warnings about two scenes that may not be comparable. `a` is the earlier one. */
export function comparisonWarnings(a: Comparable, b: Comparable): string[] {
  const out: string[] = [];
  if (a.pass && b.pass && a.pass !== b.pass) out.push(`One was taken on ${article(a.pass)} pass, the other on ${article(b.pass)} one: slopes change their brightness between passes.`);
  else if (a.incidenceDeg && b.incidenceDeg) {
    const apart = Math.abs(middle(a.incidenceDeg) - middle(b.incidenceDeg));
    if (apart > INCIDENCE_DEG) out.push(`The incidence angles differ by ${apart.toFixed(1)}°: backscatter changes with the angle alone.`);
  }
  if (a.acquiredAt && b.acquiredAt) {
    const d = Math.abs(dayOfYear(a.acquiredAt) - dayOfYear(b.acquiredAt)), apart = Math.min(d, 365 - d);
    if (apart > SEASON_DAYS) out.push(`The two dates lie ${Math.round(apart)} days apart in the year: plants alone will look like change.`);
  }
  return out;
}
const article = (s: string) => (/^[aeiou]/i.test(s) ? `an ${s}` : `a ${s}`);
const middle = (x: readonly [number, number]) => (x[0] + x[1]) / 2;
const dayOfYear = (t: string) => { const d = new Date(t); return (Date.UTC(2001, d.getUTCMonth(), d.getUTCDate()) - Date.UTC(2001, 0, 1)) / 864e5; };

/** A scene as it stands in a series: `detail.form` 'computed' is made of others and belongs to none. */
export interface InSeries { imageId: string | null; acquiredAt: string | null; info: ImageInfo | null; detail: object }
/**
 * Scenes of the same bands on the same cells as one of them, by date: a series of composites, or of images calibrated elsewhere. Products in sensor
 * geometry and bands of light have a chain, and no series here. Empty when `like` itself is no such scene.
 */
export function seriesOf<T extends InSeries>(like: T, all: readonly T[]): T[] {
  const fit = (s: T): boolean => s.imageId !== null && s.acquiredAt !== null && s.info !== null && s.info.type === 'float32' && !s.info.sensor && !s.info.optical && (s.detail as { form?: string }).form !== 'computed' && s.info.bands.every((b) => b.role !== 'elevation');
  const key = (s: T) => s.info!.bands.map((b) => `${b.name}/${b.role}/${b.unit}`).join();
  return fit(like) ? all.filter((s) => fit(s) && key(s) === key(like) && sameGrid(s.info!.grid, like.info!.grid)).sort((a, b) => Date.parse(a.acquiredAt!) - Date.parse(b.acquiredAt!)) : [];
}
