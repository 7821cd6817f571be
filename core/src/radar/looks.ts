/**
 * Equivalent number of looks of an even field: mean²/variance of power. NaN is passed over. Source:
 * Oliver & Quegan 2004, sec. 4.
 * @returns NaN for fewer than two valid cells or no variation
 */
export function equivalentLooks(power: ArrayLike<number>): number {
  let n = 0;
  let sum = 0;
  for (let i = 0; i < power.length; i++) {
    const value = power[i]!;
    if (value === value) {
      n++;
      sum += value;
    }
  }
  if (n < 2) {
    return NaN;
  }
  const mean = sum / n;
  let ss = 0;
  for (let i = 0; i < power.length; i++) {
    const value = power[i]!;
    if (value === value) {
      ss += (value - mean) ** 2;
    }
  }
  const variance = ss / (n - 1);
  return variance > 0 ? (mean * mean) / variance : NaN;
}
