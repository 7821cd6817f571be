import { labelRuns } from "../../patches/label";
import { runEnd, runsOf } from "../../patches/runs";

/**
 * Layers of a window that a first map is decided on: radar in decibels of 3 x 3 means, degrees,
 * metres. NaN = nodata.
 */
export interface Sample {
  width: number;
  height: number;
  before: Float32Array;
  after: Float32Array;
  /** The other polarisation, where both dates have one. */
  crossBefore?: Float32Array;
  crossAfter?: Float32Array;
  elevation?: Float32Array;
  slope?: Float32Array;
  /** Height above drainage. */
  drainage?: Float32Array;
  /** Earlier dates, as the pair is prepared. */
  others?: Float32Array[];
}

/** Mean and deviation of what a body shows. */
export interface Figures {
  mean: number;
  deviation: number;
}

/** What the ground of a body is like: the mean, and where a fifth and four fifths of it lie. */
export interface Lie {
  mean: number;
  low: number;
  high: number;
}

/** A connected area: which sample it lies in, and its cells there. */
export interface Spot {
  sample: number;
  at: Uint32Array;
}

/** A connected area that looks alike, with what its cells show. */
export interface Body extends Spot {
  cells: number;
  before: Figures;
  after: Figures;
  slope: Lie | null;
  drainage: Lie | null;
  /**
   * Tilt of the plane through its heights in degrees, and deviation of the heights from it in
   * metres; null without elevation.
   */
  plane: { tiltDeg: number; residualM: number } | null;
  /** How far the ground around rises over its rim, metres, in the mean; null without elevation. */
  rimRiseM: number | null;
}

/** Cells beyond the rim of a body where the ground around is looked at. */
const BEYOND_RIM = 3;

/**
 * Spots of the marked cells of a sample, corners included.
 * @param marked 1 where a cell belongs to one; @param leastCells cells of the smallest
 */
export function spotsOf(
  { width, height }: { width: number; height: number },
  index: number,
  marked: Uint8Array,
  leastCells: number,
): Spot[] {
  const runs = runsOf(marked, width, height);
  const { patchOfRun, sizes } = labelRuns(runs, 8);
  const cells = new Map<number, Uint32Array>();
  const filled = new Map<number, number>();
  for (let row = 0; row < height; row++) {
    for (let k = runs.rows[row]!; k < runs.rows[row + 1]!; k++) {
      const patch = patchOfRun[k]!;
      if (runs.labels[k] !== 1 || sizes[patch]! < leastCells) {
        continue;
      }
      const own = cells.get(patch) ?? new Uint32Array(sizes[patch]!);
      cells.set(patch, own);
      let n = filled.get(patch) ?? 0;
      for (let col = runs.starts[k]!; col < runEnd(runs, k, row); col++) {
        own[n++] = row * width + col;
      }
      filled.set(patch, n);
    }
  }
  return [...cells.values()].map((at) => ({ sample: index, at }));
}

/** Bodies of the marked cells of a sample. */
export const bodiesOf = (
  sample: Sample,
  index: number,
  marked: Uint8Array,
  { leastCells, cellM }: { leastCells: number; cellM: number },
): Body[] =>
  spotsOf(sample, index, marked, leastCells).map(({ at }) => bodyOf(sample, index, at, cellM));

function bodyOf(sample: Sample, index: number, at: Uint32Array, cellM: number): Body {
  const { before, after, slope, drainage, elevation, width } = sample;
  return {
    sample: index,
    at,
    cells: at.length,
    before: figuresOf(at, before),
    after: figuresOf(at, after),
    slope: slope ? lieOf(at, slope) : null,
    drainage: drainage ? lieOf(at, drainage) : null,
    plane: elevation ? planeOf(at, elevation, width, cellM) : null,
    rimRiseM: elevation ? rimRise(at, elevation, width) : null,
  };
}

/** Mean rise of the ground some cells beyond the rim, to the four sides; null where none is seen. */
function rimRise(at: Uint32Array, z: Float32Array, width: number): number | null {
  const own = new Set(at);
  let sum = 0;
  let n = 0;
  for (const i of at) {
    const col = i % width;
    const sides = [
      { next: i - 1, beyond: i - BEYOND_RIM, isInside: col >= BEYOND_RIM },
      { next: i + 1, beyond: i + BEYOND_RIM, isInside: col + BEYOND_RIM < width },
      { next: i - width, beyond: i - BEYOND_RIM * width, isInside: true },
      { next: i + width, beyond: i + BEYOND_RIM * width, isInside: true },
    ];
    for (const { next, beyond, isInside } of sides) {
      const rise = isInside && !own.has(next) && !own.has(beyond) ? z[beyond]! - z[i]! : NaN;
      if (rise === rise) {
        sum += rise;
        n++;
      }
    }
  }
  return n > 0 ? sum / n : null;
}

/** Mean and deviation over cells; NaN is passed over. */
function figuresOf(at: Uint32Array, layer: Float32Array): Figures {
  let n = 0;
  let sum = 0;
  let squares = 0;
  for (const i of at) {
    const value = layer[i]!;
    if (value === value) {
      n++;
      sum += value;
      squares += value * value;
    }
  }
  const mean = sum / n;
  return { mean, deviation: Math.sqrt(Math.max(0, squares / n - mean * mean)) };
}

/** Mean and fifths over cells; NaN is passed over, and is what comes of none. */
function lieOf(at: Uint32Array, layer: Float32Array): Lie {
  const seen = Float64Array.from(at, (i) => layer[i]!)
    .filter((value) => value === value)
    .sort();
  const fifth = (k: number) => seen[Math.floor((k * (seen.length - 1)) / 5)] ?? NaN;
  const mean = seen.reduce((sum, value) => sum + value, 0) / seen.length;
  return { mean, low: fifth(1), high: fifth(4) };
}

/** Least-squares plane through the heights of cells; null where fewer than three have one. */
function planeOf(at: Uint32Array, z: Float32Array, width: number, cellM: number): Body["plane"] {
  const seen = at.filter((i) => z[i] === z[i]);
  if (seen.length < 3) {
    return null;
  }
  const mean = (value: (i: number) => number) =>
    seen.reduce((sum, i) => sum + value(i), 0) / seen.length;
  const column = (i: number) => i % width;
  const row = (i: number) => Math.floor(i / width);
  const [x0, y0, z0] = [mean(column), mean(row), mean((i) => z[i]!)];
  const product = (a: (i: number) => number, b: (i: number) => number) =>
    seen.reduce((sum, i) => sum + a(i) * b(i), 0);
  const x = (i: number) => column(i) - x0;
  const y = (i: number) => row(i) - y0;
  const h = (i: number) => z[i]! - z0;
  const [xx, xy, yy] = [product(x, x), product(x, y), product(y, y)];
  const [xz, yz, zz] = [product(x, h), product(y, h), product(h, h)];
  const determinant = xx * yy - xy * xy;
  const isPlane = determinant > 1e-9 * xx * yy;
  const a = isPlane ? (xz * yy - yz * xy) / determinant : 0;
  const b = isPlane ? (yz * xx - xz * xy) / determinant : 0;
  return {
    tiltDeg: (Math.atan(Math.hypot(a, b) / cellM) * 180) / Math.PI,
    residualM: Math.sqrt(Math.max(0, zz - a * xz - b * yz) / seen.length),
  };
}
