import { coarserBlock } from "@hindglance/core/raster/coarserBlock";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, sourceNode } from "@hindglance/core/graph/node";
import { BLOCK, levelCount, levelGrid } from "@hindglance/core/grid/grid";
import { type Cells, CLASS_NODATA } from "@hindglance/core/raster/block";
import { type CogOptions, writeCog } from "@hindglance/formats/tiff/writeCog";
import { blockWindow } from "../db/blocks";
import type { Making as WholeMaking } from "./kind";
import { type ScratchFile, withScratch } from "./scratch";

/** An image that a file is made of: a node, and what the file says of it. */
export interface FiledImage {
  node: NodeSpec;
  info: ImageInfo;
  palette?: Record<number, string>;
  items: Record<string, string>;
}

/** What an image is made with. */
type Making = Pick<WholeMaking, "evaluator" | "signal" | "progress">;
type ReadBlock = CogOptions["readBlock"];
/** Share of the work that goes into the cells, where they are computed. */
const COMPUTING = 0.7;

const acrossOf = (width: number): number => Math.ceil(width / BLOCK);

/** Blocks of all levels in a file, each at its place. */
class BlockFile {
  private readonly firsts: number[];
  private readonly slot: number;

  constructor(
    private readonly file: ScratchFile,
    private readonly info: ImageInfo,
  ) {
    const { grid, bands, type } = info;
    this.slot = BLOCK * BLOCK * bands.length * (type === "float32" ? 4 : 1);
    let blocks = 0;
    this.firsts = Array.from({ length: levelCount(grid.width, grid.height) }, (_v, level) => {
      const { width, height } = levelGrid(grid, level);
      const first = blocks;
      blocks += acrossOf(width) * acrossOf(height);
      return first;
    });
  }

  private at(level: number, row: number, col: number): number {
    const { width } = levelGrid(this.info.grid, level);
    return (this.firsts[level]! + row * acrossOf(width) + col) * this.slot;
  }

  async put(level: number, row: number, col: number, bands: readonly Cells[]): Promise<void> {
    let at = this.at(level, row, col);
    for (const cells of bands) {
      const bytes = new Uint8Array(cells.buffer, cells.byteOffset, cells.byteLength);
      await this.file.overwrite(at, bytes);
      at += bytes.length;
    }
  }

  async get(level: number, row: number, col: number): Promise<Cells[]> {
    const { grid, bands, type } = this.info;
    const size = levelGrid(grid, level);
    const { width, height } = blockWindow(row, col, size.width, size.height);
    const length = width * height * (type === "float32" ? 4 : 1);
    const bytes = await this.file.read(this.at(level, row, col), length * bands.length);
    return bands.map((_band, k) => {
      const own = bytes.slice(k * length, (k + 1) * length);
      return type === "float32" ? new Float32Array(own.buffer) : own;
    });
  }
}

/** Computes all blocks of a node and makes coarser levels of them, as those of stored images are made. */
async function computed(
  { evaluator, signal, progress }: Making,
  { node, info }: FiledImage,
  file: ScratchFile,
): Promise<ReadBlock> {
  const blocks = new BlockFile(file, info);
  const { grid } = info;
  const total = acrossOf(grid.width) * acrossOf(grid.height);
  for (let k = 0; k < total; k++) {
    signal.throwIfAborted();
    const [row, col] = [Math.floor(k / acrossOf(grid.width)), k % acrossOf(grid.width)];
    const window = blockWindow(row, col, grid.width, grid.height);
    await blocks.put(0, row, col, (await evaluator.read(node, 0, window)).bands);
    progress((COMPUTING * (k + 1)) / total);
  }
  for (let level = 1; level < levelCount(grid.width, grid.height); level++) {
    const [fine, own] = [levelGrid(grid, level - 1), levelGrid(grid, level)];
    for (let k = 0; k < acrossOf(own.width) * acrossOf(own.height); k++) {
      signal.throwIfAborted();
      const place = { row: Math.floor(k / acrossOf(own.width)), col: k % acrossOf(own.width) };
      const below = new Map<string, Cells[]>();
      for (const [row, col] of cornersOf(place, fine)) {
        below.set(`${row}/${col}`, await blocks.get(level - 1, row, col));
      }
      const cells = coarserBlock(
        info,
        fine,
        place,
        (at, band) => below.get(`${at.row}/${at.col}`)?.[band],
      );
      await blocks.put(level, place.row, place.col, cells);
    }
  }
  return (level, row, col) => blocks.get(level, row, col);
}

/** Blocks of the finer level that lie under one of a level. */
const cornersOf = (
  { row, col }: { row: number; col: number },
  fine: { width: number; height: number },
): [row: number, col: number][] =>
  [0, 1, 2, 3]
    .map((k): [number, number] => [row * 2 + (k >> 1), col * 2 + (k & 1)])
    .filter(([r, c]) => r < acrossOf(fine.height) && c < acrossOf(fine.width));

/** Blocks of a stored image, of which all levels are kept. */
const stored =
  (evaluator: Evaluator, { node, info: { grid } }: FiledImage): ReadBlock =>
  async (level, row, col) => {
    const { width, height } = levelGrid(grid, level);
    return (await evaluator.read(node, level, blockWindow(row, col, width, height))).bands;
  };

const optionsOf = ({ info, palette, items }: FiledImage) => ({
  grid: info.grid,
  type: info.type === "float32" ? ("float32" as const) : ("uint8" as const),
  nodata: info.type === "float32" ? NaN : CLASS_NODATA,
  levels: levelCount(info.grid.width, info.grid.height),
  bands: info.bands.map(({ name, unit }) => ({ name, ...(unit ? { unit } : {}) })),
  ...(palette ? { palette } : {}),
  items,
});

/**
 * An image as a cloud-optimised GeoTIFF. Cells of a node that is no stored image are computed once and
 * wait in a file; its coarser levels are made from them.
 */
export const imageBytes = (making: Making, image: FiledImage): AsyncIterable<Uint8Array> =>
  withScratch(async function* (open) {
    const isStored = image.node.step === sourceNode("").step;
    const readBlock = isStored
      ? stored(making.evaluator, image)
      : await computed(making, image, await open("cells"));
    const done = isStored ? 0 : COMPUTING;
    const out = await open("out");
    await writeCog(
      {
        ...optionsOf(image),
        readBlock,
        signal: making.signal,
        progress: (share) => making.progress(done + (1 - done) * share),
      },
      await open("tiles"),
      (bytes) => out.append(bytes),
    );
    yield* out.bytes();
  });
