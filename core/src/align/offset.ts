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
const SETTLE_TRIES = 10;
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

type Terms = [number, number, number];
type Place = Pick<OffsetMatch, "col" | "row">;
type Placed = Pick<OffsetMatch, "col" | "row" | "dCol" | "dRow">;
/** Offsets of columns and rows as terms of 1, col, row. */
type Plane = Pick<OffsetFit, "dCol" | "dRow">;

const at = (t: Terms, { col, row }: Place): number => t[0] + t[1] * col + t[2] * row;
/** Square of the distance of a window from a fit, cells². */
const squared = ({ dCol, dRow }: Plane, match: Placed): number =>
  (match.dCol - at(dCol, match)) ** 2 + (match.dRow - at(dRow, match)) ** 2;

/** Windows that a fit rests on at least. */
const leastMatches = (model: OffsetModel): number => Math.max(4, 2 * NEEDS[model]);

/** Numbers from 0 to 1 that look random and are the same every time (xorshift; Marsaglia 2003). */
function fixedRandom(): () => number {
  let seed = 88172645;
  return () => {
    seed ^= seed << 13;
    seed ^= seed >>> 17;
    seed ^= seed << 5;
    return (seed >>> 0) / 4294967296;
  };
}

/** The fit through a few windows that leaves the least median of squares, over random choices. */
function leastMedian(
  matches: readonly Placed[],
  model: OffsetModel,
): { fit: Plane; median: number } | null {
  const random = fixedRandom();
  let best: { fit: Plane; median: number } | null = null;
  for (let k = 0; k < TRIES; k++) {
    const some = Array.from(
      { length: NEEDS[model] },
      () => matches[Math.floor(random() * matches.length)]!,
    );
    const fit = plane(some, model);
    if (!fit) {
      continue;
    }
    const squares = matches.map((match) => squared(fit, match)).sort((a, b) => a - b);
    const median = squares[matches.length >> 1]!;
    if (!best || median < best.median) {
      best = { fit, median };
    }
  }
  return best;
}

/** Least squares over the windows near a fit, laid again until they stay the same; null without any. */
function settle(
  matches: readonly Placed[],
  model: OffsetModel,
  start: Plane,
  within: number,
): { fit: Plane; kept: boolean[] } | null {
  let fit = start;
  let kept = matches.map((match) => squared(fit, match) <= within);
  for (let k = 0; k < SETTLE_TRIES; k++) {
    const next = plane(
      matches.filter((_match, i) => kept[i]),
      model,
    );
    if (!next) {
      return null;
    }
    fit = next;
    const again = matches.map((match) => squared(next, match) <= within);
    if (again.every((value, i) => value === kept[i])) {
      break;
    }
    kept = again;
  }
  return { fit, kept };
}

/**
 * Robust fit of a shift or an affine change of place: least median of squares over random subsets
 * (Rousseeuw 1984), then least squares over the windows within 2.5 robust deviations (one cell at
 * the most, or `farCells`), laid again until they stay the same. The start is fixed, so that the
 * same windows give the same fit. Null where there are too few.
 */
export function fitOffsets(
  matches: readonly Placed[],
  model: OffsetModel,
  farCells = FAR_CELLS,
): OffsetFit | null {
  if (matches.length < leastMatches(model)) {
    return null;
  }
  const best = leastMedian(matches, model);
  if (!best) {
    return null;
  }
  const small = 1 + 5 / Math.max(1, matches.length - NEEDS[model]);
  const sigma = 1.4826 * small * Math.sqrt(best.median / 2);
  const within = Math.min(farCells, Math.max(FLOOR_CELLS, 2.5 * sigma)) ** 2 * 2;
  const settled = settle(matches, model, best.fit, within);
  if (!settled) {
    return null;
  }
  const { fit, kept } = settled;
  const inside = matches.filter((_match, i) => kept[i]);
  if (inside.length < leastMatches(model)) {
    return null;
  }
  const squares = inside.reduce((sum, match) => sum + squared(fit, match), 0);
  return {
    model,
    ...fit,
    kept,
    keptCount: inside.length,
    rmseCells: Math.sqrt(squares / inside.length),
  };
}

/** Least squares of a model over windows; null where they do not determine it. */
function plane(matches: readonly Placed[], model: OffsetModel): Plane | null {
  if (matches.length === 0) {
    return null;
  }
  const mean = (of: (match: Placed) => number) =>
    matches.reduce((sum, match) => sum + of(match), 0) / matches.length;
  if (model === "shift") {
    return { dCol: [mean(({ dCol }) => dCol), 0, 0], dRow: [mean(({ dRow }) => dRow), 0, 0] };
  }
  const cx = mean(({ col }) => col);
  const cy = mean(({ row }) => row);
  const scale = Math.sqrt(mean(({ col, row }) => (col - cx) ** 2 + (row - cy) ** 2)) || 1;
  const svd = new SingularValueDecomposition(
    new Matrix(matches.map(({ col, row }) => [1, (col - cx) / scale, (row - cy) / scale])),
    { autoTranspose: true },
  );
  if (matches.length < 3 || svd.condition > 1e5) {
    return null;
  }
  const terms = svd.solve(new Matrix(matches.map(({ dCol, dRow }) => [dCol, dRow])));
  const of = (k: number): Terms => {
    const a = terms.get(0, k);
    const b = terms.get(1, k);
    const c = terms.get(2, k);
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
  /** Windows at full resolution, at the most. */
  mostWindows?: number;
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

/** The overview on which the search begins: the first that is no larger than some cells. */
function coarseLevel(grid: Grid): number {
  const last = levelCount(grid.width, grid.height) - 1;
  for (let level = 0; level < last; level++) {
    const { width, height } = levelGrid(grid, level);
    if (Math.max(width, height) <= COARSE_CELLS) {
      return level;
    }
  }
  return last;
}

/** One look over all windows at a level. */
interface Pass {
  level: number;
  /** What an earlier look found; windows of the other date are taken there. */
  prior: OffsetFit | null;
  onProgress(share: number): void;
}

/** Looks at windows of both dates, one after another. */
class Measurer {
  private readonly correlator: Correlator;
  private readonly size: number;
  private readonly most: number;
  constructor(
    private readonly reader: OffsetReader,
    private readonly grid: Grid,
    private readonly options: OffsetOptions,
  ) {
    this.size = options.windowCells ?? 64;
    this.most = options.mostWindows ?? 300;
    this.correlator = new Correlator(this.size);
  }

  /** Windows of a level whose answers are clear, of so many. @throws CancelledError */
  async look({ level, prior, onProgress }: Pass): Promise<{ found: OffsetMatch[]; of: number }> {
    const { width, height } = levelGrid(this.grid, level);
    const places = windowPlaces(width, height, this.size, this.most);
    const found: OffsetMatch[] = [];
    for (const [j, place] of places.entries()) {
      if (this.options.signal?.aborted) {
        throw new CancelledError();
      }
      const match = await this.match(place, level, prior);
      if (match) {
        found.push(match);
      }
      onProgress((j + 1) / places.length);
    }
    return { found, of: places.length };
  }

  /** How a window lies off, cells of the grid; null where its answer is not clear. */
  private async match(
    [col, row]: [number, number],
    level: number,
    prior: OffsetFit | null,
  ): Promise<OffsetMatch | null> {
    const { size, reader } = this;
    const scale = 2 ** level;
    const middle = { col: (col + size / 2) * scale, row: (row + size / 2) * scale };
    const dc = prior ? Math.round(at(prior.dCol, middle) / scale) : 0;
    const dr = prior ? Math.round(at(prior.dRow, middle) / scale) : 0;
    const window = { col, row, width: size, height: size };
    const [reference, other] = await Promise.all([
      reader.read("reference", level, window),
      reader.read("other", level, { ...window, col: col + dc, row: row + dr }),
    ]);
    const shift = this.correlator.shift(reference, other);
    if (!shift || shift.ratio < LEAST_RATIO || shift.similarity < LEAST_SIMILARITY) {
      return null;
    }
    return {
      ...shift,
      ...middle,
      dCol: (shift.dCol + dc) * scale,
      dRow: (shift.dRow + dr) * scale,
    };
  }
}

/** A fit that enough of the windows agree on; on the way a shift where there is no affine one. */
function agreed(
  found: readonly OffsetMatch[],
  model: OffsetModel,
  scale: number,
  isLast: boolean,
): OffsetFit | null {
  const enough = (fit: OffsetFit | null) =>
    fit && fit.keptCount >= LEAST_AGREE * found.length ? fit : null;
  const fit = enough(fitOffsets(found, isLast ? model : "affine", FAR_CELLS * scale));
  return fit ?? (isLast ? null : enough(fitOffsets(found, "shift", 2 * FAR_CELLS * scale)));
}

function tooLittleTexture(found: number, of: number): InputError {
  const answers =
    found === 0 ? "none gives an answer" : `${found} give an answer, and too few of them agree`;
  return new InputError(
    `There is not enough texture that both dates share: of ${of} windows ${answers}`,
    "windows",
    "Take another band, or mark control points.",
  );
}

/**
 * Measures how one date lies off another, at sub-cell level, from many small windows: first on an
 * overview, where large shifts are small, then at full resolution around what was found there.
 * Windows that are empty, even, or whose answer is not clear are left out.
 * @param grid of both dates
 * @throws InputError when there is not enough texture in common for an honest answer
 */
export async function measureOffset(
  reader: OffsetReader,
  grid: Grid,
  options: OffsetOptions,
): Promise<OffsetResult> {
  const measurer = new Measurer(reader, grid, options);
  const top = coarseLevel(grid);
  const levels = top > 0 ? [top, 0, 0] : [0, 0];
  let prior: OffsetFit | null = null;
  for (const [k, level] of levels.entries()) {
    const onProgress = (share: number) => options.onProgress?.((k + share) / levels.length);
    const { found, of } = await measurer.look({ level, prior, onProgress });
    const isLast = k === levels.length - 1;
    const fit = agreed(found, options.model, 2 ** level, isLast);
    if (fit && isLast) {
      return { matches: found, fit, tried: of };
    }
    // The look in the middle only refines what the overview gave.
    if (!fit && (isLast || k === 0)) {
      throw tooLittleTexture(found.length, of);
    }
    prior = fit ?? prior;
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
