import { levelCount, levelGrid } from "../grid/grid";
import type { ImageInfo } from "./image";

/**
 * First level whose sides are 1024 cells or fewer: where facts are gathered that an overview shows
 * as well.
 */
const OVERVIEW_CELLS = 1024;
export function overviewLevel(info: ImageInfo): number {
  const sides = (l: number) => {
    const grid = levelGrid(info.grid, l);
    return Math.max(grid.width, grid.height);
  };
  let l = 0;
  while (l < levelCount(info.grid.width, info.grid.height) - 1 && sides(l) > OVERVIEW_CELLS) {
    l++;
  }
  return l;
}
