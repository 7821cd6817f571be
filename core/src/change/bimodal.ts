import { type Histogram, addToHistogram, binCentre, emptyHistogram, histogramTotal } from '../raster/histogram';
import { minimumError } from './minimumError';

/** Ashman's D of the two sides of a threshold: how far their means lie apart beside their spreads; over 2 they are two heaps. NaN where a side is empty. Source: Ashman, Bird & Zepf 1994. */
export function ashmanD(h: Histogram, at: number): { d: number; share: number } {
  const part = (from: (x: number) => boolean) => { let n = 0, s = 0, q = 0; h.counts.forEach((c, i) => { const x = binCentre(h, i); if (c && from(x)) { n += c; s += c * x; q += c * x * x; } }); return { n, mean: s / n, variance: q / n - (s / n) ** 2 }; };
  const a = part((x) => x < at), b = part((x) => x >= at), spread = Math.sqrt(Math.max(0, a.variance) + Math.max(0, b.variance));
  return { d: (Math.SQRT2 * Math.abs(a.mean - b.mean)) / spread, share: Math.min(a.n, b.n) / (a.n + b.n) };
}

/** Side of a tile in cells, bins of its histogram, and what makes it two heaps. */
export const TILE_CELLS = 64;
const BINS = 120, LEAST_D = 2, LEAST_SHARE = 0.1, LEAST_SEEN = 0.5;

/** Thresholds of tiles that hold two heaps, and how many tiles were looked at. */
export interface TileThresholds { found: number[]; tiles: number }
export const noTiles = (): TileThresholds => ({ found: [], tiles: 0 });

/**
 * Looks at the tiles of a block, each by itself: where its histogram is two heaps, its threshold of minimum error is kept. What is a thousandth of a scene is half of
 * some tile. Source: Martinis, Twele & Voigt 2009, with Ashman's D as the test of two heaps.
 * @param cells width x height, NaN = nodata; @param range values that histograms cover
 */
export function addTiles(cells: Float32Array, width: number, height: number, range: readonly [number, number], out: TileThresholds): void {
  const tile = new Float32Array(TILE_CELLS * TILE_CELLS);
  for (let r0 = 0; r0 + TILE_CELLS <= height; r0 += TILE_CELLS) for (let c0 = 0; c0 + TILE_CELLS <= width; c0 += TILE_CELLS) {
    for (let r = 0; r < TILE_CELLS; r++) tile.set(cells.subarray((r0 + r) * width + c0, (r0 + r) * width + c0 + TILE_CELLS), r * TILE_CELLS);
    const h = emptyHistogram(range[0], range[1], BINS);
    addToHistogram(h, tile);
    if (histogramTotal(h) < LEAST_SEEN * tile.length) continue;
    out.tiles++;
    const at = minimumError(h);
    if (!Number.isFinite(at)) continue;
    const { d, share } = ashmanD(h, at);
    if (d > LEAST_D && share >= LEAST_SHARE) out.found.push(at);
  }
}
/** The middle one of the tiles' thresholds; NaN for fewer than two tiles. */
export function tileThreshold(t: TileThresholds): number {
  if (t.found.length < 2) return NaN;
  const s = [...t.found].sort((a, b) => a - b);
  return s.length % 2 ? s[s.length >> 1]! : (s[s.length / 2 - 1]! + s[s.length / 2]!) / 2;
}
