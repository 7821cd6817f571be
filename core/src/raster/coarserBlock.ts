import type { BandInfo, ImageInfo } from "../graph/image";
import { BLOCK } from "../grid/grid";
import { type Cells, labelCells, realCells } from "./block";
import { halveFirst, halveMean, halveMode, halveRms } from "./pyramid";

/** Place of a block among those of its level. */
interface Place {
  row: number;
  col: number;
}
interface Size {
  width: number;
  height: number;
}

const emptyOf = (type: ImageInfo["type"], length: number): Cells =>
  type === "float32" ? new Float32Array(length) : new Uint8Array(length);

/** Cells half as fine: means of power, squares of amplitudes and values, the most frequent class. */
function halve(role: BandInfo["role"], cells: Cells, { width, height }: Size, out: Cells): void {
  if (!(cells instanceof Float32Array)) {
    halveMode(labelCells(cells), width, height, labelCells(out));
  } else if (role === "amplitude") {
    halveRms(cells, width, height, realCells(out));
  } else if (role === "quality") {
    halveFirst(cells, width, height, realCells(out));
  } else {
    halveMean(cells, width, height, realCells(out));
  }
}

/**
 * A block of a level from the four of the finer one that lie under it; at the right and lower edge
 * there are fewer, and they are cut.
 * @param fine size of the finer level
 * @param below cells of a block of the finer level; undefined where none is kept, which is nought
 * @returns cells of each band
 */
export function coarserBlock(
  info: Pick<ImageInfo, "bands" | "type">,
  fine: Size,
  { row, col }: Place,
  below: (at: Place, band: number) => Cells | undefined,
): Cells[] {
  const width = Math.min(2 * BLOCK, fine.width - col * 2 * BLOCK);
  const height = Math.min(2 * BLOCK, fine.height - row * 2 * BLOCK);
  const corners = [0, 1, 2, 3].map((k) => ({ row: row * 2 + (k >> 1), col: col * 2 + (k & 1) }));
  return info.bands.map(({ role }, band) => {
    const joined = emptyOf(info.type, width * height);
    for (const corner of corners) {
      const cells = below(corner, band);
      const across = Math.min(BLOCK, fine.width - corner.col * BLOCK);
      const down = Math.min(BLOCK, fine.height - corner.row * BLOCK);
      for (let r = 0; cells && r < down; r++) {
        const to = ((corner.row - row * 2) * BLOCK + r) * width + (corner.col - col * 2) * BLOCK;
        joined.set(cells.subarray(r * across, (r + 1) * across), to);
      }
    }
    const out = emptyOf(info.type, Math.ceil(width / 2) * Math.ceil(height / 2));
    halve(role, joined, { width, height }, out);
    return out;
  });
}
