import { LATTICE_METRES, type SensorLattice } from "../radar/lattice";

/**
 * Position in a lattice at any column, row (centres at + ½) and height, plainly written: what the
 * compiled kernel is held against.
 */
export function latticeAt(
  lattice: SensorLattice,
  col: number,
  row: number,
  height: number,
): { line: number; sample: number } {
  const across = (col - 0.5) / lattice.step - lattice.i0;
  const value = (row - 0.5) / lattice.step - lattice.j0;
  const h = height / LATTICE_METRES - lattice.k0;
  const i = Math.floor(across);
  const j = Math.floor(value);
  const k = Math.floor(h);
  const fx = across - i;
  const fy = value - j;
  const fz = h - k;
  const offset = (k * lattice.ny + j) * lattice.nx + i;
  const up = lattice.nx * lattice.ny;
  if (!(
    i >= 0 &&
    j >= 0 &&
    k >= 0 &&
    i + 1 < lattice.nx &&
    j + 1 < lattice.ny &&
    k + 1 < lattice.nz
  )) {
    return { line: NaN, sample: NaN };
  }
  const plane = (a: Float64Array, position: number) =>
    (a[position]! * (1 - fx) + a[position + 1]! * fx) * (1 - fy) +
    (a[position + lattice.nx]! * (1 - fx) + a[position + lattice.nx + 1]! * fx) * fy;
  const mix = (a: Float64Array) => plane(a, offset) * (1 - fz) + plane(a, offset + up) * fz;
  return { line: mix(lattice.line), sample: mix(lattice.sample) };
}
