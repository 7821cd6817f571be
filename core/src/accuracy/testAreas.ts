import { BLOCK, type Grid } from "../grid/grid";
import { type Runs, runEnd } from "../patches/runs";
import { CLASS_NODATA } from "../raster/block";
import type { MultiPolygon } from "../vector/polygons";
import { rasteriseSpans } from "../vector/rasterise";
import type { Count } from "./sample";

/** Ground that somebody knows to be of a class. */
export interface KnownArea {
  label: number;
  /** In the coordinates of the map. */
  polygons: MultiPolygon;
}

const NONE = -1;
/** A cell of areas of two classes: it counts for neither. */
const TWO = -2;

/** What is known of each cell of some rows. */
function knownCells(areas: readonly KnownArea[], grid: Grid, row: number, height: number) {
  const window = { col: 0, row, width: grid.width, height };
  const known = new Int16Array(grid.width * height).fill(NONE);
  for (const { label, polygons } of areas) {
    rasteriseSpans(polygons, grid, window, (r, from, to) => {
      for (let at = (r - row) * grid.width + from; at < (r - row) * grid.width + to; at++) {
        known[at] = known[at] === NONE || known[at] === label ? label : TWO;
      }
    });
  }
  return known;
}

/**
 * Cells of a map under areas of known class, by what the map says and what they are. A cell counts once
 * where several areas of one class have it, and not where areas of two classes do; nodata does not count.
 */
export function countAreas(runs: Runs, grid: Grid, areas: readonly KnownArea[]): Count[] {
  const counts = new Map<string, Count>();
  for (let top = 0; top < runs.height; top += BLOCK) {
    const height = Math.min(BLOCK, runs.height - top);
    const known = knownCells(areas, grid, top, height);
    for (let row = top; row < top + height; row++) {
      for (let i = runs.rows[row]!; i < runs.rows[row + 1]!; i++) {
        const stratum = runs.labels[i]!;
        const to = stratum === CLASS_NODATA ? 0 : runEnd(runs, i, row);
        for (let col = runs.starts[i]!; col < to; col++) {
          const reference = known[(row - top) * runs.width + col]!;
          if (reference >= 0) {
            const key = `${stratum} ${reference}`;
            const count = counts.get(key) ?? { stratum, reference, units: 0 };
            count.units++;
            counts.set(key, count);
          }
        }
      }
    }
  }
  return [...counts.values()];
}
