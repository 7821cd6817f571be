import { type Mixture, type Sample, fitMixture, fitOne } from "./mixture";
import type { ClassSample } from "./samples";

/** How the classes of a map look, as the map itself has them. */
export interface Appearance {
  /** Labels of the map, no class among them, in ascending order. */
  labels: number[];
  /** Share of the map that each class has. */
  shares: number[];
  /** By class; null where no cell of it has all its values. */
  mixtures: (Mixture | null)[];
  /** All cells together, each class by its share. */
  whole: Mixture;
  /** Places of the values that are looked at: one that follows from those before it adds nothing. */
  used: number[];
  /** Mean and spread of each of them over the map. */
  middle: Float64Array;
  spread: Float64Array;
}

/** A value whose spread, but for what follows from those before it, is less than this share of it. */
const FOLLOWS = 1e-4;
/** A variance below this share of the square of the mean is rounding. */
const ROUNDING = 1e-12;
/** Cells that stand for the whole map. */
const WHOLE_CELLS = 6000;

/** Cells of all classes, each class by its share of the map. */
function wholeOf(samples: readonly ClassSample[], size: number): Float64Array {
  const total = samples.reduce((sum, { seen }) => sum + seen, 0);
  const parts = samples.map(({ seen, values }) => {
    const cells = values.length / size;
    const wanted = Math.min(cells, Math.ceil((WHOLE_CELLS * seen) / total));
    return values.subarray(0, wanted * size);
  });
  const all = new Float64Array(parts.reduce((sum, part) => sum + part.length, 0));
  parts.reduce((at, part) => {
    all.set(part, at);
    return at + part.length;
  }, 0);
  return all;
}

function momentsOf(values: Float64Array, size: number) {
  const cells = values.length / size;
  const middle = new Float64Array(size);
  values.forEach((value, k) => {
    middle[k % size]! += value / cells;
  });
  const products = new Float64Array(size * size);
  for (let i = 0; i < cells; i++) {
    for (let a = 0; a < size; a++) {
      const off = values[i * size + a]! - middle[a]!;
      for (let b = 0; b <= a; b++) {
        products[a * size + b]! += (off * (values[i * size + b]! - middle[b]!)) / cells;
      }
    }
  }
  return { middle, products };
}

/**
 * Values that do not follow from those before them, as a difference follows from what it is taken of: by
 * what Cholesky's factor of their covariance leaves of each.
 */
function independent(middle: Float64Array, products: Float64Array): number[] {
  const size = middle.length;
  const used: number[] = [];
  const rows: number[][] = [];
  for (let a = 0; a < size; a++) {
    const row: number[] = [];
    used.forEach((b, k) => {
      const dot = row.reduce((sum, value, j) => sum + value * rows[k]![j]!, 0);
      row.push((products[a * size + b]! - dot) / rows[k]![k]!);
    });
    const own = products[a * size + a]!;
    const left = own - row.reduce((sum, value) => sum + value * value, 0);
    if (own > ROUNDING * middle[a]! ** 2 && left > FOLLOWS * own) {
      rows.push([...row, Math.sqrt(left)]);
      used.push(a);
    }
  }
  return used;
}

function standardised(
  values: Float64Array,
  size: number,
  { used, middle, spread }: Pick<Appearance, "used" | "middle" | "spread">,
): Sample {
  const cells = values.length / size;
  const out = new Float64Array(cells * used.length);
  for (let i = 0; i < cells; i++) {
    used.forEach((b, k) => {
      out[i * used.length + k] = (values[i * size + b]! - middle[k]!) / spread[k]!;
    });
  }
  return { values: out, size: used.length };
}

/**
 * How the classes of a map look: each a mixture of a few normal distributions of its own cells, as the
 * minimum error threshold takes each side of a histogram for one (Kittler & Illingworth 1986).
 * @param size values a cell
 * @returns null where no cell has all its values, or none of them differs from cell to cell
 */
export function appearanceOf(samples: readonly ClassSample[], size: number): Appearance | null {
  const total = samples.reduce((sum, { seen }) => sum + seen, 0);
  const all = total > 0 ? wholeOf(samples, size) : new Float64Array(0);
  if (all.length === 0) {
    return null;
  }
  const { middle, products } = momentsOf(all, size);
  const used = independent(middle, products);
  if (used.length === 0) {
    return null;
  }
  const scale = {
    used,
    middle: Float64Array.from(used, (b) => middle[b]!),
    spread: Float64Array.from(used, (b) => Math.sqrt(products[b * size + b]!)),
  };
  return {
    ...scale,
    labels: samples.map(({ label }) => label),
    shares: samples.map(({ seen }) => seen / total),
    mixtures: samples.map(({ values }) =>
      values.length > 0 ? fitMixture(standardised(values, size, scale)) : null,
    ),
    whole: fitOne(standardised(all, size, scale)),
  };
}
