import DataTile from "ol/source/DataTile";
import TileGrid from "ol/tilegrid/TileGrid";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import { extentOf } from "./mapView";
import type { NodeView } from "../api/types";
import { type NodeCells, type Tile, cellsOf } from "./nodeCells";
import { projectionOf } from "./projection";

/**
 * Stands for nodata on the graphics card, which has no dependable NaN. Far below every decibel
 * value and elevation.
 */
export const EMPTY = -9999;

/** Bands of a tile side by side, filled up to a whole block; nodata is EMPTY. */
function interleaved(tile: Tile, block: number, nodata: number): Float32Array {
  const n = tile.bands.length;
  const out = new Float32Array(block * block * n).fill(EMPTY);
  tile.bands.forEach((band, k) => {
    for (let r = 0; r < tile.height; r++) {
      let to = r * block * n + k;
      for (let c = 0; c < tile.width; c++, to += n) {
        const value = band[r * tile.width + c]!;
        if (!Number.isNaN(value) && value !== nodata) {
          out[to] = value;
        }
      }
    }
  });
  return out;
}

/** Tiles of a node as float textures; nodata is EMPTY, labels come as their numbers. */
export function sourceOf(cells: NodeCells): DataTile {
  const { info, levels, block } = cells.node;
  const grid = info.grid;
  const n = info.bands.length;
  const source = new DataTile({
    projection: projectionOf(grid.crs),
    bandCount: n,
    interpolate: false,
    wrapX: false,
    transition: 0,
    tileSize: block,
    tileGrid: new TileGrid({
      origin: [grid.transform[0], grid.transform[3]],
      extent: extentOf(grid),
      resolutions: Array.from(
        { length: levels },
        (_v, z) => grid.transform[1] * 2 ** (levels - 1 - z),
      ),
      tileSize: block,
    }),
    loader: async (z, x, y, { signal }) => {
      const tile = await cells.tile(levels - 1 - z, y, x, signal);
      return interleaved(tile, block, info.type === "class8" ? CLASS_NODATA : NaN);
    },
  });
  return source;
}

const sources = new WeakMap<NodeCells, DataTile>();

/** Tiles of a node for the map; the same ones for all of its layers. */
export function tilesOf(node: NodeView): DataTile {
  const cells = cellsOf(node);
  const source = sources.get(cells) ?? sourceOf(cells);
  sources.set(cells, source);
  return source;
}
