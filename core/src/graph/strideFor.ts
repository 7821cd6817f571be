import { levelGrid } from "../grid/grid";
import type { ImageInfo } from "./image";

/** Every so many cells of an overview are taken for a sample. */
export const strideFor = (info: ImageInfo, level: number, most: number): number => {
  const grid = levelGrid(info.grid, level);
  return Math.max(1, Math.ceil((grid.width * grid.height) / most));
};
