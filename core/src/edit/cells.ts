import { LONLAT } from "../geodesy/crs";
import type { CellAreas } from "../grid/area";
import { type Grid, type Window, BLOCK } from "../grid/grid";
import type { ZonePart } from "../patches/facts";
import { polygonise } from "../patches/polygonise";
import { runsOf } from "../patches/runs";
import type { MultiPolygon } from "../vector/polygons";
import { rasteriseSpans } from "../vector/rasterise";

/** Size of a map in cells. */
export type Size = Pick<Grid, "width" | "height">;

/** A grid whose coordinates are its columns and rows. @param cells of the map along one of its cells */
export const cellGrid = ({ width, height }: Size, cells = 1): Grid => ({
  crs: LONLAT,
  transform: [0, cells, 0, 0, 0, cells],
  width,
  height,
});

/** The least window of a map that holds polygons; null where they lie beside it. */
export function windowOf(polygons: MultiPolygon, size: Size): Window | null {
  let [left, right, top, bottom] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const [x, y] of polygons.flat(2)) {
    left = Math.min(left, x);
    right = Math.max(right, x);
    top = Math.min(top, y);
    bottom = Math.max(bottom, y);
  }
  const col = Math.max(0, Math.floor(left));
  const row = Math.max(0, Math.floor(top));
  const width = Math.min(size.width, Math.ceil(right)) - col;
  const height = Math.min(size.height, Math.ceil(bottom)) - row;
  return width > 0 && height > 0 ? { col, row, width, height } : null;
}

/** Ground of the cells whose centres lie in polygons, along the sides of cells. */
export function alongCells(polygons: MultiPolygon, size: Size): MultiPolygon {
  const window = windowOf(polygons, size);
  if (!window) {
    return [];
  }
  const cells = new Uint8Array(window.width * window.height);
  rasteriseSpans(polygons, cellGrid(size), window, (row, from, to) => {
    const at = (row - window.row) * window.width - window.col;
    cells.fill(1, at + from, at + to);
  });
  return polygonise(runsOf(cells, window.width, window.height), 4).flatMap((shape) =>
    shape.polygons.map((rings) =>
      rings.map((ring) =>
        ring.map(([col, row]): [number, number] => [col + window.col, row + window.row]),
      ),
    ),
  );
}

/** How large a patch is: its cells are those whose centres lie in its outline. */
export interface PatchSize {
  cells: number;
  areaM2: number;
  /** Its parts by zone, ascending; none where the map has no zones. */
  zones: ZonePart[];
}

/** The zones of the cells of a window, 0 in none; null where there are no zones. */
export type ZonesIn = (window: Window) => Uint16Array | null;

/** The size of the ground within polygons. @param areas of the cells of the map */
export function sizeOf(
  polygons: MultiPolygon,
  size: Size,
  areas: CellAreas,
  zonesIn: ZonesIn,
): PatchSize {
  const window = windowOf(polygons, size);
  const parts = new Map<number, ZonePart>();
  const total = { cells: 0, areaM2: 0 };
  for (let row = window?.row ?? 0; window && row < window.row + window.height; row += BLOCK) {
    const height = Math.min(BLOCK, window.row + window.height - row);
    const strip = { ...window, row, height };
    const zones = zonesIn(strip);
    rasteriseSpans(polygons, cellGrid(size), strip, (r, from, to) => {
      total.cells += to - from;
      total.areaM2 += areas.run(r, from, to);
      if (zones) {
        const at = (r - row) * window.width - window.col;
        addSpan(parts, zones.subarray(at + from, at + to), { row: r, from }, areas);
      }
    });
  }
  return { ...total, zones: inOrder(parts) };
}

/** Adds a span of a row to the parts of a patch, zone by zone. */
function addSpan(
  parts: Map<number, ZonePart>,
  zones: Uint16Array,
  { row, from }: { row: number; from: number },
  areas: CellAreas,
): void {
  for (let k = 0; k < zones.length;) {
    const zone = zones[k]!;
    const begun = k;
    do {
      k++;
    } while (k < zones.length && zones[k] === zone);
    const part = parts.get(zone) ?? { zone, cells: 0, areaM2: 0 };
    part.cells += k - begun;
    part.areaM2 += areas.run(row, from + begun, from + k);
    parts.set(zone, part);
  }
}

const inOrder = (parts: ReadonlyMap<number, ZonePart>): ZonePart[] =>
  [...parts.values()].filter(({ cells }) => cells > 0).sort((a, b) => a.zone - b.zone);
