/**
 * Slope of a surface in degrees. Source: Horn 1981 (third-order finite difference over 3 x 3
 * cells).
 *
 * @param src (width + 2) x (height + 2) elevations in metres with a halo of one cell; NaN = nodata
 * @param cellX,cellY cell size in metres, or that of a row of the output
 * @param out width x height degrees
 * Neighbours that are nodata take the centre's height, so slopes exist up to the edge of the data;
 * a nodata centre is nodata.
 */
export function slopeDegrees(
  src: Float32Array,
  width: number,
  height: number,
  cellX: number | ((row: number) => number),
  cellY: number | ((row: number) => number),
  out: Float32Array,
): void {
  const w = width + 2;
  const sideOf = (side: number | ((row: number) => number), row: number): number =>
    typeof side === "number" ? side : side(row);
  const deg = 180 / Math.PI;
  for (let r = 0; r < height; r++) {
    const kx = 1 / (8 * sideOf(cellX, r));
    const ky = 1 / (8 * sideOf(cellY, r));
    for (let c = 0; c < width; c++) {
      const k = (r + 1) * w + c + 1;
      const z = src[k]!;
      if (z !== z) {
        out[r * width + c] = NaN;
        continue;
      }
      const at = (i: number) => {
        const value = src[i]!;
        return value === value ? value : z;
      };
      const nw = at(k - w - 1);
      const n = at(k - w);
      const ne = at(k - w + 1);
      const e = at(k + 1);
      const se = at(k + w + 1);
      const s = at(k + w);
      const sw = at(k + w - 1);
      const wt = at(k - 1);
      const dx = (ne + 2 * e + se - nw - 2 * wt - sw) * kx;
      const dy = (sw + 2 * s + se - nw - 2 * n - ne) * ky;
      out[r * width + c] = Math.atan(Math.sqrt(dx * dx + dy * dy)) * deg;
    }
  }
}
