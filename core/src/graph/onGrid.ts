import { type Grid, sameGrid } from "../grid/grid";
import type { ImageInfo } from "./image";
import { type NodeSpec, node } from "./node";

/** An image on a grid: itself when it already is. */
export function onGrid(n: NodeSpec, info: ImageInfo, grid: Grid): NodeSpec {
  return sameGrid(info.grid, grid)
    ? n
    : node("grid.warp", { grid, kernel: info.type === "class8" ? "nearest" : "bilinear" }, n);
}
