import { CLASS_NODATA } from "../raster/block";
import { labelRuns } from "./label";
import { type Runs, RunsBuilder, runEnd } from "./runs";
import { borderCounts, labelsIn } from "./sieve";

/**
 * Holes: ground of no class (0) that classes enclose on all sides and that is under a size takes
 * the label most frequent along its border (shared cell
 * sides); of equal counts the lower label. What touches the edge of the image or nodata is no hole:
 * nobody knows what lies beyond.
 *
 * @param maxCells largest hole that is filled, in cells; @param neighbours of patches: ground hangs
 * together by sides alone where patches do by corners too
 * @returns new runs and how many cells changed
 */
export function fillHoles(
  runs: Runs,
  maxCells: number,
  neighbours: 4 | 8,
): { runs: Runs; changed: number } {
  const ground = Uint8Array.from(runs.labels, (value) => {
    if (value === 0) {
      return 1;
    }
    if (value === CLASS_NODATA) {
      return CLASS_NODATA;
    }
    return 0;
  });
  const { patchOfRun, sizes } = labelRuns({ ...runs, labels: ground }, neighbours === 8 ? 4 : 8);
  const open = new Uint8Array(sizes.length);
  for (let r = 0; r < runs.height; r++) {
    for (let i = runs.rows[r]!; i < runs.rows[r + 1]!; i++) {
      if (
        ground[i] === 1 &&
        (r === 0 ||
          r === runs.height - 1 ||
          runs.starts[i] === 0 ||
          runEnd(runs, i, r) === runs.width)
      ) {
        open[patchOfRun[i]!] = 1;
      }
    }
  }
  const slot = new Int32Array(runs.starts.length).fill(-1);
  const slotOf = new Int32Array(sizes.length).fill(-1);
  let slots = 0;
  for (let i = 0; i < slot.length; i++) {
    const patch = patchOfRun[i]!;
    if (ground[i] !== 1 || open[patch] || sizes[patch]! > maxCells) {
      continue;
    }
    if (slotOf[patch]! < 0) {
      slotOf[patch] = slots++;
    }
    slot[i] = slotOf[patch]!;
  }
  if (slots === 0) {
    return { runs, changed: 0 };
  }
  const kinds = [...labelsIn(runs), CLASS_NODATA];
  const kindOf = new Int32Array(256).fill(-1);
  const none = kinds.length - 1;
  kinds.forEach((kind, k) => {
    kindOf[kind] = k;
  });
  const border = borderCounts(runs, slot, slots, kinds.length, kindOf);
  const becomes = new Uint8Array(slots);
  for (let s = 0; s < slots; s++) {
    if (border[s * kinds.length + none]! > 0) {
      continue;
    }
    let most = 0;
    for (let k = 0; k < none; k++) {
      const n = border[s * kinds.length + k]!;
      if (kinds[k] !== 0 && n > most) {
        most = n;
        becomes[s] = kinds[k]!;
      }
    }
  }
  const out = new RunsBuilder(runs.width, runs.height);
  let changed = 0;
  for (let r = 0; r < runs.height; r++) {
    let last = -1;
    for (let i = runs.rows[r]!; i < runs.rows[r + 1]!; i++) {
      const b = slot[i]! >= 0 ? becomes[slot[i]!]! : 0;
      const value = b || runs.labels[i]!;
      if (b) {
        changed += runEnd(runs, i, r) - runs.starts[i]!;
      }
      if (value !== last) {
        out.push(runs.starts[i]!, value);
        last = value;
      }
    }
    out.endRow();
  }
  return { runs: out.finish(), changed };
}
