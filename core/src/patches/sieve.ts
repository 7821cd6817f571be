import { CLASS_NODATA } from '../raster/block';
import { type Runs, RunsBuilder, runEnd } from './runs';
import { labelRuns } from './label';

/**
 * Minimum patch: cells of a patch under the size take the label most frequent along its border (shared cell sides), again
 * and again until none is under size.
 *
 * Labels 1–254 form patches. 0 (no class) is ground, not a patch: it is never removed and may be what a patch becomes.
 * Nodata (255) is neither. Sides that face other patches under size do not count, so that two specks never swap labels; where
 * nothing else borders a patch it waits for its neighbours, and if nothing can ever decide it, it becomes 0. Of equal counts
 * the lower label wins.
 *
 * @param minCells smallest patch that stays, in cells; @returns new runs and how many cells changed
 */
export function sieve(input: Runs, minCells: number, neighbours: 4 | 8): { runs: Runs; changed: number } {
  let runs = input, changed = 0;
  for (;;) {
    const { patchOfRun, sizes } = labelRuns(runs, neighbours);
    const isSmall = (run: number) => { const v = runs.labels[run]!; return v !== 0 && v !== CLASS_NODATA && sizes[patchOfRun[run]!]! < minCells; };
    const slot = new Map<number, number>();
    for (let i = 0; i < runs.starts.length; i++) if (isSmall(i) && !slot.has(patchOfRun[i]!)) slot.set(patchOfRun[i]!, slot.size);
    if (slot.size === 0) return { runs, changed };

    const kinds = [...new Set(runs.labels)].filter((v) => v !== CLASS_NODATA).sort((a, b) => a - b);
    const kindOf = new Int32Array(256).fill(-1);
    kinds.forEach((v, k) => { kindOf[v] = k; });
    const border = borderCounts(runs, patchOfRun, isSmall, slot, kinds.length, kindOf);

    const becomes = new Uint8Array(slot.size).fill(CLASS_NODATA);
    let decided = 0;
    for (let s = 0; s < slot.size; s++) {
      let most = 0;
      for (let k = 0; k < kinds.length; k++) { const n = border[s * kinds.length + k]!; if (n > most) { most = n; becomes[s] = kinds[k]!; } }
      if (most > 0) decided++;
    }
    if (decided === 0) becomes.fill(0);

    const out = new RunsBuilder(runs.width, runs.height);
    for (let r = 0; r < runs.height; r++) {
      let last = -1;
      for (let i = runs.rows[r]!; i < runs.rows[r + 1]!; i++) {
        let v = runs.labels[i]!;
        if (isSmall(i)) {
          const b = becomes[slot.get(patchOfRun[i]!)!]!;
          if (b !== CLASS_NODATA) { changed += runEnd(runs, i, r) - runs.starts[i]!; v = b; }
        }
        if (v !== last) { out.push(runs.starts[i]!, v); last = v; }
      }
      out.endRow();
    }
    runs = out.finish();
  }
}

/** Cell sides between each small patch and each label around it, [slot x kinds]; nodata and other small patches left out. */
function borderCounts(runs: Runs, patchOfRun: Uint32Array, isSmall: (run: number) => boolean, slot: Map<number, number>, kinds: number, kindOf: Int32Array): Float64Array {
  const border = new Float64Array(slot.size * kinds);
  const side = (small: number, other: number, length: number) => {
    const k = kindOf[runs.labels[other]!]!;
    if (k < 0 || patchOfRun[small] === patchOfRun[other] || isSmall(other)) return;
    border[slot.get(patchOfRun[small]!)! * kinds + k]! += length;
  };
  for (let r = 0; r < runs.height; r++) {
    const from = runs.rows[r]!, to = runs.rows[r + 1]!;
    for (let i = from + 1; i < to; i++) {
      if (isSmall(i - 1)) side(i - 1, i, 1);
      if (isSmall(i)) side(i, i - 1, 1);
    }
    if (r === 0) continue;
    let a = runs.rows[r - 1]!;
    for (let b = from; b < to; b++) {
      const b1 = runEnd(runs, b, r);
      while (a < from && runEnd(runs, a, r - 1) <= runs.starts[b]!) a++;
      for (let k = a; k < from && runs.starts[k]! < b1; k++) {
        const overlap = Math.min(b1, runEnd(runs, k, r - 1)) - Math.max(runs.starts[b]!, runs.starts[k]!);
        if (isSmall(b)) side(b, k, overlap);
        if (isSmall(k)) side(k, b, overlap);
      }
    }
  }
  return border;
}
