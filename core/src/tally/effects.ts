import type { CellAreas } from "../grid/area";
import type { Window } from "../grid/grid";
import { type Runs, runEnd } from "../patches/runs";
import { CLASS_NODATA } from "../raster/block";

/**
 * What a limit did to the classes of a map: cells that lost their class or were given another, and
 * cells that gained one.
 */
export interface LimitEffect {
  name: string;
  droppedCells: number;
  droppedM2: number;
  addedCells: number;
  addedM2: number;
}

/** Effects of limits before anything was counted. */
export const noEffects = (names: readonly string[]): LimitEffect[] =>
  names.map((name) => ({ name, droppedCells: 0, droppedM2: 0, addedCells: 0, addedM2: 0 }));

/**
 * Counts what each stage of a map changed of the one before it. A cell that goes from one class to
 * another is dropped from the first and added to the second.
 * @param stages labels after each stage, w.width x w.height each; stage 0 is where they begin and
 * has no effect of its own
 * @param effects one a stage after the first; added to
 */
export function addEffects(
  stages: readonly Uint8Array[],
  w: Window,
  areas: CellAreas,
  effects: LimitEffect[],
): void {
  for (let k = 1; k < stages.length; k++) {
    const a = stages[k - 1]!;
    const b = stages[k]!;
    const effect = effects[k - 1]!;
    for (let r = 0, i = 0; r < w.height; r++) {
      for (let c = 0; c < w.width; c++, i++) {
        const x = a[i]!;
        const y = b[i]!;
        if (x === y) {
          continue;
        }
        const m2 = areas.cell(w.col + c, w.row + r);
        if (x !== 0 && x !== CLASS_NODATA) {
          effect.droppedCells++;
          effect.droppedM2 += m2;
        }
        if (y !== 0 && y !== CLASS_NODATA) {
          effect.addedCells++;
          effect.addedM2 += m2;
        }
      }
    }
  }
}

/** Effects counted on parts as those on the whole. */
export const mergeEffects = (parts: readonly LimitEffect[][]): LimitEffect[] =>
  parts.reduce((s, effects) =>
    s.map((effect, k) => ({
      name: effect.name,
      droppedCells: effect.droppedCells + effects[k]!.droppedCells,
      droppedM2: effect.droppedM2 + effects[k]!.droppedM2,
      addedCells: effect.addedCells + effects[k]!.addedCells,
      addedM2: effect.addedM2 + effects[k]!.addedM2,
    })),
  );

/**
 * What turns one label image into another of the same size, told by their runs: for limits that
 * work on whole patches.
 */
export function runEffects(before: Runs, after: Runs, areas: CellAreas): Omit<LimitEffect, "name"> {
  const out = { droppedCells: 0, droppedM2: 0, addedCells: 0, addedM2: 0 };
  for (let r = 0; r < before.height; r++) {
    let i = before.rows[r]!;
    let j = after.rows[r]!;
    for (let c = 0; c < before.width;) {
      const ends = [runEnd(before, i, r), runEnd(after, j, r)] as const;
      const to = Math.min(...ends);
      const x = before.labels[i]!;
      const y = after.labels[j]!;
      if (x !== y) {
        const m2 = areas.run(r, c, to);
        if (x !== 0 && x !== CLASS_NODATA) {
          out.droppedCells += to - c;
          out.droppedM2 += m2;
        }
        if (y !== 0 && y !== CLASS_NODATA) {
          out.addedCells += to - c;
          out.addedM2 += m2;
        }
      }
      if (ends[0] === to) {
        i++;
      }
      if (ends[1] === to) {
        j++;
      }
      c = to;
    }
  }
  return out;
}
