import { logGamma } from "../change/chiSquare";

/** Steps of the continued fraction, at the most. */
const STEPS = 300;
/** Below it a term is nought as far as numbers go. */
const TINY = 1e-300;

/** The continued fraction of the incomplete beta function (Lentz's method). */
function fraction(a: number, b: number, x: number): number {
  let c = 1;
  let below = 1 - ((a + b) * x) / (a + 1);
  below = 1 / (Math.abs(below) < TINY ? TINY : below);
  let value = below;
  const go = (term: number) => {
    below = 1 + term * below;
    below = 1 / (Math.abs(below) < TINY ? TINY : below);
    c = 1 + term / c;
    c = Math.abs(c) < TINY ? TINY : c;
    value *= c * below;
    return Math.abs(c * below - 1);
  };
  for (let k = 1; k <= STEPS; k++) {
    const two = a + 2 * k;
    go((k * (b - k) * x) / ((two - 1) * two));
    if (go((-(a + k) * (a + b + k) * x) / (two * (two + 1))) < 1e-15) {
      break;
    }
  }
  return value;
}

/**
 * Share of a beta distribution below x. Source: Abramowitz & Stegun 26.5.8.
 * @returns 0 to 1; NaN unless a and b are over nought
 */
export function betaBelow(x: number, a: number, b: number): number {
  if (!(a > 0) || !(b > 0)) {
    return NaN;
  }
  if (x <= 0 || x >= 1) {
    return x <= 0 ? 0 : 1;
  }
  const front = Math.exp(
    logGamma(a + b) - logGamma(a) - logGamma(b) + a * Math.log(x) + b * Math.log1p(-x),
  );
  return x < (a + 1) / (a + b + 2)
    ? (front * fraction(a, b, x)) / a
    : 1 - (front * fraction(b, a, 1 - x)) / b;
}

/** Halvings after which a place is as good as numbers go. */
const HALVINGS = 200;

/** The value below which a share of a beta distribution lies, 0 to 1, by halving. */
export function betaQuantile(share: number, a: number, b: number): number {
  let [from, to] = [0, 1];
  for (let k = 0; k < HALVINGS && from < to; k++) {
    const middle = (from + to) / 2;
    if (middle === from || middle === to) {
      break;
    }
    if (betaBelow(middle, a, b) < share) {
      from = middle;
    } else {
      to = middle;
    }
  }
  return (from + to) / 2;
}
