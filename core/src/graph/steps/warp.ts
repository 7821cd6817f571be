import * as yup from "yup";
import { type Path, isPath, pathFunction } from "../../align/mapping";
import { transformer } from "../../geodesy/crs";
import { betweenGrids } from "../../grid/globe";
import {
  type Grid,
  type Window,
  cellSize,
  levelCount,
  levelGrid,
  toCell,
  toMap,
} from "../../grid/grid";

import { bilinear, cubic, nearest } from "../../raster/resample";
import type { BandInfo } from "../image";
import { CLASS_NODATA, realCells } from "../../raster/block";
import type { Step, StepContext } from "../step";
import { InputError } from "../../errors";
import { RESAMPLING, type Resampling } from "../../raster/resampling";

/**
 * `path`: where a place of the grid lies in the coordinates of the input, in place of the way
 * between their reference systems.
 */
interface WarpParams {
  grid: Grid;
  kernel: Resampling;
  path?: Path;
}
/** Bands of codes and bits: of which a mean means nothing. */
const coded = (band: BandInfo): boolean =>
  band.role === "quality" ||
  band.role === "mask" ||
  band.role === "hidden" ||
  band.role === "classes";

/**
 * Lattice spacing in output cells; positions between are interpolated, which keeps projections out
 * of the inner loop.
 */
const LATTICE = 32;

/**
 * Parts of a cell in which positions are counted: so a window's corner can be taken off without
 * rounding, and what is left of a cell does not hang on the window.
 */
const PARTS = 2 ** 24;

/**
 * Puts an image on another grid. Where the target is coarser the nearest pyramid level is read, so
 * that cells are means of
 * what they cover and not samples.
 */
export const warpStep: Step<WarpParams> = {
  kind: "grid.warp",
  version: 4,
  title: "Onto the grid",
  help: "Puts an image on another grid: bilinear or cubic for values, nearest for classes, masks and bits.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      grid: yup.mixed<Grid>().required(),
      kernel: yup.string().oneOf(RESAMPLING).required(),
      path: yup
        .mixed<Path>()
        .optional()
        .test("path", "path is no transform", (value) => value === undefined || isPath(value)),
    })
    .noUnknown(),
  describe([info], params) {
    if (info!.type === "class8" && params.kernel !== "nearest") {
      throw new InputError("Classes can only be moved by nearest neighbour", "kernel");
    }
    if (!params.path) {
      transformer(params.grid.crs, info!.grid.crs);
    }
    return { ...info!, grid: params.grid };
  },
  reach(w, ctx) {
    const { level, grid } = source(ctx);
    const lat = lattice(w, ctx.output.grid, grid, ctx.params.path);
    let c0 = Infinity;
    let c1 = -Infinity;
    let r0 = Infinity;
    let r1 = -Infinity;
    for (let i = 0; i < lat.x.length; i++) {
      const x = lat.x[i]!;
      const y = lat.y[i]!;
      if (!(x >= -1e7 && x <= 1e7 && y >= -1e7 && y <= 1e7)) {
        continue;
      }
      c0 = Math.min(c0, x);
      c1 = Math.max(c1, x);
      r0 = Math.min(r0, y);
      r1 = Math.max(r1, y);
    }
    if (!(c1 >= c0)) {
      return [{ window: { col: 0, row: 0, width: 0, height: 0 }, level }];
    }
    const col = Math.max(-2, Math.floor(c0) - 2);
    const row = Math.max(-2, Math.floor(r0) - 2);
    return [
      {
        level,
        window: {
          col,
          row,
          width: Math.max(0, Math.min(grid.width + 2, Math.ceil(c1) + 2) - col),
          height: Math.max(0, Math.min(grid.height + 2, Math.ceil(r1) + 2) - row),
        },
      },
    ];
  },
  compute([block], out, ctx) {
    const { grid } = source(ctx);
    const w = out.window;
    const from = block!.window;
    if (from.width === 0 || from.height === 0) {
      out.bands.forEach((band) => band.fill(band instanceof Float32Array ? NaN : CLASS_NODATA));
      return;
    }
    const lat = lattice(w, ctx.output.grid, grid, ctx.params.path);
    const n = w.width * w.height;
    const xs = new Float64Array(n);
    const ys = new Float64Array(n);
    for (let r = 0, cell = 0; r < w.height; r++) {
      const value = (w.row + r) / LATTICE;
      const j = Math.floor(value) - lat.j0;
      const fy = value - Math.floor(value);
      for (let c = 0; c < w.width; c++, cell++) {
        const across = (w.col + c) / LATTICE;
        const i = Math.floor(across) - lat.i0;
        const fx = across - Math.floor(across);
        const k = j * lat.nx + i;
        const x =
          (lat.x[k]! * (1 - fx) + lat.x[k + 1]! * fx) * (1 - fy) +
          (lat.x[k + lat.nx]! * (1 - fx) + lat.x[k + lat.nx + 1]! * fx) * fy;
        const y =
          (lat.y[k]! * (1 - fx) + lat.y[k + 1]! * fx) * (1 - fy) +
          (lat.y[k + lat.nx]! * (1 - fx) + lat.y[k + lat.nx + 1]! * fx) * fy;
        xs[cell] = Math.round(x * PARTS) / PARTS - from.col;
        ys[cell] = Math.round(y * PARTS) / PARTS - from.row;
      }
    }
    out.bands.forEach((dst, b) => {
      const kernel = coded(ctx.base[0]!.bands[b]!) ? "nearest" : ctx.params.kernel;
      if (kernel !== "nearest") {
        (kernel === "cubic" ? cubic : bilinear)(
          realCells(block!.bands[b]!),
          from.width,
          from.height,
          xs,
          ys,
          realCells(dst),
        );
      } else {
        nearest(block!.bands[b]!, from.width, from.height, xs, ys, dst);
      }
    });
  },
};

const between = (
  out: Grid,
  src: Grid,
  path: Path | undefined,
): ((x: number, y: number) => [number, number]) =>
  path ? pathFunction(path) : betweenGrids(out, src);

/** Level of the input whose cells are nearest in size to the output's, and its grid. */
function source(ctx: StepContext<WarpParams>): { level: number; grid: Grid } {
  const info = ctx.base[0]!;
  const grid = ctx.output.grid;
  const t = between(grid, info.grid, ctx.params.path);
  const mid = (c: number, r: number) =>
    toCell(info.grid, ...t(...toMap(grid, grid.width / 2 + c, grid.height / 2 + r)));
  const origin = mid(0, 0);
  const e = mid(1, 0);
  const s = mid(0, 1);
  const cells = Math.sqrt(
    Math.hypot(e[0] - origin[0], e[1] - origin[1]) * Math.hypot(s[0] - origin[0], s[1] - origin[1]),
  );
  const size = Number.isFinite(cells)
    ? cells
    : Math.max(...cellSize(grid)) / Math.max(...cellSize(info.grid));
  const level = Math.max(
    0,
    Math.min(
      levelCount(info.grid.width, info.grid.height) - 1,
      Math.round(Math.log2(Math.max(size, 1e-9))),
    ),
  );
  return { level, grid: levelGrid(info.grid, level) };
}

/**
 * Input positions (corner convention) of output cell centres on a coarse lattice that covers the
 * window.
 */
function lattice(
  w: Window,
  out: Grid,
  src: Grid,
  path: Path | undefined,
): { x: Float64Array; y: Float64Array; nx: number; i0: number; j0: number } {
  const t = between(out, src, path);
  // Anchored to the output grid, not to the window, so that a cell's position does not depend on
  // its block.
  const i0 = Math.floor(w.col / LATTICE);
  const j0 = Math.floor(w.row / LATTICE);
  const nx = Math.floor((w.col + w.width - 1) / LATTICE) - i0 + 2;
  const ny = Math.floor((w.row + w.height - 1) / LATTICE) - j0 + 2;
  const x = new Float64Array(nx * ny);
  const y = new Float64Array(nx * ny);
  for (let j = 0; j < ny; j++) {
    for (let i = 0; i < nx; i++) {
      const [c, r] = toCell(
        src,
        ...t(...toMap(out, (i0 + i) * LATTICE + 0.5, (j0 + j) * LATTICE + 0.5)),
      );
      x[j * nx + i] = c;
      y[j * nx + i] = r;
    }
  }
  return { x, y, nx, i0, j0 };
}
