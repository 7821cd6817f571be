import { betaBelow } from "../accuracy/beta";
import { upperGamma } from "../change/chiSquare";

/** Upper share of a normal distribution beyond a value from nought on. */
export const normalAbove = (value: number): number => 0.5 * upperGamma(0.5, (value * value) / 2);

/** Upper share of Student's t distribution beyond a value from nought on; a normal one for endless degrees. */
export const studentAbove = (value: number, degrees: number): number =>
  degrees === Infinity
    ? normalAbove(value)
    : 0.5 * betaBelow(degrees / (degrees + value * value), degrees / 2, 0.5);

/** The smallest share that is told apart from none. */
const LEAST_SHARE = 1e-280;
const ROUNDS = 60;

/** The value beyond which an upper share of a normal distribution lies, from nought on; share at most a half. */
export function normalBeyond(share: number): number {
  if (!(share < 0.5)) {
    return share >= 0.5 ? 0 : NaN;
  }
  const wanted = Math.log(Math.max(LEAST_SHARE, share));
  let [low, high] = [0, 38];
  for (let k = 0; k < ROUNDS; k++) {
    const middle = (low + high) / 2;
    if (Math.log(normalAbove(middle)) > wanted) {
      low = middle;
    } else {
      high = middle;
    }
  }
  return (low + high) / 2;
}

/** Steps of the table, even in the logarithm of one and the value, and its largest value. */
const STEPS = 600;
const MOST = 1e4;
const BY = STEPS / Math.log1p(MOST);

/**
 * Deviations of a normal distribution that are as rare as values of Student's t, so that one threshold means one
 * chance whatever the degrees: a table, exact to a thousandth.
 */
export class AsRare {
  private readonly table: Float64Array;

  constructor(degrees: number) {
    this.table = Float64Array.from({ length: STEPS + 2 }, (_v, k) =>
      normalBeyond(studentAbove(Math.expm1(k / BY), degrees)),
    );
  }

  /** NaN for NaN; the sign is kept. */
  of(value: number): number {
    const size = Math.abs(value);
    const place = Math.min(STEPS, Math.log1p(size) * BY);
    const low = Math.floor(place);
    if (!(low >= 0)) {
      return NaN;
    }
    const rare = this.table[low]! + (this.table[low + 1]! - this.table[low]!) * (place - low);
    return value < 0 ? -rare : rare;
  }

  /** The value of t that is as rare as so many deviations of a normal distribution; at most the table's end. */
  back(deviations: number): number {
    let [low, high] = [0, MOST];
    for (let k = 0; k < ROUNDS; k++) {
      const middle = (low + high) / 2;
      if (this.of(middle) < deviations) {
        low = middle;
      } else {
        high = middle;
      }
    }
    return (low + high) / 2;
  }
}

const kept = new Map<number, AsRare>();
const MOST_KEPT = 64;
/** The table of so many degrees, worked out once. */
export function asRare(degrees: number): AsRare {
  const known = kept.get(degrees);
  if (known) {
    return known;
  }
  if (kept.size >= MOST_KEPT) {
    kept.clear();
  }
  const made = new AsRare(degrees);
  kept.set(degrees, made);
  return made;
}
