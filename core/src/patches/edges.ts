/**
 * Cells that have another label beside them, above or below.
 * @param labels of a window with one cell more on every side, `width` cells across
 * @returns 1 or 0 by cell, for the window without its margin
 */
export function edgeCells(labels: Uint8Array, width: number): Float32Array {
  const across = width - 2;
  const down = labels.length / width - 2;
  const out = new Float32Array(across * down);
  for (let r = 0; r < down; r++) {
    for (let c = 0; c < across; c++) {
      const at = (r + 1) * width + c + 1;
      const own = labels[at]!;
      const isInner =
        labels[at - 1] === own &&
        labels[at + 1] === own &&
        labels[at - width] === own &&
        labels[at + width] === own;
      out[r * across + c] = isInner ? 0 : 1;
    }
  }
  return out;
}
