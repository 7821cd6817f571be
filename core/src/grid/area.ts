import { LONLAT, isGeographic, transformer } from "../geodesy/crs";
import { type Vec3, cross, dot, sub, toEcef } from "../geodesy/ecef";
import { zoneArea } from "../geodesy/ellipsoid";
import { type Grid, toMap } from "./grid";
import { largestCellM } from "./metres";

/** Areas of a grid's cells on the WGS 84 ellipsoid, in m². */
export interface CellAreas {
  /** Area of one cell. */
  cell(col: number, row: number): number;
  /**
   * Sum over the cells [from, to) of a row, in closed form: the cost does not depend on how many
   * there are.
   */
  run(row: number, from: number, to: number): number;
}

/**
 * Area of cells on the ellipsoid.
 *
 * North-up lon/lat grids: exact zones, one a row. All others: the area of the
 * parallelogram that a cell's sides span on the ellipsoid, taken on a lattice and interpolated bilinearly. The lattice is at most 2 km wide, over
 * which the
 * area scale of any usable projection is linear to better than 1e-8 (its second derivative is of
 * the order of 1/R²).
 */
export function cellAreas(grid: Grid): CellAreas {
  const transform = grid.transform;
  if (isGeographic(grid.crs) && transform[2] === 0 && transform[4] === 0) {
    const rows = new Float64Array(grid.height);
    for (let r = 0; r < grid.height; r++) {
      rows[r] = zoneArea(
        transform[3] + r * transform[5],
        transform[3] + (r + 1) * transform[5],
        transform[1],
      );
    }
    return { cell: (_c, r) => rows[r]!, run: (r, from, to) => rows[r]! * (to - from) };
  }
  const toLonLat = transformer(grid.crs, LONLAT);
  const size = largestCellM(grid);
  const step = Math.max(1, Math.min(256, Math.floor(2000 / size)));
  const nx = Math.ceil(grid.width / step) + 1;
  const ny = Math.ceil(grid.height / step) + 1;
  const lattice = new Float64Array(nx * ny);
  // Differences over about 400 m: far above the rounding of the inverse projection, far below its
  // curvature.
  const h = Math.max(0.5, 200 / size);
  for (let j = 0; j < ny; j++) {
    for (let i = 0; i < nx; i++) {
      lattice[j * nx + i] = areaAt(grid, toLonLat, i * step, j * step, h);
    }
  }

  const cell = (col: number, row: number): number => {
    const x = (col + 0.5) / step;
    const y = (row + 0.5) / step;
    const i = Math.min(nx - 2, Math.floor(x));
    const j = Math.min(ny - 2, Math.floor(y));
    const fx = x - i;
    const fy = y - j;
    const k = j * nx + i;
    return (
      (lattice[k]! * (1 - fx) + lattice[k + 1]! * fx) * (1 - fy) +
      (lattice[k + nx]! * (1 - fx) + lattice[k + nx + 1]! * fx) * fy
    );
  };
  const run = (row: number, from: number, to: number): number => {
    let sum = 0;
    for (let c = from; c < to;) {
      // Cell centres c + 0.5 lie between two lattice lines until the next multiple of step: linear
      // there, so the mean
      // of the two ends times the count is the sum.
      const end = Math.min(to, (Math.floor(c / step) + 1) * step);
      sum += ((cell(c, row) + cell(end - 1, row)) / 2) * (end - c);
      c = end;
    }
    return sum;
  };
  return { cell, run };
}

/**
 * Area element at a corner position (col, row): the cross product of central differences of ±h
 * cells, in coordinates that have no pole.
 */
function areaAt(
  grid: Grid,
  toLonLat: (x: number, y: number) => [number, number],
  col: number,
  row: number,
  h: number,
): number {
  const at = (c: number, r: number): Vec3 => {
    const [lon, lat] = toLonLat(...toMap(grid, c, r));
    return toEcef(lon, lat, 0);
  };
  const along = sub(at(col + h, row), at(col - h, row));
  const down = sub(at(col, row + h), at(col, row - h));
  const area = cross(along, down);
  return Math.sqrt(dot(area, area)) / (4 * h * h);
}
