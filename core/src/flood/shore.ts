import type { Window } from "../grid/grid";
import type { BodyCells, WaterBodies } from "./bodies";

/** Cells on either side of a shore that the rise of the ground is looked at over. */
export const SHORE_REACH = 3;
/** Ground that rises by less beside the water is no shore, but something that stands in it: 1 in 1000. */
const LEAST_RISE = 0.001;
/** Dry ground of fewer square metres amid water may be plants or houses that stand in it. */
const LEAST_DRY_M2 = 200_000;

/** A place where water meets dry ground, with the height of the ground there. */
export interface ShorePoint {
  /** The water: its part. */
  body: number;
  /** Cells from the left and from the top of the map, to the border between both cells. */
  col: number;
  row: number;
  /** Metres: the mean of the cell under water and the dry one. */
  height: number;
}

/** Cells to a neighbour, along the row and down. */
const SIDES = [
  [1, 0],
  [-1, 0],
  [0, 1],
  [0, -1],
] as const;

/** A window with `SHORE_REACH` cells more on every side. */
export interface ShoreWindow {
  /** The window without them. */
  window: Window;
  cells: BodyCells;
  /** 1 where ground came under water: what was water before has shores of another level. */
  flooded: Uint8Array;
  /** Metres; NaN where it is not known. */
  elevation: Float32Array;
}

/** Whether ground rises from the water to the dry side, and is dry as far as is looked. */
function rises(
  { cells: { wet, part }, elevation }: ShoreWindow,
  at: number,
  step: number,
  cellM: number,
): boolean {
  const far = at + SHORE_REACH * step;
  const back = at - (SHORE_REACH - 1) * step;
  const rise = elevation[far]! - elevation[back]!;
  return wet[far] === 0 && part[far]! >= 0 && rise > LEAST_RISE * cellM * (2 * SHORE_REACH - 1);
}

/**
 * Places along the shores of a window whose height says how high the water stands: where water meets a
 * large piece of dry ground that rises from it. Plants, houses and banks that stand in water meet it too,
 * and lie lower than its surface.
 * @param cellM size of a cell, metres
 */
export function shorePoints(
  shore: ShoreWindow,
  { labelling }: Pick<WaterBodies, "labelling">,
  cellM: number,
): ShorePoint[] {
  const { window, cells, flooded, elevation } = shore;
  const { part, wet } = cells;
  const width = window.width + 2 * SHORE_REACH;
  const leastDry = LEAST_DRY_M2 / cellM ** 2;
  const out: ShorePoint[] = [];
  for (let r = 0; r < window.height; r++) {
    for (let c = 0; c < window.width; c++) {
      const at = (r + SHORE_REACH) * width + c + SHORE_REACH;
      if (flooded[at] === 0) {
        continue;
      }
      for (const [across, down] of SIDES) {
        const step = down * width + across;
        const dry = at + step;
        const isShore =
          wet[dry] === 0 && part[dry]! >= 0 && labelling.sizes[part[dry]!]! >= leastDry;
        const height = (elevation[at]! + elevation[dry]!) / 2;
        if (isShore && !Number.isNaN(height) && rises(shore, at, step, cellM)) {
          out.push({
            ...{ body: part[at]!, height },
            col: window.col + c + 0.5 + across / 2,
            row: window.row + r + 0.5 + down / 2,
          });
        }
      }
    }
  }
  return out;
}
