import type { BandInfo } from "@hindglance/core/graph/image";
import { type Histogram, addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import type { FieldResult } from "./tasks";

/** Bins of the histogram of a field. */
const BINS = 72;
/** Standard deviations about the mean that the histogram spans, within what there is. */
const SPAN = 3.5;

/** Sums over the cells of a field: as they are stored, and decibels as the power they stand for. */
interface Sums {
  n: number;
  stored: number;
  storedSquares: number;
  power: number;
  powerSquares: number;
  low: number;
  high: number;
}

function sumsOf(parts: readonly Float32Array[], isDecibel: boolean): Sums {
  let n = 0;
  let [stored, storedSquares, power, powerSquares] = [0, 0, 0, 0];
  let [low, high] = [Infinity, -Infinity];
  for (const part of parts) {
    for (const value of part) {
      if (Number.isNaN(value)) {
        continue;
      }
      const linear = isDecibel ? 10 ** (value / 10) : value;
      n++;
      power += linear;
      powerSquares += linear * linear;
      stored += value;
      storedSquares += value * value;
      low = Math.min(low, value);
      high = Math.max(high, value);
    }
  }
  return { n, stored, storedSquares, power, powerSquares, low, high };
}

function histogramOf(parts: readonly Float32Array[], sums: Sums, deviation: number): Histogram {
  const { n, stored, low, high } = sums;
  const from = n ? Math.max(low, stored / n - SPAN * deviation) : 0;
  const to = n ? Math.min(high, stored / n + SPAN * deviation) : 1;
  const histogram = emptyHistogram(from, to > from ? to : from + 1, BINS);
  for (const part of parts) {
    addToHistogram(histogram, part);
  }
  return histogram;
}

/**
 * Mean, deviation, looks and histogram of the cells of a field; NaN cells are left out, and without
 * any the figures are NaN. Means of decibels are means of power, told in decibels. Looks are mean
 * square over variance of power; null for what is no power, and where nothing varies.
 */
export function fieldFigures(
  parts: readonly Float32Array[],
  { role, unit }: BandInfo,
): Omit<FieldResult, "sampled"> {
  const isDecibel = role === "decibel";
  const sums = sumsOf(parts, isDecibel);
  const { n } = sums;
  const mean = sums.power / n;
  const variance = Math.max(0, sums.powerSquares / n - mean * mean);
  const storedMean = sums.stored / n;
  const spread = Math.sqrt(Math.max(0, sums.storedSquares / n - storedMean ** 2));
  const hasLooks = n > 1 && variance > 0 && (isDecibel || role === "power");
  return {
    cells: n,
    mean: isDecibel ? 10 * Math.log10(mean) : mean,
    deviation: isDecibel ? spread : Math.sqrt(variance),
    looks: hasLooks ? (mean * mean) / variance : null,
    unit,
    histogram: histogramOf(parts, sums, spread),
  };
}
