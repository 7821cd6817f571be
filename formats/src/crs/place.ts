import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { type Grid, toMap } from "@hindglance/core/grid/grid";
import { FormatError } from "../errors";
import type { Places } from "./epsg";

/** The corners of an image and its middle, in its coordinate system. */
export function cornersOf(grid: Pick<Grid, "transform" | "width" | "height">): Places {
  const { width, height } = grid;
  return [
    toMap(grid, 0, 0),
    toMap(grid, width, 0),
    toMap(grid, width, height),
    toMap(grid, 0, height),
    toMap(grid, width / 2, height / 2),
  ];
}

const isOnEarth = ([lon, lat]: readonly [number, number]): boolean =>
  Number.isFinite(lon) &&
  Number.isFinite(lat) &&
  Math.abs(lat) <= 90 + 1e-6 &&
  Math.abs(lon) <= 541;

/**
 * A grid whose corners and middle all have a longitude and a latitude. One of a sensor or a picture
 * needs none.
 * @throws FormatError where its coordinates lie outside of what its system can show
 */
export function requirePlaced(grid: Grid): Grid {
  if (isSensorFrame(grid.crs)) {
    return grid;
  }
  const back = transformer(grid.crs, LONLAT);
  const lost = cornersOf(grid).find(([x, y]) => !isOnEarth(back(x, y)));
  if (lost) {
    const [x, y] = lost.map((value) => Number(value.toPrecision(9)));
    throw new FormatError(
      "noPosition",
      `The place ${x}, ${y} of this file is nowhere on the Earth in its coordinate system (${grid.crs.code})`,
      "Check that the coordinate system is the file's own: degrees may be called metres, or the zone may be another one.",
    );
  }
  return grid;
}
