import { type Grid, type Window } from "../grid/grid";
import { LATTICE_METRES, imageCellsOf, sensorLattice } from "./lattice";
import { hiddenGround } from "./hidden";
import { LookNodes } from "./lookNodes";
import type { RangeDoppler } from "./sensor";
import { extent, latticeIn } from "./terrain";
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
 * ground of the image window by what layover can shift, and by two cells more than the reach;
 * @param w window of the image on `grid`; @param reach cells of the elevation within which ground
 * throws shadow; @param out w.width x w.height
 */
export function areaRatio(
  rd: RangeDoppler,
  z: Float32Array,
  zGrid: Grid,
  zw: Window,
  grid: Grid,
  w: Window,
  reach: number,
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
  const looks = new LookNodes(rd, zGrid, imageCellsOf(grid));
  const hidden = hiddenGround(rd, zGrid, zw, z, reach);
  const { width, height } = w;
  const beta = betaArea(rd, grid);
  const n = zw.width;
  const every = looks.step;
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
  const ox = (0.5 - transform[0]) / transform[1] - 0.5;
  const cy = 1 / transform[5];
  const oy = (0.5 - transform[3]) / transform[5] - 0.5;
  const load = (r: number): void => {
    const row = rows[r & 1]!;
    space.f32(row.z, n).set(z.subarray(r * n, (r + 1) * n));
    space.kernels.rangePositions(
      place.line,
      place.sample,
      lat.nx,
      lat.ny,
      lat.nz,
      zw.col,
      0,
      lat.i0,
      1 / lat.step,
      (zw.row + r) / lat.step - lat.j0,
      row.z,
      lat.k0,
      1 / LATTICE_METRES,
      cx,
      ox,
      0,
      cy,
      oy,
      0,
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
      const geometry = looks.nearest(zw.col + c + 1, zw.row + r + 1);
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
          w.col,
          w.row,
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
      const value = total[i]! / beta(w.col + c, w.row + r);
      out[i] = value >= LEAST_AREA ? value : NaN;
    }
  }
}

/** Cells of the image between nodes of its slant-range cell. */
const BETA_STEP = 64;

/**
 * Slant-range cell of an image, slant spacing x azimuth spacing on the ellipsoid in m², bilinear
 * between nodes that are anchored to the image's corner.
 */
function betaArea(rd: RangeDoppler, grid: Grid): (col: number, row: number) => number {
  const transform = grid.transform;
  const nodes = new Map<string, number>();
  const at = (i: number, j: number): number => {
    const key = `${i} ${j}`;
    const known = nodes.get(key);
    if (known !== undefined) {
      return known;
    }
    const sample = transform[0] + i * BETA_STEP * transform[1] - 0.5;
    const line = transform[3] + j * BETA_STEP * transform[5] - 0.5;
    const time = rd.timeOf(line);
    const s = rd.model.sampleSpacingM;
    const slant = rd.slantRange((sample + 0.5) * s, time) - rd.slantRange((sample - 0.5) * s, time);
    const a = rd.ground(line - 0.5, sample, 0);
    const b = rd.ground(line + 0.5, sample, 0);
    const area =
      slant * transform[1] * Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) * transform[5];
    nodes.set(key, area);
    return area;
  };
  return (col, row) => {
    const x = (col + 0.5) / BETA_STEP;
    const y = (row + 0.5) / BETA_STEP;
    const i = Math.floor(x);
    const j = Math.floor(y);
    const upper = at(i, j) + (at(i + 1, j) - at(i, j)) * (x - i);
    const lower = at(i, j + 1) + (at(i + 1, j + 1) - at(i, j + 1)) * (x - i);
    return upper + (lower - upper) * (y - j);
  };
}
