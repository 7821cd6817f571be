import { LATTICE_METRES, type SensorLattice } from "../radar/lattice";

/**
 * Position in a lattice at any column, row (centres at + ½) and height, plainly written: what the
 * compiled kernel is held against.
 */
export function latticeAt(
  l: SensorLattice,
  col: number,
  row: number,
  height: number,
): { line: number; sample: number } {
  const u = (col - 0.5) / l.step - l.i0;
  const v = (row - 0.5) / l.step - l.j0;
  const h = height / LATTICE_METRES - l.k0;
  const i = Math.floor(u);
  const j = Math.floor(v);
  const k = Math.floor(h);
  const fx = u - i;
  const fy = v - j;
  const fz = h - k;
  const o = (k * l.ny + j) * l.nx + i;
  const up = l.nx * l.ny;
  if (!(i >= 0 && j >= 0 && k >= 0 && i + 1 < l.nx && j + 1 < l.ny && k + 1 < l.nz)) {
    return { line: NaN, sample: NaN };
  }
  const plane = (a: Float64Array, p: number) =>
    (a[p]! * (1 - fx) + a[p + 1]! * fx) * (1 - fy) +
    (a[p + l.nx]! * (1 - fx) + a[p + l.nx + 1]! * fx) * fy;
  const mix = (a: Float64Array) => plane(a, o) * (1 - fz) + plane(a, o + up) * fz;
  return { line: mix(l.line), sample: mix(l.sample) };
}
