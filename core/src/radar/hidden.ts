/** Bits of the layover/shadow band. */
export const LAYOVER = 1, SHADOW = 2;

/**
 * Layover and shadow of a terrain window, by walking along range lines from near to far and comparing slant range and look angle.
 * A cell is in shadow when something nearer stands higher than its line of sight, in layover when something farther is as near to the
 * sensor or something nearer as far. Over the few kilometres of a window the wave front is taken as plane. Source: ordering along
 * range lines, Kropatsch & Strobl 1990.
 *
 * @param z width x height metres, NaN = no elevation (treated as lying at the height of its near neighbour)
 * @param away direction in cells (columns, rows) in which ground range grows by one metre; @param incidence radians from the vertical
 * @param out bits for each cell; cells without elevation get 0
 */
export function hiddenCells(z: Float32Array, width: number, height: number, away: readonly [number, number], incidence: number, out: Uint8Array): void {
  out.fill(0);
  // Walk along the axis that the range direction follows most; the other index drifts, the same for every line.
  const byColumn = Math.abs(away[0]) >= Math.abs(away[1]), along = byColumn ? width : height, across = byColumn ? height : width;
  const forward = (byColumn ? away[0] : away[1]) > 0, drift = byColumn ? away[1] / away[0] : away[0] / away[1];
  // Ground metres from one step to the next.
  const step = Math.abs(1 / (byColumn ? away[0] + away[1] * drift : away[1] + away[0] * drift)) * (1 + drift * drift);
  const sin = Math.sin(incidence), cos = Math.cos(incidence), tilt = Math.ceil(Math.abs(drift) * along) + 1;
  const heights = new Float64Array(along), range = new Float64Array(along);
  const at = (a: number, b: number) => (byColumn ? b * width + a : a * width + b);
  for (let line = -tilt; line < across + tilt; line++) {
    let last = NaN, any = false;
    for (let k = 0; k < along; k++) {
      const a = forward ? k : along - 1 - k, b = line + drift * a, lo = Math.floor(b), f = b - lo;
      let h = NaN;
      if (lo >= 0 && lo + 1 < across) { const p = z[at(a, lo)]!, q = z[at(a, lo + 1)]!; h = p + (q - p) * f; if (h !== h) h = p === p ? p : q; }
      else if (lo >= -1 && lo < across) h = z[at(a, Math.max(0, Math.min(across - 1, lo < 0 ? 0 : lo)))]!;
      if (h !== h) h = last; else { last = h; any = true; }
      heights[k] = h;
    }
    if (!any) continue;
    // Look coordinate: grows with the angle from the vertical under the sensor; slant range: distance along the beam.
    let highest = -Infinity, farthest = -Infinity;
    for (let k = 0; k < along; k++) {
      const h = heights[k]!;
      if (h !== h) { range[k] = NaN; continue; }
      const d = k * step, look = d * cos + h * sin, slant = d * sin - h * cos;
      range[k] = slant;
      let bits = 0;
      if (look < highest - 1e-6) bits |= SHADOW; else highest = look;
      if (slant < farthest - 1e-6) bits |= LAYOVER; else farthest = slant;
      if (bits) mark(line, k, bits);
    }
    let nearest = Infinity;
    for (let k = along - 1; k >= 0; k--) {
      const s = range[k]!;
      if (s !== s) continue;
      if (s > nearest + 1e-6) mark(line, k, LAYOVER); else nearest = s;
    }
  }
  function mark(line: number, k: number, bits: number): void {
    const a = forward ? k : along - 1 - k, b = Math.round(line + drift * a);
    if (b >= 0 && b < across && z[at(a, b)] === z[at(a, b)]) out[at(a, b)]! |= bits;
  }
}

/** How far, in metres of ground, a height difference can throw its shadow or its layover. */
export const hiddenReach = (heightRange: number, incidence: number): number => heightRange * Math.max(Math.tan(incidence), 1 / Math.tan(incidence));
