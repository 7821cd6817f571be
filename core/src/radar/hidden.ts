import type { Grid, Window } from "../grid/grid";
import { Workspace } from "../wasm/kernels";
import { frameLook } from "./frameLook";
import { lookLattice } from "./lattice";
import type { RangeDoppler } from "./sensor";
import { extent, rowLocator } from "./terrain";

/** Bits of the layover/shadow band. */
export const LAYOVER = 1;
export const SHADOW = 2;

/** Lines of growing range over a grid: straight, all alike, and the same for every window of it. */
export interface RangeLines {
  /** They follow the columns, else the rows. */
  byColumn: boolean;
  /** Range grows with the index along them. */
  forward: boolean;
  /** Cells across for each cell along. */
  drift: number;
}

/** Lines that go by a direction, in cells (columns, rows). */
export function linesAlong(away: readonly [number, number]): RangeLines {
  // Along the axis that the direction follows most; the other index drifts.
  const byColumn = Math.abs(away[0]) >= Math.abs(away[1]);
  return {
    byColumn,
    forward: (byColumn ? away[0] : away[1]) > 0,
    drift: byColumn ? away[1] / away[0] : away[0] / away[1],
  };
}

/**
 * Lines of growing range over a grid, by the direction in the middle of the product's frame; null
 * where the sensor does not pass it.
 */
function rangeLines(rd: RangeDoppler, grid: Grid): RangeLines | null {
  const look = frameLook(rd, grid, 0.5);
  return look && linesAlong(look.away);
}

/**
 * Layover and shadow by walks along lines of growing range. A cell is in shadow when something
 * nearer stands higher than its line of sight, in layover when something farther is as near to the
 * sensor or something nearer as far; in both cases within so many cells along the line. Source:
 * ordering along range lines, Kropatsch & Strobl 1990.
 *
 * @param slant, look metres from the sensor, and the angle between the beam and the sensor's
 * vertical times a constant distance, width x height; NaN = no elevation, which hides nothing
 * @param window its first cell counts, so that a line passes the same places in every window
 * @param reach cells; the result is exact where the window goes on for as many and one to each side
 * @param out bits for each cell; cells without elevation get 0
 */
export function hiddenCells(
  slant: Float64Array,
  look: Float64Array,
  window: Window,
  { byColumn, forward, drift }: RangeLines,
  reach: number,
  out: Uint8Array,
): void {
  const { width, height, col, row } = window;
  const workspace = Workspace.begin();
  const n = width * height;
  const slants = workspace.take(n * 8);
  const looks = workspace.take(n * 8);
  const bits = workspace.take(n);
  const scratch = workspace.take((byColumn ? width : height) * 25);
  workspace.f64(slants, n).set(slant);
  workspace.f64(looks, n).set(look);
  workspace.u8(bits, n).fill(0);
  workspace.kernels.hiddenLines(
    slants,
    looks,
    width,
    height,
    byColumn ? 1 : 0,
    forward ? 1 : 0,
    drift,
    byColumn ? col : row,
    byColumn ? row : col,
    reach,
    bits,
    scratch,
  );
  out.set(workspace.u8(bits, n));
}

/**
 * Layover and shadow of a window of a map or an elevation model.
 * @param z metres over the window; NaN = no elevation
 */
export function hiddenGround(
  rd: RangeDoppler,
  grid: Grid,
  window: Window,
  z: Float32Array,
  reach: number,
): Uint8Array {
  const out = new Uint8Array(z.length);
  const lines = rangeLines(rd, grid);
  const [low, high] = extent(z);
  if (!lines || !(high >= low)) {
    return out;
  }
  const { width, height, col, row } = window;
  const around = { col: col - 1, row: row - 1, width: width + 2, height: height + 2 };
  const locate = rowLocator(lookLattice(rd, grid, around, [low, high]), col, width);
  const slant = new Float64Array(z.length);
  const look = new Float64Array(z.length);
  for (let r = 0; r < height; r++) {
    const at = r * width;
    locate(
      row + r,
      z.subarray(at, at + width),
      slant.subarray(at, at + width),
      look.subarray(at, at + width),
    );
  }
  hiddenCells(slant, look, window, lines, reach, out);
  return out;
}

/** How far, in metres of ground, a height difference can throw its shadow or its layover. */
export const hiddenReach = (heightRange: number, incidence: number): number =>
  heightRange * Math.max(Math.tan(incidence), 1 / Math.tan(incidence));
