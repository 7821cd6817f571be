import View from "ol/View";
import { ontoGrid } from "@hindglance/core/grid/globe";
import { type Grid, toMap } from "@hindglance/core/grid/grid";
import { projectionOf } from "./projection";

/** Extent of a grid in map coordinates: west, south, east, north. */
export function extentOf(grid: Grid): [number, number, number, number] {
  const [x0, y0] = toMap(grid, 0, 0);
  const [x1, y1] = toMap(grid, grid.width, grid.height);
  return [Math.min(x0, x1), Math.min(y0, y1), Math.max(x0, x1), Math.max(y0, y1)];
}

/**
 * Box around a study area in the coordinates of a grid, cut to it; the grid's own where they do not
 * meet.
 */
function areaExtent(
  grid: Grid,
  polygons: [number, number][][][],
): [number, number, number, number] {
  const pointTransform = ontoGrid(grid);
  const e = extentOf(grid);
  const point = polygons.flatMap((polygon) => polygon[0]!).map(([x, y]) => pointTransform(x, y));
  const part: [number, number, number, number] = [
    Math.max(e[0], Math.min(...point.map((corner) => corner[0]))),
    Math.max(e[1], Math.min(...point.map((corner) => corner[1]))),
    Math.min(e[2], Math.max(...point.map((corner) => corner[0]))),
    Math.min(e[3], Math.max(...point.map((corner) => corner[1]))),
  ];
  return part[2] > part[0] && part[3] > part[1] ? part : e;
}

/** Pixels of a map that has the page to itself. */
const WHOLE_PAGE: readonly [width: number, height: number] = [880, 600];

/**
 * View in the coordinates of a grid, on the study area where there is one; finest eight times a
 * cell, coarsest about four times the image.
 * @param size pixels of the map, about: what is shown at first fits in
 */
export function viewOf(
  grid: Grid,
  at?: { center: [number, number]; resolution: number } | null,
  area?: { coordinates: [number, number][][][] } | null,
  size = WHOLE_PAGE,
): View {
  const e = extentOf(grid);
  const shown = area ? areaExtent(grid, area.coordinates) : e;
  const cell = grid.transform[1];
  const widest = Math.max((e[2] - e[0]) / 250, (e[3] - e[1]) / 200, cell * 4);
  const view = new View({
    projection: projectionOf(grid.crs),
    center: at?.center ?? [(shown[0] + shown[2]) / 2, (shown[1] + shown[3]) / 2],
    minResolution: cell / 8,
    maxResolution: widest,
    resolution:
      at?.resolution ?? Math.max((shown[2] - shown[0]) / size[0], (shown[3] - shown[1]) / size[1]),
    constrainRotation: false,
    enableRotation: false,
    extent: [e[0] - widest * 300, e[1] - widest * 300, e[2] + widest * 300, e[3] + widest * 300],
    showFullExtent: true,
    smoothExtentConstraint: false,
  });
  return view;
}
