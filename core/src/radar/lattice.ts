import { type Grid, type Window } from '../grid/grid';
import { type RangeDoppler, cellLocator } from './sensor';

/** Spacing of the lattice's nodes in output cells and of its layers in metres; both anchored to zero, not to a window. */
export const LATTICE_CELLS = 32, LATTICE_METRES = 500;

/**
 * Range–Doppler positions on a coarse lattice over output column, row and height. Bilinear in column and row and linear in height
 * it stays within 0.05 cell of the exact solution for cells up to 100 m (see docs/methods.md for the measured figure). A position
 * depends on the output grid alone, never on the window.
 */
export interface SensorLattice {
  i0: number; j0: number; k0: number; nx: number; ny: number; nz: number;
  /** Lines and samples [k][j][i], zero-based; NaN where not seen. */
  line: Float64Array; sample: Float64Array;
}

/** @param w window of the output grid; @param heights lowest and highest ground there, metres */
export function sensorLattice(rd: RangeDoppler, grid: Grid, w: Window, heights: readonly [number, number]): SensorLattice {
  const at = cellLocator(rd, grid);
  const i0 = Math.floor(w.col / LATTICE_CELLS), j0 = Math.floor(w.row / LATTICE_CELLS), k0 = Math.floor(heights[0] / LATTICE_METRES);
  const nx = Math.floor((w.col + w.width - 1) / LATTICE_CELLS) - i0 + 2, ny = Math.floor((w.row + w.height - 1) / LATTICE_CELLS) - j0 + 2, nz = Math.floor(heights[1] / LATTICE_METRES) - k0 + 2;
  const line = new Float64Array(nx * ny * nz), sample = new Float64Array(nx * ny * nz);
  for (let k = 0, n = 0; k < nz; k++) for (let j = 0; j < ny; j++) for (let i = 0; i < nx; i++, n++) {
    const p = at((i0 + i) * LATTICE_CELLS + 0.5, (j0 + j) * LATTICE_CELLS + 0.5, (k0 + k) * LATTICE_METRES);
    line[n] = p.line; sample[n] = p.sample;
  }
  return { i0, j0, k0, nx, ny, nz, line, sample };
}
