import {
  type Histogram,
  addToHistogram,
  binCentre,
  emptyHistogram,
  histogramTotal,
  momentsOf,
} from "../raster/histogram";
import { minimumError } from "./minimumError";

/**
 * Ashman's D of the two sides of a threshold: how far their means lie apart beside their spreads;
 * over 2 they are two heaps. NaN where a side is empty. Source: Ashman, Bird & Zepf 1994.
 */
export function ashmanD(histogram: Histogram, at: number): { d: number; share: number } {
  const part = (from: (x: number) => boolean) => {
    let n = 0;
    let s = 0;
    let squares = 0;
    histogram.counts.forEach((c, i) => {
      const x = binCentre(histogram, i);
      if (c && from(x)) {
        n += c;
        s += c * x;
        squares += c * x * x;
      }
    });
    return { n, mean: s / n, variance: squares / n - (s / n) ** 2 };
  };
  const a = part((x) => x < at);
  const b = part((x) => x >= at);
  const spread = Math.sqrt(Math.max(0, a.variance) + Math.max(0, b.variance));
  return {
    d: (Math.SQRT2 * Math.abs(a.mean - b.mean)) / spread,
    share: Math.min(a.n, b.n) / (a.n + b.n),
  };
}

/**
 * Side of a tile in cells, bins of its histogram, share of a tile that must be seen, share of the
 * tiles that are looked into, and what makes two heaps.
 */
export const TILE_CELLS = 64;
const BINS = 120;
const LEAST_SEEN = 0.5;
const WIDEST = 0.05;
const LEAST_TILES = 5;
const LEAST_D = 2;
const LEAST_SHARE = 0.1;

/** Tiles that were looked at, with how far their cells spread. */
export type Tiles = { deviation: number; histogram: Histogram }[];
/** A threshold that tiles have in common; `found` of the `tiles` hold two heaps and gave it. */
export interface TileThreshold {
  value: number;
  found: number;
  tiles: number;
}

/**
 * Adds the tiles of a block. @param cells width x height, NaN = nodata; @param range values that
 * histograms cover
 */
export function addTiles(
  cells: Float32Array,
  width: number,
  height: number,
  range: readonly [number, number],
  out: Tiles,
): void {
  const tile = new Float32Array(TILE_CELLS * TILE_CELLS);
  for (let r0 = 0; r0 + TILE_CELLS <= height; r0 += TILE_CELLS) {
    for (let c0 = 0; c0 + TILE_CELLS <= width; c0 += TILE_CELLS) {
      for (let r = 0; r < TILE_CELLS; r++) {
        tile.set(
          cells.subarray((r0 + r) * width + c0, (r0 + r) * width + c0 + TILE_CELLS),
          r * TILE_CELLS,
        );
      }
      const histogram = emptyHistogram(range[0], range[1], BINS);
      addToHistogram(histogram, tile);
      if (histogramTotal(histogram) >= LEAST_SEEN * tile.length) {
        out.push({ deviation: momentsOf(histogram).deviation, histogram });
      }
    }
  }
}
/**
 * Looks into the twentieth of the tiles whose cells spread most, each by itself: where its
 * histogram is two heaps, its threshold of minimum error counts; the middle one of
 * them is given. What is a thousandth of a scene is half of some tile, so that small floods are
 * found.
 * Source: tile-based thresholding of Martinis, Twele & Voigt 2009, by spread, with Ashman's D as
 * the test of two heaps. Null where fewer than two tiles hold two heaps.
 */
export function tileThreshold(tiles: Tiles): TileThreshold | null {
  const widest = [...tiles]
    .sort((a, b) => b.deviation - a.deviation)
    .slice(0, Math.max(LEAST_TILES, Math.round(WIDEST * tiles.length)));
  const found: number[] = [];
  for (const { histogram } of widest) {
    const at = minimumError(histogram);
    if (!Number.isFinite(at)) {
      continue;
    }
    const { d: ashman, share } = ashmanD(histogram, at);
    if (ashman > LEAST_D && share >= LEAST_SHARE) {
      found.push(at);
    }
  }
  if (found.length < 2) {
    return null;
  }
  found.sort((a, b) => a - b);
  const k = found.length >> 1;
  return {
    value: found.length % 2 ? found[k]! : (found[k - 1]! + found[k]!) / 2,
    found: found.length,
    tiles: tiles.length,
  };
}
