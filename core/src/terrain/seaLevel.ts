import { LONLAT, transformer } from "../geodesy/crs";
import { seaLevelAboveEllipsoid } from "../geodesy/geoid";
import { type Grid, type Window, toMap } from "../grid/grid";

/**
 * Spacing in full-resolution cells of the points at which the geoid is asked; linear between them.
 */
const LATTICE = 64;

/**
 * Height of sea level above the ellipsoid in the middle of every cell of a window, metres. Anchored
 * to the grid, so that a cell's height does not depend on its window.
 * @param level of the grid: 0 is full resolution
 * @throws InputError where no geoid was named
 */
export function seaLevelIn(grid: Grid, w: Window, level: number): Float64Array {
  const toLonLat = transformer(grid.crs, LONLAT);
  const step = Math.max(1, LATTICE >> level);
  const i0 = Math.floor(w.col / step);
  const j0 = Math.floor(w.row / step);
  const nx = Math.floor((w.col + w.width) / step) - i0 + 2;
  const ny = Math.floor((w.row + w.height) / step) - j0 + 2;
  const sea = new Float64Array(nx * ny);
  for (let j = 0; j < ny; j++) {
    for (let i = 0; i < nx; i++) {
      sea[j * nx + i] = seaLevelAboveEllipsoid(
        ...toLonLat(...toMap(grid, (i0 + i) * step, (j0 + j) * step)),
      );
    }
  }
  const out = new Float64Array(w.width * w.height);
  for (let r = 0, offset = 0; r < w.height; r++) {
    const down = (w.row + r + 0.5) / step;
    const j = Math.floor(down) - j0;
    const fy = down - Math.floor(down);
    for (let c = 0; c < w.width; c++, offset++) {
      const across = (w.col + c + 0.5) / step;
      const k = j * nx + Math.floor(across) - i0;
      const fx = across - Math.floor(across);
      out[offset] =
        (sea[k]! * (1 - fx) + sea[k + 1]! * fx) * (1 - fy) +
        (sea[k + nx]! * (1 - fx) + sea[k + nx + 1]! * fx) * fy;
    }
  }
  return out;
}
