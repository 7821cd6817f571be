import { LONLAT, transformer } from "../geodesy/crs";
import { dot, norm, sub, toEcef } from "../geodesy/ecef";
import { type Grid, type Window, toMap } from "../grid/grid";
import { type RangeDoppler, cellLocator } from "./sensor";
import { largestCellM } from "../grid/metres";

/** Spacing of the lattice's layers in metres, anchored to zero height. */
export const LATTICE_METRES = 500;

/**
 * Spacing of the lattice's nodes in cells of a grid, anchored to its corner: a power of two up to
 * 32 that stays under 700 m where the image
 * has the product's own cells. The error of linear interpolation grows with the square of the
 * spacing, so an image whose cells are
 * `imageCells` times as large (after looks, or an overview) takes nodes that lie √imageCells times
 * as far apart for the same share of its cell.
 */
export function latticeCells(grid: Grid, imageCells = 1): number {
  const metres = largestCellM(grid);
  return Math.max(
    1,
    Math.min(32, 2 ** Math.floor(Math.log2((700 * Math.sqrt(imageCells)) / metres))),
  );
}

/**
 * Range–Doppler positions on a coarse lattice over output column, row and height. Bilinear in
 * column and row and linear in height
 * it stays within 0.05 cell of the exact solution (measured figures in docs/methods.md). A position
 * depends on the output grid alone, never on the window.
 */
export interface SensorLattice {
  /** Cells between nodes. */
  step: number;
  i0: number;
  j0: number;
  k0: number;
  nx: number;
  ny: number;
  nz: number;
  /** Lines and samples [k][j][i], zero-based; NaN where not seen. */
  line: Float64Array;
  sample: Float64Array;
}

/**
 * How many of the product's cells a cell of an image in its frame spans, along the side where it
 * spans fewer.
 */
export const imageCellsOf = (image: Grid): number =>
  Math.max(1, Math.min(Math.abs(image.transform[1]), Math.abs(image.transform[5])));

/**
 * @param w window of the output grid; @param heights lowest and highest ground there, metres;
 * @param imageCells see `latticeCells`
 */
export function sensorLattice(
  rd: RangeDoppler,
  grid: Grid,
  w: Window,
  heights: readonly [number, number],
  imageCells = 1,
): SensorLattice {
  return latticeOf(cellLocator(rd, grid), latticeCells(grid, imageCells), w, heights);
}

/** A metre of look at a thousand kilometres, about where a sensor is. */
const LOOK_DISTANCE = 1e6;

/**
 * A lattice of how places are seen: in place of a sample the metres from the sensor, in place of a
 * line the angle between the beam and the sensor's vertical, times a thousand kilometres.
 * @param w window of the grid; @param heights lowest and highest ground there, metres
 */
export function lookLattice(
  rd: RangeDoppler,
  grid: Grid,
  w: Window,
  heights: readonly [number, number],
): SensorLattice {
  const toLonLat = transformer(grid.crs, LONLAT);
  const lookAt = (col: number, row: number, height: number) => {
    const point = toEcef(...toLonLat(...toMap(grid, col, row)), height);
    const time = rd.zeroDoppler(point);
    if (Number.isNaN(time)) {
      return { line: NaN, sample: NaN };
    }
    const { position } = rd.orbit.at(time);
    const beam = sub(point, position);
    const slant = norm(beam);
    const cosine = -dot(beam, position) / (slant * norm(position));
    return { line: LOOK_DISTANCE * Math.acos(cosine), sample: slant };
  };
  return latticeOf(lookAt, latticeCells(grid), w, heights);
}

/** A lattice of two numbers over columns, rows and heights. */
function latticeOf(
  at: (col: number, row: number, height: number) => { line: number; sample: number },
  step: number,
  w: Window,
  heights: readonly [number, number],
): SensorLattice {
  const i0 = Math.floor(w.col / step);
  const j0 = Math.floor(w.row / step);
  const k0 = Math.floor(heights[0] / LATTICE_METRES);
  const nx = Math.floor((w.col + w.width - 1) / step) - i0 + 2;
  const ny = Math.floor((w.row + w.height - 1) / step) - j0 + 2;
  const nz = Math.floor(heights[1] / LATTICE_METRES) - k0 + 2;
  const line = new Float64Array(nx * ny * nz);
  const sample = new Float64Array(nx * ny * nz);
  for (let k = 0, n = 0; k < nz; k++) {
    for (let j = 0; j < ny; j++) {
      for (let i = 0; i < nx; i++, n++) {
        const position = at(
          (i0 + i) * step + 0.5,
          (j0 + j) * step + 0.5,
          (k0 + k) * LATTICE_METRES,
        );
        line[n] = position.line;
        sample[n] = position.sample;
      }
    }
  }
  return { step, i0, j0, k0, nx, ny, nz, line, sample };
}
