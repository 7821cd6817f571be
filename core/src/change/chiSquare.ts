const { exp, log, abs } = Math;

/**
 * Natural logarithm of the gamma function for x > 0, to about 1e-10 (Lanczos 1964, seven terms).
 */
export function logGamma(x: number): number {
  const c = [
    0.99999999999980993, 676.5203681218851, -1259.1392167224028, 771.32342877765313,
    -176.61502916214059, 12.507343278686905, -0.13857109526572012, 9.9843695780195716e-6,
    1.5056327351493116e-7,
  ];
  if (x < 0.5) {
    return log(Math.PI / Math.sin(Math.PI * x)) - logGamma(1 - x);
  }
  let s = c[0]!;
  for (let i = 1; i < 9; i++) {
    s += c[i]! / (x - 1 + i);
  }
  const t = x + 6.5;
  return 0.5 * log(2 * Math.PI) + (x - 0.5) * log(t) - t + log(s);
}

/**
 * Upper share of the gamma distribution, Q(a, x): a series below a + 1, a continued fraction above.
 * Source: Abramowitz & Stegun 6.5.29 and 6.5.31.
 */
export function upperGamma(a: number, x: number): number {
  if (!(a > 0) || !(x >= 0)) {
    return NaN;
  }
  if (x === 0) {
    return 1;
  }
  if (x === Infinity) {
    return 0;
  }
  const front = exp(a * log(x) - x - logGamma(a));
  if (x < a + 1) {
    let term = 1 / a;
    let sum = term;
    for (let n = 1; n < 1000 && term > sum * 1e-16; n++) {
      term *= x / (a + n);
      sum += term;
    }
    return 1 - front * sum;
  }
  let b = x + 1 - a;
  let c = 1e300;
  let denominator = 1 / b;
  let h = denominator;
  for (let n = 1; n < 1000; n++) {
    const k = -n * (n - a);
    b += 2;
    denominator = 1 / (k * denominator + b);
    c = b + k / c;
    const step = c * denominator;
    h *= step;
    if (abs(step - 1) < 1e-15) {
      break;
    }
  }
  return front * h;
}

/**
 * Probability that a chi-square variable of so many degrees of freedom is larger than x: 1 at 0,
 * NaN for NaN.
 */
export const chiSquareAbove = (x: number, degrees: number): number =>
  upperGamma(degrees / 2, x / 2);
