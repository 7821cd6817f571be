import { Workspace } from "../wasm/kernels";

/** Bits of the layover/shadow band. */
export const LAYOVER = 1;
export const SHADOW = 2;

/**
 * Layover and shadow of a terrain window, by walking along range lines from near to far and
 * comparing slant range and look angle.
 * A cell is in shadow when something nearer stands higher than its line of sight, in layover when
 * something farther is as near to the
 * sensor or something nearer as far. Over the few kilometres of a window the wave front is taken as
 * plane. Source: ordering along
 * range lines, Kropatsch & Strobl 1990.
 *
 * @param z width x height metres, NaN = no elevation (treated as lying at the height of its near
 * neighbour)
 * @param away direction in cells (columns, rows) in which ground range grows by one metre; @param
 * incidence radians from the vertical
 * @param out bits for each cell; cells without elevation get 0
 */
export function hiddenCells(
  z: Float32Array,
  width: number,
  height: number,
  away: readonly [number, number],
  incidence: number,
  out: Uint8Array,
): void {
  // Walk along the axis that the range direction follows most; the other index drifts, the same for
  // every line.
  const byColumn = Math.abs(away[0]) >= Math.abs(away[1]);
  const along = byColumn ? width : height;
  const forward = (byColumn ? away[0] : away[1]) > 0;
  const drift = byColumn ? away[1] / away[0] : away[0] / away[1];
  // Ground metres from one step to the next.
  const step =
    Math.abs(1 / (byColumn ? away[0] + away[1] * drift : away[1] + away[0] * drift)) *
    (1 + drift * drift);
  const workspace = Workspace.begin();
  const n = width * height;
  const src = workspace.take(n * 4);
  const bits = workspace.take(n);
  const scratch = workspace.take(along * 16);
  workspace.f32(src, n).set(z);
  workspace.u8(bits, n).fill(0);
  workspace.kernels.hiddenLines(
    src,
    width,
    height,
    byColumn ? 1 : 0,
    forward ? 1 : 0,
    drift,
    step,
    Math.sin(incidence),
    Math.cos(incidence),
    bits,
    scratch,
  );
  out.set(workspace.u8(bits, n));
}

/** How far, in metres of ground, a height difference can throw its shadow or its layover. */
export const hiddenReach = (heightRange: number, incidence: number): number =>
  heightRange * Math.max(Math.tan(incidence), 1 / Math.tan(incidence));
