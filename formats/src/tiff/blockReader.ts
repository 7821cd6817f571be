import { type Window } from "@hindglance/core/grid/grid";
import { checkWindow } from "../raster/raster";
import type { ByteSource } from "../source";
import { type Decode, decodeBlock } from "./decoder";
import type { Blocks, Cells } from "./layout";
import { type SampleLayout, unpackBlock } from "./unpack";

/** Rows of a block as numbers, by band; `top` is the image's row of the first of them. */
interface Rows {
  top: number;
  bands: Float64Array[];
}

/** What cells are read with. */
interface Parts {
  source: ByteSource;
  cells: Cells;
  blocks: Blocks;
  decode: Decode;
  layout: SampleLayout;
  /** Whether colours are stored as lightness and two differences. */
  isYCbCr: boolean;
  nodata: number | null;
  /** Bytes of decoded blocks that are kept for the next window. */
  cacheBytes: number;
}

/** Full-range YCbCr (BT.601, as JPEG stores it) to red, green, blue, in place. */
function colourFromYCbCr([first, second, third]: Float64Array[]): void {
  const clamp = (value: number) => Math.max(0, Math.min(255, Math.round(value)));
  for (let i = 0; i < first!.length; i++) {
    const y = first![i]!;
    const blueness = second![i]! - 128;
    const redness = third![i]! - 128;
    first![i] = clamp(y + 1.402 * redness);
    second![i] = clamp(y - 0.344136 * blueness - 0.714136 * redness);
    third![i] = clamp(y + 1.772 * blueness);
  }
}

/** Reads windows of an image from its blocks. */
export class BlockReader {
  private readonly cache = new Map<number, Promise<Float64Array[]>>();
  private readonly keep: number;

  constructor(private readonly parts: Parts) {
    const { width, height, interleaved, across, planes } = parts.blocks;
    const blockBytes = width * height * interleaved * Float64Array.BYTES_PER_ELEMENT;
    this.keep = Math.max(across * planes, Math.floor(parts.cacheBytes / blockBytes));
  }

  /** Numbers as they are stored, by band. @throws RangeError where the window leaves the image */
  async read(window: Window, signal?: AbortSignal): Promise<Float64Array[]> {
    const { cells, blocks } = this.parts;
    checkWindow(window, cells.width, cells.height);
    const out = Array.from(
      { length: cells.samples },
      () => new Float64Array(window.width * window.height),
    );
    const firstRow = Math.floor(window.row / blocks.height);
    const firstCol = Math.floor(window.col / blocks.width);
    for (let j = firstRow; j * blocks.height < window.row + window.height; j++) {
      for (let plane = 0; plane < blocks.planes; plane++) {
        for (let i = firstCol; i * blocks.width < window.col + window.width; i++) {
          const rows = await this.rowsOf(plane, j, i, window, signal);
          rows.bands.forEach((band, k) =>
            this.copy(band, rows.top, i, out[cells.isPlanar ? plane : k]!, window),
          );
        }
      }
    }
    return out;
  }

  /** First row of a block row that a window wants, and the one behind the last. */
  private span(j: number, { row, height }: Window): [number, number] {
    const { blocks, cells } = this.parts;
    return [
      Math.max(row, j * blocks.height),
      Math.min(row + height, (j + 1) * blocks.height, cells.height),
    ];
  }

  /** Rows of a block that a window wants; strips without compression are read row by row. */
  private async rowsOf(
    plane: number,
    j: number,
    i: number,
    window: Window,
    signal?: AbortSignal,
  ): Promise<Rows> {
    const { source, blocks, layout } = this.parts;
    const index = plane * blocks.across * blocks.down + j * blocks.across + i;
    const top = j * blocks.height;
    if (!blocks.byRows || blocks.counts[index] === 0) {
      return { top, bands: await this.block(index, signal) };
    }
    const [first, last] = this.span(j, window);
    const from = blocks.offsets[index]! + (first - top) * blocks.rowBytes;
    const bytes = await source.read(from, (last - first) * blocks.rowBytes, signal);
    return { top: first, bands: unpackBlock(bytes, blocks.width, last - first, layout) };
  }

  private copy(from: Float64Array, top: number, i: number, to: Float64Array, window: Window): void {
    const { width, height } = this.parts.blocks;
    const left = i * width;
    const [first, last] = this.span(Math.floor(top / height), window);
    const c0 = Math.max(window.col, left);
    const c1 = Math.min(window.col + window.width, left + width);
    for (let r = first; r < last; r++) {
      const offset = (r - top) * width - left;
      const row = from.subarray(offset + c0, offset + c1);
      to.set(row, (r - window.row) * window.width + c0 - window.col);
    }
  }

  private block(index: number, signal?: AbortSignal): Promise<Float64Array[]> {
    const kept = this.cache.get(index);
    if (kept) {
      return kept;
    }
    const block = this.decode(index, signal);
    block.catch(() => this.cache.delete(index));
    this.cache.set(index, block);
    while (this.cache.size > this.keep) {
      this.cache.delete(this.cache.keys().next().value!);
    }
    return block;
  }

  /** One block as numbers; blocks that the file leaves out are nodata. */
  private async decode(index: number, signal?: AbortSignal): Promise<Float64Array[]> {
    const { source, cells, blocks, layout, isYCbCr, nodata } = this.parts;
    const { width, height, across, down, interleaved, offsets, counts } = blocks;
    const j = Math.floor((index % (across * down)) / across);
    const rows = blocks.isTiled ? height : Math.min(height, cells.height - j * height);
    if (counts[index] === 0) {
      return Array.from({ length: interleaved }, () =>
        new Float64Array(width * rows).fill(nodata ?? 0),
      );
    }
    const bytes = await source.read(offsets[index]!, counts[index]!, signal);
    const raw = await decodeBlock(this.parts.decode, bytes, index, offsets.length);
    const out = unpackBlock(raw, width, rows, layout);
    if (isYCbCr && out.length === 3) {
      colourFromYCbCr(out);
    }
    return out;
  }
}
