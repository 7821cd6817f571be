import { CLASS_NODATA } from "../raster/block";
import { type Runs, RunsBuilder, runEnd } from "./runs";
import { labelRuns } from "./label";

/**
 * Minimum patch: cells of a patch under the size take the label most frequent along its border
 * (shared cell sides), again
 * and again until none is under size.
 *
 * Labels 1–254 form patches. 0 (no class) is ground, not a patch: it is never removed and may be
 * what a patch becomes.
 * Nodata (255) is neither. Sides that face other patches under size do not count, so that two
 * specks never swap labels; where
 * nothing else borders a patch it waits for its neighbours, and if nothing can ever decide it, it
 * becomes 0. Of equal counts
 * the lower label wins.
 *
 * @param minCells smallest patch that stays, in cells; @returns new runs and how many cells changed
 */
export function sieve(
  input: Runs,
  minCells: number,
  neighbours: 4 | 8,
): { runs: Runs; changed: number } {
  let runs = input;
  let changed = 0;
  for (;;) {
    const { patchOfRun, sizes } = labelRuns(runs, neighbours);
    // Per run: the number of its patch among those under size, or −1.
    const small = new Int32Array(runs.starts.length).fill(-1);
    const slotOfPatch = new Int32Array(sizes.length).fill(-1);
    let slots = 0;
    for (let i = 0; i < small.length; i++) {
      const label = runs.labels[i]!;
      const patch = patchOfRun[i]!;
      if (label === 0 || label === CLASS_NODATA || sizes[patch]! >= minCells) {
        continue;
      }
      if (slotOfPatch[patch]! < 0) {
        slotOfPatch[patch] = slots++;
      }
      small[i] = slotOfPatch[patch]!;
    }
    if (slots === 0) {
      return { runs, changed };
    }

    const kinds = labelsIn(runs);
    const kindOf = new Int32Array(256).fill(-1);
    kinds.forEach((kind, k) => {
      kindOf[kind] = k;
    });
    const border = borderCounts(runs, small, slots, kinds.length, kindOf);

    const becomes = new Uint8Array(slots).fill(CLASS_NODATA);
    let decided = 0;
    for (let s = 0; s < slots; s++) {
      let most = 0;
      for (let k = 0; k < kinds.length; k++) {
        const n = border[s * kinds.length + k]!;
        if (n > most) {
          most = n;
          becomes[s] = kinds[k]!;
        }
      }
      if (most > 0) {
        decided++;
      }
    }
    if (decided === 0) {
      becomes.fill(0);
    }

    const out = new RunsBuilder(runs.width, runs.height);
    for (let r = 0; r < runs.height; r++) {
      let last = -1;
      for (let i = runs.rows[r]!; i < runs.rows[r + 1]!; i++) {
        let label = runs.labels[i]!;
        if (small[i]! >= 0) {
          const b = becomes[small[i]!]!;
          if (b !== CLASS_NODATA) {
            changed += runEnd(runs, i, r) - runs.starts[i]!;
            label = b;
          }
        }
        if (label !== last) {
          out.push(runs.starts[i]!, label);
          last = label;
        }
      }
      out.endRow();
    }
    runs = out.finish();
  }
}

/** Labels that occur, nodata left out, in rising order. */
export function labelsIn(runs: Runs): number[] {
  const seen = new Uint8Array(256);
  for (let i = 0; i < runs.labels.length; i++) {
    seen[runs.labels[i]!] = 1;
  }
  return [...seen.keys()].filter((value) => value !== CLASS_NODATA && seen[value]);
}

/**
 * Cell sides between each small patch and each label around it, [slot x kinds]; nodata and other
 * small patches left out.
 */
export function borderCounts(
  runs: Runs,
  small: Int32Array,
  slots: number,
  kinds: number,
  kindOf: Int32Array,
): Float64Array {
  const border = new Float64Array(slots * kinds);
  const { starts, labels, width } = runs;
  const side = (s: number, other: number, length: number) => {
    const k = kindOf[labels[other]!]!;
    if (k >= 0 && small[other]! < 0) {
      border[s * kinds + k]! += length;
    }
  };
  for (let r = 0; r < runs.height; r++) {
    const from = runs.rows[r]!;
    const to = runs.rows[r + 1]!;
    for (let i = from + 1; i < to; i++) {
      if (small[i - 1]! >= 0) {
        side(small[i - 1]!, i, 1);
      }
      if (small[i]! >= 0) {
        side(small[i]!, i - 1, 1);
      }
    }
    if (r === 0) {
      continue;
    }
    // Both rows are walked together: each step takes the shorter of the two runs that overlap.
    for (let a = runs.rows[r - 1]!, b = from, at = 0; at < width;) {
      const endA = a + 1 < from ? starts[a + 1]! : width;
      const endB = b + 1 < to ? starts[b + 1]! : width;
      const end = endA < endB ? endA : endB;
      if (small[b]! >= 0) {
        side(small[b]!, a, end - at);
      }
      if (small[a]! >= 0) {
        side(small[a]!, b, end - at);
      }
      at = end;
      if (endA === end) {
        a++;
      }
      if (endB === end) {
        b++;
      }
    }
  }
  return border;
}
