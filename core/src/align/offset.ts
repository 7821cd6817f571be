import { Matrix, SingularValueDecomposition } from "ml-matrix";
import { CancelledError, InputError } from "../errors";
import { type Grid, levelCount, levelGrid, toMap } from "../grid/grid";
import { Correlator, type WindowShift } from "./correlate";
import type { Path } from "./mapping";

export const OFFSET_MODELS = ["shift", "affine"] as const;
export type OffsetModel = (typeof OFFSET_MODELS)[number];

/**
 * One window: where its middle lies in the reference (cells from the outer corner), and how far the
 * other date lies off there.
 */
export interface OffsetMatch extends WindowShift {
  col: number;
  row: number;
}
/**
 * A fit over windows: dCol and dRow as terms of 1, col, row (the last two 0 for a shift), which
 * windows it rests on, and how far off they lie, cells.
 */
export interface OffsetFit {
  model: OffsetModel;
  dCol: [number, number, number];
  dRow: [number, number, number];
  kept: boolean[];
  rmseCells: number;
  keptCount: number;
}

const NEEDS: Record<OffsetModel, number> = { shift: 1, affine: 3 };
const TRIES = 600;
/**
 * Windows may lie off by so many cells whatever the spread of the others: what a single window is
 * good for.
 */
const FLOOR_CELLS = 0.08;
/**
 * A window further off than this does not agree, however far the others scatter: else answers by
 * chance would.
 */
const FAR_CELLS = 1;

/**
 * Robust fit of a shift or an affine change of place: least median of squares over random subsets
 * (Rousseeuw 1984), then least squares over the windows within
 * 2.5 robust deviations (one cell at the most, or `farCells`), laid again until they stay the same.
 * The start is fixed, so that the same windows give the same fit. Null where there are too few.
 */
export function fitOffsets(
  matches: readonly Pick<OffsetMatch, "col" | "row" | "dCol" | "dRow">[],
  model: OffsetModel,
  farCells = FAR_CELLS,
): OffsetFit | null {
  const n = matches.length;
  const need = NEEDS[model];
  if (n < Math.max(4, 2 * need)) {
    return null;
  }
  let seed = 88172645;
  const random = () => {
    seed ^= seed << 13;
    seed ^= seed >>> 17;
    seed ^= seed << 5;
    return (seed >>> 0) / 4294967296;
  };
  let best: { dCol: Terms; dRow: Terms } | null = null;
  let least = Infinity;
  for (let k = 0; k < TRIES; k++) {
    const some = Array.from({ length: need }, () => matches[Math.floor(random() * n)]!);
    const ownFit = plane(some, model);
    if (!ownFit) {
      continue;
    }
    const r = matches.map((match) => squared(ownFit, match)).sort((a, b) => a - b);
    const median = r[n >> 1]!;
    if (median < least) {
      least = median;
      best = ownFit;
    }
  }
  if (!best) {
    return null;
  }
  const sigma = 1.4826 * (1 + 5 / Math.max(1, n - need)) * Math.sqrt(least / 2);
  const within = Math.min(farCells, Math.max(FLOOR_CELLS, 2.5 * sigma)) ** 2 * 2;
  let kept = matches.map((match) => squared(best, match) <= within);
  let current = best;
  for (let k = 0; k < 10; k++) {
    const next = plane(
      matches.filter((_m, i) => kept[i]),
      model,
    );
    if (!next) {
      return null;
    }
    current = next;
    const again = matches.map((match) => squared(current, match) <= within);
    if (again.every((value, i) => value === kept[i])) {
      break;
    }
    kept = again;
  }
  const inside = matches.filter((_m, i) => kept[i]);
  if (inside.length < Math.max(4, 2 * need)) {
    return null;
  }
  return {
    model,
    ...current,
    kept,
    keptCount: inside.length,
    rmseCells: Math.sqrt(inside.reduce((s, m) => s + squared(current, m), 0) / inside.length),
  };
}
type Terms = [number, number, number];
const at = (t: Terms, m: { col: number; row: number }): number =>
  t[0] + t[1] * m.col + t[2] * m.row;
const squared = (
  eachFit: { dCol: Terms; dRow: Terms },
  m: { col: number; row: number; dCol: number; dRow: number },
): number => (m.dCol - at(eachFit.dCol, m)) ** 2 + (m.dRow - at(eachFit.dRow, m)) ** 2;
function plane(
  m: readonly { col: number; row: number; dCol: number; dRow: number }[],
  model: OffsetModel,
): { dCol: Terms; dRow: Terms } | null {
  if (m.length === 0) {
    return null;
  }
  const mean = (fraction: (x: (typeof m)[0]) => number) =>
    m.reduce((s, x) => s + fraction(x), 0) / m.length;
  if (model === "shift") {
    return { dCol: [mean((x) => x.dCol), 0, 0], dRow: [mean((x) => x.dRow), 0, 0] };
  }
  const cx = mean((x) => x.col);
  const cy = mean((x) => x.row);
  const scale = Math.sqrt(mean((x) => (x.col - cx) ** 2 + (x.row - cy) ** 2)) || 1;
  const svd = new SingularValueDecomposition(
    new Matrix(m.map((x) => [1, (x.col - cx) / scale, (x.row - cy) / scale])),
    { autoTranspose: true },
  );
  if (m.length < 3 || svd.condition > 1e5) {
    return null;
  }
  const matrix = svd.solve(new Matrix(m.map((x) => [x.dCol, x.dRow])));
  const of = (k: number): Terms => {
    const [a, b, c] = matrix.getColumn(k) as Terms;
    return [a - (b * cx + c * cy) / scale, b / scale, c / scale];
  };
  return { dCol: of(0), dRow: of(1) };
}

/**
 * The offset as a path from the reference's map to where the other date shows the same place, both
 * on one grid.
 */
export function offsetPath(offsetFit: OffsetFit, grid: Grid): Path {
  const mid: [number, number] = [grid.width / 2, grid.height / 2];
  const scale = Math.max(grid.width, grid.height) / 2;
  const [x0, y0] = toMap(grid, ...mid);
  const [ax, bx] = along(offsetFit.dCol);
  const [ay, by] = along(offsetFit.dRow);
  const transform = grid.transform;
  /**
   * Value at the middle, and slopes by scaled map coordinates (u = (x − x0)/s, with s = scale cells
   * east).
   */
  function along(terms: Terms): [number, [number, number]] {
    return [terms[0] + terms[1] * mid[0] + terms[2] * mid[1], [terms[1], terms[2]]];
  }
  const det = transform[1] * transform[5] - transform[2] * transform[4];
  const s = scale * Math.hypot(transform[1], transform[4]);
  const perX = (b: [number, number]) => (b[0] * transform[5] - b[1] * transform[4]) / det;
  const perY = (b: [number, number]) => (b[1] * transform[1] - b[0] * transform[2]) / det;
  // Cells off, turned into map units by the grid's own axes.
  const mapX = (c: number, r: number) => c * transform[1] + r * transform[2];
  const mapY = (c: number, r: number) => c * transform[4] + r * transform[5];
  return {
    kind: "polynomial",
    order: 1,
    centre: [x0, y0],
    scale: s,
    x: [x0 + mapX(ax, ay), s * (1 + mapX(perX(bx), perX(by))), s * mapX(perY(bx), perY(by))],
    y: [y0 + mapY(ax, ay), s * mapY(perX(bx), perX(by)), s * (1 + mapY(perY(bx), perY(by)))],
  };
}

/** Reads one band of either date: whole windows of the grid at a level, NaN outside. */
export interface OffsetReader {
  read(
    which: "reference" | "other",
    level: number,
    window: { col: number; row: number; width: number; height: number },
  ): Promise<Float32Array>;
}
export interface OffsetOptions {
  model: OffsetModel;
  windowCells?: 32 | 64 | 128;
  /** Windows at full resolution, at the most. */ mostWindows?: number;
  signal?: AbortSignal;
  onProgress?(share: number): void;
}
export interface OffsetResult {
  matches: OffsetMatch[];
  fit: OffsetFit;
  tried: number;
}

/**
 * A window counts where its peak stands out like this from the next one, and what it shows is
 * alike.
 */
const LEAST_RATIO = 1.8;
const LEAST_SIMILARITY = 0.15;
/** Of the windows that give an answer, so many must agree. */
const LEAST_AGREE = 0.4;
/** Overview on which the search begins: so many cells a side at the most. */
const COARSE_CELLS = 700;

/**
 * Measures how one date lies off another, at sub-cell level, from many small windows: first on an
 * overview, where large shifts are small, then at full
 * resolution around what was found there. Windows that are empty, even, or whose answer is not
 * clear are left out.
 * @param grid of both dates; @throws InputError when there is not enough texture in common for an
 * honest answer
 */
export async function measureOffset(
  reader: OffsetReader,
  grid: Grid,
  offsetOptions: OffsetOptions,
): Promise<OffsetResult> {
  const size = offsetOptions.windowCells ?? 64;
  const most = offsetOptions.mostWindows ?? 300;
  const correlator = new Correlator(size);
  const levels = levelCount(grid.width, grid.height);
  let top = 0;
  while (
    top < levels - 1 &&
    Math.max(levelGrid(grid, top).width, levelGrid(grid, top).height) > COARSE_CELLS
  ) {
    top++;
  }
  let prior: OffsetFit | null = null;
  const passes = top > 0 ? [top, 0, 0] : [0, 0];
  for (const [k, level] of passes.entries()) {
    const scale = 2 ** level;
    const coarse = levelGrid(grid, level);
    const places = windowPlaces(coarse.width, coarse.height, size, most);
    const found: OffsetMatch[] = [];
    for (const [j, [col, row]] of places.entries()) {
      if (offsetOptions.signal?.aborted) {
        throw new CancelledError();
      }
      const mid = { col: (col + size / 2) * scale, row: (row + size / 2) * scale };
      const dc: number = prior ? Math.round(at(prior.dCol, mid) / scale) : 0;
      const dr: number = prior ? Math.round(at(prior.dRow, mid) / scale) : 0;
      const [a, b] = await Promise.all([
        reader.read("reference", level, { col, row, width: size, height: size }),
        reader.read("other", level, { col: col + dc, row: row + dr, width: size, height: size }),
      ]);
      const windowShift = correlator.shift(a, b);
      if (
        windowShift &&
        windowShift.ratio >= LEAST_RATIO &&
        windowShift.similarity >= LEAST_SIMILARITY
      ) {
        found.push({
          ...windowShift,
          ...mid,
          dCol: (windowShift.dCol + dc) * scale,
          dRow: (windowShift.dRow + dr) * scale,
        });
      }
      offsetOptions.onProgress?.((k + (j + 1) / places.length) / passes.length);
    }
    const last = k === passes.length - 1;
    const agree = (offsetFit: OffsetFit | null) =>
      offsetFit && offsetFit.keptCount >= LEAST_AGREE * found.length ? offsetFit : null;
    const fit =
      agree(fitOffsets(found, last ? offsetOptions.model : "affine", FAR_CELLS * scale)) ??
      (last ? null : agree(fitOffsets(found, "shift", 2 * FAR_CELLS * scale)));
    if (!fit) {
      if (!last && k > 0) {
        continue;
      }
      throw new InputError(
        `There is not enough texture that both dates share: of ${places.length} windows ${found.length === 0 ? "none gives" : `${found.length} give`} an answer${found.length ? ", and too few of them agree" : ""}`,
        "windows",
        "Take another band, or mark control points.",
      );
    }
    if (last) {
      return { matches: found, fit, tried: places.length };
    }
    prior = fit;
  }
  throw new InputError("The image is smaller than one window", "windows", "Mark control points.");
}

/** First cells of windows spread evenly over a grid, whole ones only, at most so many. */
export function windowPlaces(
  width: number,
  height: number,
  size: number,
  most: number,
): [number, number][] {
  if (width < size || height < size) {
    return [];
  }
  const step = Math.max(size / 2, Math.sqrt((width * height) / most));
  const nx = Math.max(1, Math.floor((width - size) / step) + 1);
  const ny = Math.max(1, Math.floor((height - size) / step) + 1);
  const out: [number, number][] = [];
  for (let j = 0; j < ny; j++) {
    for (let i = 0; i < nx; i++) {
      out.push([
        nx > 1 ? Math.round((i * (width - size)) / (nx - 1)) : (width - size) >> 1,
        ny > 1 ? Math.round((j * (height - size)) / (ny - 1)) : (height - size) >> 1,
      ]);
    }
  }
  return out;
}
