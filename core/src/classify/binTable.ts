import { type Bins, MOST_BINS } from "./bins";

/** Places of the table in which a value is looked up before its bin is searched. */
const PLACES = 4096;

/** A band's bins as the kernel looks values of single precision up in them; how, stands there. */
export interface BinTable {
  edges: Float32Array;
  starts: Uint8Array;
  base: number;
  scale: number;
  half: number;
}

/** The largest number of single precision that is not above another; those above it are above that. */
function singleBelow(value: number): number {
  const single = new Float32Array([value]);
  if (single[0]! <= value) {
    return single[0]!;
  }
  // Rounded up: the one before it is a step nearer to nought, or farther where it is negative.
  const bits = new Int32Array(single.buffer);
  if (single[0] === 0) {
    return -(2 ** -149);
  }
  bits[0]! += single[0]! > 0 ? -1 : 1;
  return single[0]!;
}

/** @returns bins with a table of where to look for them */
export function tableOf(bins: Bins): BinTable {
  const own = Float32Array.from(bins.edges, singleBelow);
  const edges = new Float32Array(own.length + MOST_BINS).fill(Infinity);
  edges.set(own);
  const base = own[0] ?? 0;
  const range = (own.at(-1) ?? 0) - base;
  const scale = range > 0 ? Math.fround(PLACES / range) : 0;
  const counts = new Uint16Array(PLACES);
  for (const edge of own) {
    const place = Math.trunc(Math.fround(Math.fround(edge - base) * scale)) || 0;
    counts[Math.min(PLACES - 1, place)]!++;
  }
  let before = 0;
  const starts = Uint8Array.from(counts, (count) => (before += count) - count);
  const fullest = Math.max(...counts);
  return {
    edges,
    starts,
    base,
    scale,
    half: fullest === 0 ? 0 : 2 ** Math.floor(Math.log2(fullest)),
  };
}
