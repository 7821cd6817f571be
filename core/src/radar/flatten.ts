import { isGeographic } from '../geodesy/crs';
import { type Grid, type Window, cellSize } from '../grid/grid';
import { latticeCells, sensorLattice } from './lattice';
import { hiddenCells, SHADOW } from './hidden';
import type { RangeDoppler } from './sensor';
import { type LookGeometry, extent, lookGeometry, rowLocator } from './terrain';

/** Under this share of the flat area a cell is as good as in shadow: nodata. */
const LEAST_AREA = 0.04;

/**
 * Ratio of the illuminated area along the beam to the slant-range cell, A_gamma / A_beta, for a window of an image: gamma nought is beta
 * nought divided by it. Source: Small 2011: the facets of the elevation model are placed in radar geometry and their areas as
 * seen by the sensor are summed; facets turned away or in shadow add nothing; what layover heaps up in one cell adds up.
 *
 * Each elevation cell is cut so finely that a piece is less than half an image cell, and each piece is shared out over the four cells
 * around its place. Cells that no facet reaches, or only a sliver, are NaN.
 *
 * @param z elevation window `zw` of `zGrid`, metres; NaN adds nothing. It must reach past the ground of the image window by a cell, and by
 * what layover can shift; @param w window of the image on `grid`; @param out w.width x w.height
 */
export function areaRatio(rd: RangeDoppler, z: Float32Array, zGrid: Grid, zw: Window, grid: Grid, w: Window, out: Float32Array): void {
  out.fill(0);
  const [low, high] = extent(z);
  if (!(high >= low)) { out.fill(NaN); return; }
  const lat = sensorLattice(rd, zGrid, { col: zw.col - 1, row: zw.row - 1, width: zw.width + 2, height: zw.height + 2 }, [low, high]);
  const t = grid.transform, toCol = (sample: number) => (sample + 0.5 - t[0]) / t[1] - w.col, toRow = (line: number) => (line + 0.5 - t[3]) / t[5] - w.row;
  const looks = lookLattice(rd, zGrid, zw, 0), middle = looks.at(zw.col + zw.width / 2, zw.row + zw.height / 2);
  if (!middle) { out.fill(NaN); return; }
  const hidden = new Uint8Array(zw.width * zw.height);
  hiddenCells(z, zw.width, zw.height, middle.away, middle.incidence, hidden);
  const cellM = Math.min(rd.model.sampleSpacingM * t[1], rd.model.lineSpacingM * t[5]), metres = Math.max(...cellSize(zGrid)) * (isGeographic(zGrid.crs) ? 111_320 : 1), parts = Math.max(1, Math.ceil((2.2 * metres) / cellM)), share = 1 / (parts * parts);
  const { width, height } = w, beta = betaArea(rd, grid, w), locate = rowLocator(lat, zw.col, zw.width), n = zw.width;
  // Columns and rows of the image window, of two rows of elevation cells at a time.
  let x0 = new Float64Array(n), y0 = new Float64Array(n), x1 = new Float64Array(n), y1 = new Float64Array(n);
  const load = (r: number, x: Float64Array, y: Float64Array) => { locate(zw.row + r, z.subarray(r * n, (r + 1) * n), x, y); for (let c = 0; c < n; c++) { x[c] = toCol(x[c]!) - 0.5; y[c] = toRow(y[c]!) - 0.5; } };
  load(0, x0, y0);
  for (let r = 0; r + 1 < zw.height; r++) {
    load(r + 1, x1, y1);
    for (let c = 0; c + 1 < n; c++) {
      const ax = x0[c]!, bx = x0[c + 1]!, dx = x1[c]!, ex = x1[c + 1]!, ay = y0[c]!, by = y0[c + 1]!, dy = y1[c]!, ey = y1[c + 1]!;
      // A quad that lies wholly outside the window, or lacks a corner, is passed over.
      if (!(Math.max(ax, bx, dx, ex) > -1 && Math.min(ax, bx, dx, ex) < width && Math.max(ay, by, dy, ey) > -1 && Math.min(ay, by, dy, ey) < height)) continue;
      const i = r * n + c;
      if (hidden[i]! & SHADOW) continue;
      const a = z[i]!, b = z[i + 1]!, d = z[i + n]!, e = z[i + n + 1]!, g = looks.at(zw.col + c + 1, zw.row + r + 1);
      if (!g || !(a + b + d + e > -Infinity)) continue;
      for (let q = 0; q < parts; q++) {
        const v = (q + 0.5) / parts, hc = (b - a) * (1 - v) + (e - d) * v;
        for (let k = 0; k < parts; k++) {
          const u = (k + 0.5) / parts, hr = (d - a) * (1 - u) + (e - b) * u;
          const area = (g.flat + hc * g.perColumnRise + hr * g.perRowRise) * share;
          if (!(area > 0)) continue;
          const x = (ax * (1 - u) + bx * u) * (1 - v) + (dx * (1 - u) + ex * u) * v, y = (ay * (1 - u) + by * u) * (1 - v) + (dy * (1 - u) + ey * u) * v;
          const xi = Math.floor(x), yi = Math.floor(y), fx = x - xi, fy = y - yi;
          if (xi >= -1 && yi >= -1 && xi < width && yi < height) {
            const o = yi * width + xi;
            if (xi >= 0 && yi >= 0) out[o]! += area * (1 - fx) * (1 - fy);
            if (xi + 1 < width && yi >= 0) out[o + 1]! += area * fx * (1 - fy);
            if (xi >= 0 && yi + 1 < height) out[o + width]! += area * (1 - fx) * fy;
            if (xi + 1 < width && yi + 1 < height) out[o + width + 1]! += area * fx * fy;
          }
        }
      }
    }
    [x0, x1] = [x1, x0]; [y0, y1] = [y1, y0];
  }
  for (let r = 0; r < height; r++) for (let c = 0; c < width; c++) { const i = r * width + c, v = out[i]! / beta(c, r); out[i] = v >= LEAST_AREA ? v : NaN; }
}

/** Slant-range cell of an image, slant spacing x azimuth spacing on the ellipsoid in m², bilinear over a window from its corners. */
function betaArea(rd: RangeDoppler, grid: Grid, w: Window): (col: number, row: number) => number {
  const t = grid.transform, at = (c: number, r: number) => {
    const sample = t[0] + (w.col + c) * t[1] - 0.5, line = t[3] + (w.row + r) * t[5] - 0.5, time = rd.timeOf(line), s = rd.model.sampleSpacingM;
    const slant = rd.slantRange((sample + 0.5) * s, time) - rd.slantRange((sample - 0.5) * s, time);
    const a = rd.ground(line - 0.5, sample, 0), b = rd.ground(line + 0.5, sample, 0);
    return slant * t[1] * Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) * t[5];
  };
  const p = at(0, 0), q = at(w.width, 0), r = at(0, w.height), s = at(w.width, w.height);
  return (c, row) => { const x = (c + 0.5) / w.width, y = (row + 0.5) / w.height; return (p * (1 - x) + q * x) * (1 - y) + (r * (1 - x) + s * x) * y; };
}

/** Look geometry on the lattice's nodes; the nearest node stands for a cell. */
export function lookLattice(rd: RangeDoppler, grid: Grid, w: Window, height: number): { at(col: number, row: number): LookGeometry | null } {
  const found = new Map<number, LookGeometry | null>(), step = latticeCells(grid), across = Math.ceil((w.col + w.width) / step) + 3;
  return {
    at(col, row) {
      const i = Math.round(col / step), j = Math.round(row / step), key = j * across + i;
      let g = found.get(key);
      if (g === undefined) { g = lookGeometry(rd, grid, i * step, j * step, height); found.set(key, g); }
      return g;
    },
  };
}
