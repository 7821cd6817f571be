import { LONLAT, transformer } from "../geodesy/crs";
import { type Vec3, cross, dot, mapVec, norm, sub, toEcef } from "../geodesy/ecef";
import { type Grid, type Window, toMap } from "../grid/grid";
import { Workspace } from "../wasm/kernels";
import { LATTICE_METRES, type SensorLattice, imageCellsOf, sensorLattice } from "./lattice";
import type { RangeDoppler } from "./sensor";
import type { Resampling } from "../raster/resampling";

/**
 * Bands of a sensor image on map cells by inverse mapping: every output cell with its height goes
 * through range–Doppler geometry (the
 * fast lattice) to a place in the image, which is sampled as asked (nearest cell, bilinear, or
 * cubic convolution). Where output cells are coarser than the image's, the mean of
 * `per` x `per` samples spread over the cell is taken, so that no image cell is passed over.
 *
 * @param heights w.width x w.height metres above the ellipsoid; NaN cells come out NaN
 * @param image window of the image on its grid (a cut, looks or level of the product's frame);
 * @param out one array a band
 */
export function correctTerrain(
  rd: RangeDoppler,
  grid: Grid,
  w: Window,
  heights: Float32Array,
  image: { grid: Grid; window: Window; bands: readonly Float32Array[] },
  per: number,
  out: readonly Float32Array[],
  resampling: Resampling = "bilinear",
): void {
  const [low, high] = extent(heights);
  out.forEach((output) => output.fill(NaN));
  if (!(high >= low) || image.window.width === 0 || image.window.height === 0) {
    return;
  }
  const lat = sensorLattice(
    rd,
    grid,
    { col: w.col - 1, row: w.row - 1, width: w.width + 2, height: w.height + 2 },
    [low, high],
    imageCellsOf(image.grid),
  );
  const transform = image.grid.transform;
  const space = Workspace.begin();
  const n = w.width;
  const cells = image.window.width * image.window.height;
  const place = latticeIn(space, lat);
  const h = space.take(n * 4);
  const xs = space.take(n * 8);
  const ys = space.take(n * 8);
  const to = space.take(n * 4);
  const bands = image.bands.map(() => space.take(cells * 4));
  image.bands.forEach((band, k) => space.f32(bands[k]!, cells).set(band));
  // (sample + ½ − t0)/t1 is a column of the image's grid.
  const cx = 1 / transform[1];
  const ox = (0.5 - transform[0]) / transform[1];
  const cy = 1 / transform[5];
  const oy = (0.5 - transform[3]) / transform[5];
  const sums = per > 1 ? out.map(() => new Float32Array(n)) : null;
  const counts = per > 1 ? out.map(() => new Uint16Array(n)) : null;
  for (let r = 0; r < w.height; r++) {
    space.f32(h, n).set(heights.subarray(r * n, (r + 1) * n));
    sums?.forEach((sum) => sum.fill(0));
    counts?.forEach((count) => count.fill(0));
    for (let j = 0; j < per; j++) {
      for (let i = 0; i < per; i++) {
        const dx = (i + 0.5) / per - 0.5;
        const dy = (j + 0.5) / per - 0.5;
        space.kernels.rangePositions(
          place.line,
          place.sample,
          lat.nx,
          lat.ny,
          lat.nz,
          w.col,
          dx,
          lat.i0,
          1 / lat.step,
          (w.row + r + dy) / lat.step - lat.j0,
          h,
          lat.k0,
          1 / LATTICE_METRES,
          cx,
          ox,
          image.window.col,
          cy,
          oy,
          image.window.row,
          xs,
          ys,
          n,
        );
        if (resampling === "nearest") {
          for (const at of [xs, ys]) {
            const values = space.f64(at, n);
            for (let cell = 0; cell < n; cell++) {
              values[cell] = Math.floor(values[cell]!) + 0.5;
            }
          }
        }
        bands.forEach((b, k) => {
          space.kernels[resampling === "cubic" ? "sampleCubic" : "sampleBilinear"](
            b,
            image.window.width,
            image.window.height,
            xs,
            ys,
            to,
            n,
          );
          const got = space.f32(to, n);
          if (!sums) {
            out[k]!.set(got, r * n);
            return;
          }
          const s = sums[k]!;
          const c = counts![k]!;
          for (let cell = 0; cell < n; cell++) {
            const value = got[cell]!;
            if (value === value) {
              s[cell]! += value;
              c[cell]!++;
            }
          }
        });
      }
    }
    sums?.forEach((sum, k) => {
      const c = counts![k]!;
      const output = out[k]!;
      for (let cell = 0; cell < n; cell++) {
        output[r * n + cell] = c[cell] ? sum[cell]! / c[cell]! : NaN;
      }
    });
  }
}

/** A lattice in the kernels' memory. */
export const latticeIn = (
  space: Workspace,
  lattice: SensorLattice,
): { line: number; sample: number } => ({
  line: put(space, lattice.line),
  sample: put(space, lattice.sample),
});
const put = (space: Workspace, a: Float64Array): number => {
  const pointer = space.take(a.length * 8);
  space.f64(pointer, a.length).set(a);
  return pointer;
};

/** Smallest and largest of values that are numbers; infinities where there is none. */
export function extent(a: Float32Array): [number, number] {
  let lo = Infinity;
  let hi = -Infinity;
  for (let i = 0; i < a.length; i++) {
    const value = a[i]!;
    if (value < lo) {
      lo = value;
    }
    if (value > hi) {
      hi = value;
    }
  }
  return [lo, hi];
}

/**
 * Positions of one row of cell centres after another, by the compiled kernel: samples and lines
 * (zero-based) of every column of the
 * lattice's window at given heights; NaN where the height is NaN. Calls must not be mixed with
 * other kernel work.
 */
export function rowLocator(
  lattice: SensorLattice,
  col: number,
  width: number,
): (row: number, heights: Float32Array, samples: Float64Array, lines: Float64Array) => void {
  const space = Workspace.begin();
  const place = latticeIn(space, lattice);
  const h = space.take(width * 4);
  const xs = space.take(width * 8);
  const ys = space.take(width * 8);
  return (row, heights, samples, lines) => {
    space.f32(h, width).set(heights);
    space.kernels.rangePositions(
      place.line,
      place.sample,
      lattice.nx,
      lattice.ny,
      lattice.nz,
      col,
      0,
      lattice.i0,
      1 / lattice.step,
      row / lattice.step - lattice.j0,
      h,
      lattice.k0,
      1 / LATTICE_METRES,
      1,
      0,
      0,
      1,
      0,
      0,
      xs,
      ys,
      width,
    );
    samples.set(space.f64(xs, width));
    lines.set(space.f64(ys, width));
  };
}

/**
 * How the sensor sees a place: what its cells' areas look like along the beam, the direction of
 * range, the angle from the vertical.
 */
export interface LookGeometry {
  /**
   * Area seen along the beam of one cell x one cell, of a column step with a metre of rise, of a
   * row step with a metre; m².
   */
  flat: number;
  perColumnRise: number;
  perRowRise: number;
  /** (columns, rows) per metre of growing ground range. */
  away: [number, number];
  /** Angle between the beam and the normal of the ellipsoid, radians. */
  incidence: number;
  /** Metres a column and a row. */
  cellM: [number, number];
}

/**
 * Look geometry at a place of a grid. With edges e_c, e_r of a cell and e_h of a metre of height in
 * the Earth-fixed frame and u the unit
 * vector to the sensor, a facet that rises h_c a column and h_r a row shows u·(e_c x e_r) +
 * h_r·u·(e_c x e_h) − h_c·u·(e_r x e_h).
 */
export function lookGeometry(
  rd: RangeDoppler,
  grid: Grid,
  col: number,
  row: number,
  height: number,
): LookGeometry | null {
  const pointTransform = transformer(grid.crs, LONLAT);
  const at = (c: number, r: number, h: number): Vec3 =>
    toEcef(...pointTransform(...toMap(grid, c, r)), h);
  const point = at(col, row, height);
  const time = rd.zeroDoppler(point);
  if (Number.isNaN(time)) {
    return null;
  }
  const position = rd.orbit.at(time).position;
  const beam = sub(position, point);
  const distance = norm(beam);
  const vector = mapVec(beam, (x) => x / distance);
  const ec = sub(at(col + 0.5, row, height), at(col - 0.5, row, height));
  const er = sub(at(col, row + 0.5, height), at(col, row - 0.5, height));
  const eh = sub(at(col, row, height + 0.5), at(col, row, height - 0.5));
  let flat = dot(vector, cross(ec, er));
  let perColumnRise = -dot(vector, cross(er, eh));
  let perRowRise = dot(vector, cross(ec, eh));
  // Columns east and rows south make e_c x e_r point down.
  if (flat < 0) {
    flat = -flat;
    perColumnRise = -perColumnRise;
    perRowRise = -perRowRise;
  }
  const cosine = dot(vector, eh) / norm(eh);
  const across: Vec3 = mapVec(eh, (x, k) => x * (dot(vector, eh) / dot(eh, eh)) - vector[k]!);
  const length = norm(across);
  const cc = dot(ec, ec);
  const rr = dot(er, er);
  const cr = dot(ec, er);
  const bc = dot(across, ec) / length;
  const br = dot(across, er) / length;
  const determinant = cc * rr - cr * cr;
  return {
    flat,
    perColumnRise,
    perRowRise,
    away: [(bc * rr - br * cr) / determinant, (br * cc - bc * cr) / determinant],
    incidence: Math.acos(Math.max(-1, Math.min(1, cosine))),
    cellM: [Math.sqrt(cc), Math.sqrt(rr)],
  };
}
