import { unchangedStrength } from "@hindglance/core/radar/falseAlarms";
import { SMALL_CHANGES_HALO, smallChanges } from "@hindglance/core/radar/smallChanges";
import { classesOf, patchesIn } from "../strengthPatches";

/** Unchanged ground on which false alarms are counted. */
export interface Unchanged {
  name: string;
  /** Looks of a cell; whole. */
  looks: number;
  polarisations: number;
  /** Cells are laid onto another grid, this share of a cell off, as a chain does. */
  moved: number;
  cellM: number;
}

/** Kinds of unchanged ground: the usual product, one look, and one that was resampled. */
export const UNCHANGED: readonly Unchanged[] = [
  { name: "VV and VH, 4 looks", looks: 4, polarisations: 2, moved: 0, cellM: 10 },
  { name: "VV and VH, 4 looks, resampled", looks: 4, polarisations: 2, moved: 0.3, cellM: 10 },
  { name: "VV alone, one look", looks: 1, polarisations: 1, moved: 0, cellM: 10 },
];
const SIDE = 1000;
const INNER = SIDE - 2 * SMALL_CHANGES_HALO;

/** Numbers in (0, 1): xorshift with 128 bits of state (Marsaglia 2003). */
function xorshift(seed: number): () => number {
  // Four words that a seed turns all over, so that images differ from the first number on.
  const word = (k: number) => Math.imul(seed + k, 2654435761) ^ (k * 88675123);
  let [x, y, z, w] = [word(1), word(2), word(3), word(4)];
  const next = (): number => {
    const t = x ^ (x << 11);
    [x, y, z] = [y, z, w];
    w = w ^ (w >>> 19) ^ t ^ (t >>> 8);
    return ((w >>> 0) + 0.5) / 4294967296;
  };
  for (let k = 0; k < 32; k++) {
    next();
  }
  return next;
}

/** Speckle of whole looks: the mean of so many exponential deviates. */
function speckle(looks: number, random: () => number): Float32Array {
  const out = new Float32Array(SIDE * SIDE);
  for (let i = 0; i < out.length; i++) {
    let product = 1;
    for (let k = 0; k < looks; k++) {
      product *= random();
    }
    out[i] = -Math.log(product) / looks;
  }
  return out;
}

/** Laid bilinearly onto a grid that is a share of a cell off, both ways. */
function movedBy(cells: Float32Array, share: number): Float32Array {
  return cells.map((value, i) => {
    const right = cells[i + 1] ?? value;
    const below = cells[i + SIDE] ?? value;
    const both = cells[i + SIDE + 1] ?? value;
    const here = value * (1 - share) + right * share;
    return here * (1 - share) + (below * (1 - share) + both * share) * share;
  });
}

/** False alarms on unchanged ground, as patches of a map, by what was asked for. */
export interface FalseAlarms {
  name: string;
  /** Square kilometres that one was asked for in, and square kilometres that were looked at. */
  askedKm2: number;
  seenKm2: number;
  patches: number;
}

/** Counts false alarms on so many images. */
export function falseAlarmsOn(
  ground: Unchanged,
  askedKm2: readonly number[],
  images: number,
): FalseAlarms[] {
  const { name, looks, polarisations, moved, cellM } = ground;
  // The mean of four cells has more looks, as a chain would find.
  const seen = looks / ((1 - moved) ** 2 + moved ** 2) ** 2;
  const cellKm2 = (cellM / 1000) ** 2;
  const perCell = askedKm2.map((km2) => cellKm2 / km2);
  // Strengths are looked for once, and read in the unit of each rate.
  const units = perCell.map((rate) => unchangedStrength(rate, seen * polarisations));
  const counts = askedKm2.map(() => 0);
  const out = new Float32Array(INNER * INNER);
  for (let image = 0; image < images; image++) {
    const random = xorshift(7001 * image + looks);
    const date = () =>
      Array.from({ length: polarisations }, () => {
        const cells = speckle(looks, random);
        return moved ? movedBy(cells, moved) : cells;
      });
    const before = date();
    const after = date();
    smallChanges(before, after, INNER, INNER, { perCell: perCell[0]!, looks: seen }, out);
    units.forEach((unit, k) => {
      counts[k]! += patchesIn(classesOf(out, unit / units[0]!), INNER);
    });
  }
  const seenKm2 = images * INNER * INNER * cellKm2;
  return askedKm2.map((km2, k) => ({ name, askedKm2: km2, seenKm2, patches: counts[k]! }));
}
