/** Figures of texture: of the values around a cell, or of how grey levels lie beside each other. */
export const TEXTURES = [
  "mean",
  "deviation",
  "contrast",
  "homogeneity",
  "energy",
  "entropy",
  "correlation",
] as const;
/** One of those. */
export type Texture = (typeof TEXTURES)[number];

/** Whether a figure is one of neighbouring grey levels. */
export const isCooccurrence = (texture: Texture): boolean =>
  texture !== "mean" && texture !== "deviation";

/** Grey levels that values are put into for co-occurrence. */
export const GREY_LEVELS = 16;

/** Stands for a cell without a value. */
const NO_LEVEL = 255;

/**
 * Mean or deviation (of the whole window, not of a sample) of the values in a window around each
 * cell. Sums are taken in one order for each cell, so that no cell depends on its block.
 * @param src (width + 2h) × (height + 2h) cells, h half the window; NaN: nodata, left out
 * @param out width × height; nodata where the cell itself is
 */
export function localFigure(
  src: Float32Array,
  { width, height, windowCells }: { width: number; height: number; windowCells: number },
  texture: "mean" | "deviation",
  out: Float32Array,
): void {
  const half = (windowCells - 1) / 2;
  const wide = width + 2 * half;
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const own = src[(r + half) * wide + c + half]!;
      let [count, sum, squares] = [0, 0, 0];
      for (let y = r; y < r + windowCells && own === own; y++) {
        for (let k = y * wide + c, end = k + windowCells; k < end; k++) {
          const value = src[k]! - own;
          if (value === value) {
            count++;
            sum += value;
            squares += value * value;
          }
        }
      }
      const mean = sum / count;
      const spread = Math.sqrt(Math.max(0, squares / count - mean * mean));
      out[r * width + c] = texture === "mean" ? own + mean : spread;
    }
  }
}

/** Values as grey levels between two ends; beyond them the outermost. */
export function greyLevels(src: Float32Array, lo: number, hi: number): Uint8Array {
  const scale = hi > lo ? GREY_LEVELS / (hi - lo) : 0;
  return Uint8Array.from(src, (value) =>
    Number.isNaN(value)
      ? NO_LEVEL
      : Math.max(0, Math.min(GREY_LEVELS - 1, Math.floor((value - lo) * scale))),
  );
}

/** Pairs of neighbouring grey levels of a window, in all four directions, each counted both ways. */
class Pairs {
  private readonly counts = new Int32Array(GREY_LEVELS * GREY_LEVELS);
  private total = 0;
  private squares = 0;
  /** Sums over pairs of a level, its square, and the product of both. */
  private level = 0;
  private levelSquared = 0;
  private product = 0;
  /** By how far both levels are apart. */
  private readonly apart = new Int32Array(GREY_LEVELS);

  clear(): void {
    this.counts.fill(0);
    this.apart.fill(0);
    [this.total, this.squares] = [0, 0];
    [this.level, this.levelSquared, this.product] = [0, 0, 0];
  }

  /** @param times 1 to add, −1 to take away */
  put(a: number, b: number, times: 1 | -1): void {
    if (a === NO_LEVEL || b === NO_LEVEL) {
      return;
    }
    this.one(a, b, times);
    this.one(b, a, times);
    this.apart[Math.abs(a - b)]! += 2 * times;
    this.total += 2 * times;
    this.level += (a + b) * times;
    this.levelSquared += (a * a + b * b) * times;
    this.product += 2 * a * b * times;
  }

  private one(a: number, b: number, times: 1 | -1): void {
    const at = a * GREY_LEVELS + b;
    const old = this.counts[at]!;
    this.counts[at] = old + times;
    this.squares += 2 * old * times + 1;
  }

  /** A figure of the shares of pairs; NaN where there is none. Source: Haralick et al. 1973. */
  figure(texture: Texture): number {
    if (this.total === 0) {
      return NaN;
    }
    switch (texture) {
      case "contrast":
        return this.sumApart((apart) => apart * apart);
      case "homogeneity":
        return this.sumApart((apart) => 1 / (1 + apart * apart));
      case "energy":
        return this.squares / this.total ** 2;
      case "entropy":
        return this.entropy();
      default:
        return this.correlation();
    }
  }

  private sumApart(weight: (apart: number) => number): number {
    let sum = 0;
    for (let apart = 0; apart < GREY_LEVELS; apart++) {
      sum += this.apart[apart]! * weight(apart);
    }
    return sum / this.total;
  }

  private entropy(): number {
    let sum = 0;
    for (const count of this.counts) {
      if (count > 0) {
        const share = count / this.total;
        sum -= share * Math.log(share);
      }
    }
    return sum;
  }

  /** One level alone is taken to agree with itself: 1. */
  private correlation(): number {
    const mean = this.level / this.total;
    const variance = this.levelSquared / this.total - mean * mean;
    return variance > 1e-12 ? (this.product / this.total - mean * mean) / variance : 1;
  }
}

/** Adds or takes away all pairs of a column of a window with itself and with the column beside it. */
function putColumn(
  pairs: Pairs,
  levels: Uint8Array,
  at: { top: number; col: number; beside: number | null; rows: number; wide: number },
  times: 1 | -1,
): void {
  const { top, col, beside, rows, wide } = at;
  for (let y = 0; y < rows; y++) {
    const row = (top + y) * wide;
    const own = levels[row + col]!;
    if (y + 1 < rows) {
      pairs.put(own, levels[row + wide + col]!, times);
    }
    if (beside !== null) {
      pairs.put(own, levels[row + beside]!, times);
      if (y > 0) {
        pairs.put(own, levels[row - wide + beside]!, times);
      }
      if (y + 1 < rows) {
        pairs.put(own, levels[row + wide + beside]!, times);
      }
    }
  }
}

/**
 * A figure of neighbouring grey levels in a window around each cell: pairs one cell apart, along,
 * down and both ways aslant, together. Counts are whole numbers, so that no cell depends on its
 * block. Source: Haralick, Shanmugam & Dinstein 1973, "Textural features for image classification".
 * @param levels (width + 2h) × (height + 2h) cells, h half the window, as `greyLevels` gives them
 * @param out width × height; nodata where the cell itself is
 */
export function cooccurrence(
  levels: Uint8Array,
  { width, height, windowCells }: { width: number; height: number; windowCells: number },
  texture: Texture,
  out: Float32Array,
): void {
  const half = (windowCells - 1) / 2;
  const wide = width + 2 * half;
  const pairs = new Pairs();
  for (let r = 0; r < height; r++) {
    const at = { top: r, rows: windowCells, wide };
    pairs.clear();
    for (let col = 0; col < windowCells; col++) {
      putColumn(pairs, levels, { ...at, col, beside: col > 0 ? col - 1 : null }, 1);
    }
    for (let c = 0; c < width; c++) {
      if (c > 0) {
        putColumn(pairs, levels, { ...at, col: c - 1, beside: c }, -1);
        const right = c + windowCells - 1;
        putColumn(pairs, levels, { ...at, col: right, beside: right - 1 }, 1);
      }
      const isThere = levels[(r + half) * wide + c + half] !== NO_LEVEL;
      out[r * width + c] = isThere ? pairs.figure(texture) : NaN;
    }
  }
}
