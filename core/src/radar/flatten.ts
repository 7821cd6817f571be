import { type Grid, type Window } from "../grid/grid";
import { LATTICE_METRES, imageCellsOf, latticeCells, sensorLattice } from "./lattice";
import { hiddenCells } from "./hidden";
import type { RangeDoppler } from "./sensor";
import { type LookGeometry, extent, latticeIn, lookGeometry } from "./terrain";
import { Workspace } from "../wasm/kernels";

/** Under this share of the flat area a cell is as good as in shadow: nodata. */
const LEAST_AREA = 0.04;

/**
 * Ratio of the illuminated area along the beam to the slant-range cell, A_gamma / A_beta, for a
 * window of an image: gamma nought is beta
 * nought divided by it. Source: Small 2011: the facets of the elevation model are placed in radar
 * geometry and their areas as
 * seen by the sensor are summed; facets turned away or in shadow add nothing; what layover heaps up
 * in one cell adds up.
 *
 * Each elevation cell is cut so finely that a piece is about half an image cell at the most, and
 * each piece is shared out over the four cells
 * around its place. Cells that no facet reaches, or only a sliver, are NaN.
 *
 * @param z elevation window `zw` of `zGrid`, metres; NaN adds nothing. It must reach past the
 * ground of the image window by a cell, and by
 * what layover can shift; @param w window of the image on `grid`; @param out w.width x w.height
 */
export function areaRatio(
  rd: RangeDoppler,
  z: Float32Array,
  zGrid: Grid,
  zw: Window,
  grid: Grid,
  w: Window,
  out: Float32Array,
): void {
  const [low, high] = extent(z);
  if (!(high >= low)) {
    out.fill(NaN);
    return;
  }
  const lat = sensorLattice(
    rd,
    zGrid,
    { col: zw.col - 1, row: zw.row - 1, width: zw.width + 2, height: zw.height + 2 },
    [low, high],
    imageCellsOf(grid),
  );
  const transform = grid.transform;
  const looks = lookLattice(rd, zGrid, zw, 0, imageCellsOf(grid));
  const middle = looks.at(zw.col + zw.width / 2, zw.row + zw.height / 2);
  if (!middle) {
    out.fill(NaN);
    return;
  }
  const hidden = new Uint8Array(zw.width * zw.height);
  hiddenCells(z, zw.width, zw.height, middle.away, middle.incidence, hidden);
  const { width, height } = w;
  const beta = betaArea(rd, grid, w);
  const n = zw.width;
  const every = latticeCells(zGrid, imageCellsOf(grid));
  const space = Workspace.begin();
  const place = latticeIn(space, lat);
  const sum = space.take(width * height * 8);
  const bits = space.take(hidden.length);
  space.f64(sum, width * height).fill(0);
  space.u8(bits, hidden.length).set(hidden);
  // Positions and heights of two rows of elevation cells at a time.
  const rows = [0, 1].map(() => ({
    x: space.take(n * 8 + 16),
    y: space.take(n * 8 + 16),
    z: space.take(n * 4 + 16),
  }));
  const cx = 1 / transform[1];
  const ox = (0.5 - transform[0]) / transform[1] - w.col - 0.5;
  const cy = 1 / transform[5];
  const oy = (0.5 - transform[3]) / transform[5] - w.row - 0.5;
  const load = (r: number): void => {
    const row = rows[r & 1]!;
    space.f32(row.z, n).set(z.subarray(r * n, (r + 1) * n));
    space.kernels.rangePositions(
      place.line,
      place.sample,
      lat.nx,
      lat.ny,
      lat.nz,
      zw.col / lat.step - lat.i0,
      1 / lat.step,
      (zw.row + r) / lat.step - lat.j0,
      row.z,
      lat.k0,
      1 / LATTICE_METRES,
      cx,
      ox,
      cy,
      oy,
      row.x,
      row.y,
      n,
    );
  };
  load(0);
  for (let r = 0; r + 1 < zw.height; r++) {
    load(r + 1);
    const row = rows[r & 1]!;
    const b = rows[(r + 1) & 1]!;
    // The look geometry holds for as many columns as lie nearest to one lattice node.
    for (let c = 0; c + 1 < n;) {
      const geometry = looks.at(zw.col + c + 1, zw.row + r + 1);
      const end = Math.min(
        n - 1,
        (Math.round((zw.col + c + 1) / every) + 0.5) * every - zw.col - 1,
      );
      const to = Math.max(c + 1, Math.ceil(end));
      if (geometry) {
        space.kernels.facetRow(
          row.x,
          row.y,
          row.z,
          b.x,
          b.y,
          b.z,
          bits + r * n,
          c,
          to,
          geometry.flat,
          geometry.perColumnRise,
          geometry.perRowRise,
          sum,
          width,
          height,
        );
      }
      c = to;
    }
  }
  const total = space.f64(sum, width * height);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const i = r * width + c;
      const value = total[i]! / beta(c, r);
      out[i] = value >= LEAST_AREA ? value : NaN;
    }
  }
}

/**
 * Slant-range cell of an image, slant spacing x azimuth spacing on the ellipsoid in m², bilinear
 * over a window from its corners.
 */
function betaArea(rd: RangeDoppler, grid: Grid, w: Window): (col: number, row: number) => number {
  const transform = grid.transform;
  const at = (c: number, r: number) => {
    const sample = transform[0] + (w.col + c) * transform[1] - 0.5;
    const line = transform[3] + (w.row + r) * transform[5] - 0.5;
    const time = rd.timeOf(line);
    const s = rd.model.sampleSpacingM;
    const slant = rd.slantRange((sample + 0.5) * s, time) - rd.slantRange((sample - 0.5) * s, time);
    const a = rd.ground(line - 0.5, sample, 0);
    const b = rd.ground(line + 0.5, sample, 0);
    return slant * transform[1] * Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) * transform[5];
  };
  const start = at(0, 0);
  const end = at(w.width, 0);
  const r = at(0, w.height);
  const s = at(w.width, w.height);
  return (c, row) => {
    const x = (c + 0.5) / w.width;
    const y = (row + 0.5) / w.height;
    return (start * (1 - x) + end * x) * (1 - y) + (r * (1 - x) + s * x) * y;
  };
}

/** Look geometry on the lattice's nodes; the nearest node stands for a cell. */
export function lookLattice(
  rd: RangeDoppler,
  grid: Grid,
  w: Window,
  height: number,
  imageCells: number,
): { at(col: number, row: number): LookGeometry | null } {
  const found = new Map<number, LookGeometry | null>();
  const step = latticeCells(grid, imageCells);
  const across = Math.ceil((w.col + w.width) / step) + 3;
  return {
    at(col, row) {
      const i = Math.round(col / step);
      const j = Math.round(row / step);
      const key = j * across + i;
      let geometry = found.get(key);
      if (geometry === undefined) {
        geometry = lookGeometry(rd, grid, i * step, j * step, height);
        found.set(key, geometry);
      }
      return geometry;
    },
  };
}
