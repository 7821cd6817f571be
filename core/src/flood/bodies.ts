import type { Window } from "../grid/grid";
import { type Labelling, labelRuns } from "../patches/label";
import { type Runs, RunsBuilder, runEnd } from "../patches/runs";
import { CLASS_NODATA } from "../raster/block";

const DRY = 0;
const WET = 1;

/** Ground under water and dry ground of a map, each as connected parts. */
export interface WaterBodies {
  /** 1 is water, 0 is dry, nodata is neither. */
  runs: Runs;
  /** Parts of either, corners joined. */
  labelling: Labelling;
}

/**
 * Water and dry ground of a map.
 * @param wet labels of the classes that are water
 */
export function waterBodies(map: Runs, wet: ReadonlySet<number>): WaterBodies {
  const out = new RunsBuilder(map.width, map.height);
  for (let row = 0; row < map.height; row++) {
    let last = -1;
    for (let i = map.rows[row]!; i < map.rows[row + 1]!; i++) {
      const label = map.labels[i]!;
      const known = wet.has(label) ? WET : DRY;
      const kind = label === CLASS_NODATA ? CLASS_NODATA : known;
      if (kind !== last) {
        out.push(map.starts[i]!, kind);
        last = kind;
      }
    }
    out.endRow();
  }
  const runs = out.finish();
  return { runs, labelling: labelRuns(runs, 8) };
}

/** Which part each cell of a window belongs to: −1 outside of the map and where it is nodata. */
export interface BodyCells {
  part: Int32Array;
  /** 1 where there is water. */
  wet: Uint8Array;
}

/** Parts of the cells of a window, which may reach past the map. */
export function bodyCells(
  { runs, labelling }: WaterBodies,
  { col, row, width, height }: Window,
): BodyCells {
  const part = new Int32Array(width * height).fill(-1);
  const wet = new Uint8Array(width * height);
  for (let r = Math.max(0, row); r < Math.min(runs.height, row + height); r++) {
    const offset = (r - row) * width - col;
    for (let i = runs.rows[r]!; i < runs.rows[r + 1]!; i++) {
      const from = Math.max(col, runs.starts[i]!);
      const to = Math.min(col + width, runEnd(runs, i, r));
      if (from < to && runs.labels[i] !== CLASS_NODATA) {
        part.fill(labelling.patchOfRun[i]!, offset + from, offset + to);
        if (runs.labels[i] === WET) {
          wet.fill(1, offset + from, offset + to);
        }
      }
    }
  }
  return { part, wet };
}
