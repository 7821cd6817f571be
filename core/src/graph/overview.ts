import { levelCount, levelGrid } from "../grid/grid";
import type { ImageInfo } from "./image";

/**
 * First level whose sides are 1024 cells or fewer: where facts are gathered that an overview shows
 * as well.
 */
const OVERVIEW_CELLS = 1024;

/**
 * The level at which facts of a whole image are gathered: the first of at most about a million
 * cells.
 */
export function overviewLevel(info: ImageInfo): number {
  const sides = (levels: number) => {
    const grid = levelGrid(info.grid, levels);
    return Math.max(grid.width, grid.height);
  };
  let level = 0;
  while (
    level < levelCount(info.grid.width, info.grid.height) - 1 &&
    sides(level) > OVERVIEW_CELLS
  ) {
    level++;
  }
  return level;
}
