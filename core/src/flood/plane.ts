import { randomFrom } from "../classify/random";

/** A height that depends linearly on the place. */
export interface FittedPlane {
  /** At the place from which places are counted. */
  height: number;
  /** Rise along columns and rows, per cell. */
  slope: [number, number];
  /** How far heights lie off, metres: 1.4826 times the median. */
  spread: number;
  /** Share of the heights that it rests on. */
  share: number;
}

/** Heights by place, counted from where the plane is asked for. */
export interface Heights {
  col: Float64Array;
  row: Float64Array;
  height: Float64Array;
}

const TRIES = 120;
/** Deviations beyond so many spreads do not count. */
const FARTHEST = 2.5;
/** Below it heights agree as well as they are known, metres. */
const LEAST_SPREAD = 0.01;

function medianOf(values: Float64Array): number {
  const sorted = values.slice().sort();
  const half = sorted.length >> 1;
  return sorted.length % 2 ? sorted[half]! : (sorted[half - 1]! + sorted[half]!) / 2;
}

type Plane = [height: number, along: number, down: number];

/** The plane through three heights; null where they lie on a line. */
function through({ col, row, height }: Heights, [a, b, c]: number[]): Plane | null {
  const [x1, y1] = [col[b!]! - col[a!]!, row[b!]! - row[a!]!];
  const [x2, y2] = [col[c!]! - col[a!]!, row[c!]! - row[a!]!];
  const determinant = x1 * y2 - x2 * y1;
  if (Math.abs(determinant) < 1) {
    return null;
  }
  const [z1, z2] = [height[b!]! - height[a!]!, height[c!]! - height[a!]!];
  const along = (z1 * y2 - z2 * y1) / determinant;
  const down = (x1 * z2 - x2 * z1) / determinant;
  return [height[a!]! - along * col[a!]! - down * row[a!]!, along, down];
}

function deviations({ col, row, height }: Heights, [z, along, down]: Plane): Float64Array {
  return height.map((value, i) => Math.abs(value - z - along * col[i]! - down * row[i]!));
}

/**
 * The plane that fits some heights best by least squares. Its slope is held back as far as the heights
 * leave it open: along a straight shore nothing says how the water falls across it.
 * @param usual rise per cell that is nothing out of the ordinary
 */
function leastSquares(
  { col, row, height }: Heights,
  used: readonly number[],
  spread: number,
  usual: number,
): Plane {
  const n = used.length;
  const mean = (of: Float64Array) => used.reduce((sum, i) => sum + of[i]!, 0) / n;
  const [x0, y0, z0] = [mean(col), mean(row), mean(height)];
  const held = (spread / usual) ** 2;
  let [xx, xy, yy, xz, yz] = [held, 0, held, 0, 0];
  for (const i of used) {
    const [x, y, z] = [col[i]! - x0, row[i]! - y0, height[i]! - z0];
    xx += x * x;
    xy += x * y;
    yy += y * y;
    xz += x * z;
    yz += y * z;
  }
  const determinant = xx * yy - xy * xy;
  const along = (xz * yy - yz * xy) / determinant;
  const down = (yz * xx - xz * xy) / determinant;
  return [z0 - along * x0 - down * y0, along, down];
}

/**
 * The plane that most of some heights lie on, whatever the others do: of planes through three of them the
 * one with the least median deviation (Rousseeuw 1984), then by least squares over those within 2.5
 * spreads of it. The same for the same heights. Heights on a line have their median.
 * @param steepest rise per cell beyond which a plane is none
 * @returns null where there are fewer than three
 */
export function robustPlane(heights: Heights, steepest: number): FittedPlane | null {
  const count = heights.height.length;
  if (count < 3) {
    return null;
  }
  const random = randomFrom(count);
  let best: { plane: Plane; median: number } | null = null;
  for (let k = 0; k < TRIES; k++) {
    const three = [0, 1, 2].map(() => Math.floor(random() * count));
    const plane = through(heights, three);
    if (plane && Math.hypot(plane[1], plane[2]) <= steepest) {
      const median = medianOf(deviations(heights, plane));
      best = best === null || median < best.median ? { plane, median } : best;
    }
  }
  if (!best) {
    const { height, spread } = robustLevel(heights.height);
    best = { plane: [height, 0, 0], median: spread / 1.4826 };
  }
  const spread = Math.max(LEAST_SPREAD, 1.4826 * best.median);
  const off = deviations(heights, best.plane);
  const used = [...off.keys()].filter((i) => off[i]! <= FARTHEST * spread);
  const [height, along, down] = leastSquares(heights, used, spread, steepest / 4);
  return { height, slope: [along, down], spread, share: used.length / count };
}

/** Median of heights, with 1.4826 times the median distance from it. */
export function robustLevel(height: Float64Array): { height: number; spread: number } {
  const middle = medianOf(height);
  const spread = 1.4826 * medianOf(height.map((value) => Math.abs(value - middle)));
  return { height: middle, spread: Math.max(LEAST_SPREAD, spread) };
}
