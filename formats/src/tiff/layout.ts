import { FormatError } from "../errors";
import type { ByteSource } from "../source";
import { type Directory, numberOf, numbersOf } from "./directory";

const MAX_SIDE = 400_000;
const MAX_BANDS = 1000;
/** Bytes that one block may take while it is taken apart. */
const MAX_BLOCK_BYTES = 800e6;
/** Cells from which on a file that holds hardly any bytes of them is not believed. */
const MANY_CELLS = 4e6;
/** How many times its stored bytes an image may have at most. */
const MOST_TIMES = 5000;

/** How the cells of an image are stored. */
export interface Cells {
  width: number;
  height: number;
  samples: number;
  bits: number;
  /** SampleFormat: 1 unsigned, 2 signed, 3 floating point. */
  format: number;
  compression: number;
  predictor: number;
  /** Whether every band has planes of its own. */
  isPlanar: boolean;
  photometric: number;
  /** Sample that says how opaque a cell is, 0 for a cell that is not there; null without one. */
  alpha: number | null;
}

/** Values of ExtraSamples that say how opaque a cell is: with colours multiplied by it, or not. */
const ALPHA = { associated: 1, unassociated: 2 };
/** Samples of a colour by its photometric interpretation, where they are more than one. */
const COLOURS: Record<number, number> = { 2: 3, 5: 4, 6: 3, 8: 3 };

/** Which sample says how opaque a cell is: the first extra one that is named so. */
async function alphaOf(dir: Directory, samples: number, photometric: number) {
  const extra = (await numbersOf(dir, "ExtraSamples")) ?? [];
  const found = extra.findIndex((kind) => Object.values(ALPHA).includes(kind));
  const first = Math.max(samples - extra.length, COLOURS[photometric] ?? 1);
  const alpha = first + found;
  return found >= 0 && alpha < samples ? alpha : null;
}

/** How an image is cut into blocks, and where in the file they lie. */
export interface Blocks {
  isTiled: boolean;
  width: number;
  height: number;
  /** Blocks across and down, of one plane. */
  across: number;
  down: number;
  /** Planes: bands where each has its own, else one. */
  planes: number;
  /** Bands that lie in one block. */
  interleaved: number;
  /** Bytes of a row of a block, as it is without compression. */
  rowBytes: number;
  /** Whether rows of a block can be read by themselves. */
  byRows: boolean;
  offsets: number[];
  counts: number[];
}

/** @throws FormatError of absurd size, or of number types that differ between bands */
export async function cellsOf(dir: Directory, width: number, height: number): Promise<Cells> {
  if (!(width > 0 && height > 0)) {
    throw new FormatError("damaged", `The image is ${width} by ${height} cells`);
  }
  const samples = await numberOf(dir, "SamplesPerPixel", 1);
  if (width > MAX_SIDE || height > MAX_SIDE || samples > MAX_BANDS) {
    throw new FormatError(
      "absurdSize",
      `The file says it has ${width} by ${height} cells and ${samples} bands, which cannot be right`,
      `At most ${MAX_SIDE} cells a side can be read.`,
    );
  }
  const bits = (await numbersOf(dir, "BitsPerSample")) ?? [1];
  const formats = (await numbersOf(dir, "SampleFormat")) ?? [1];
  if (new Set(bits).size > 1 || new Set(formats).size > 1) {
    throw new FormatError(
      "unsupported",
      "Bands of different number types in one file cannot be read",
      "Save the bands as separate files.",
    );
  }
  // 4 is "not said": unsigned then.
  const format = formats[0] === 4 ? 1 : formats[0]!;
  const photometric = await numberOf(dir, "PhotometricInterpretation", 1);
  return {
    ...{ width, height, samples, format },
    bits: bits[0]!,
    compression: await numberOf(dir, "Compression", 1),
    predictor: await numberOf(dir, "Predictor", 1),
    isPlanar: (await numberOf(dir, "PlanarConfiguration", 1)) === 2,
    photometric,
    alpha: await alphaOf(dir, samples, photometric),
  };
}

/** Whether the strips of every plane lie in the file one after another, each of its full size. */
function followEachOther(blocks: Blocks, imageHeight: number): boolean {
  const { offsets, counts, down, rowBytes, height } = blocks;
  return offsets.every((offset, k) => {
    const strip = k % down;
    const size = rowBytes * Math.min(height, imageHeight - strip * height);
    return counts[k] === size && (strip === 0 || offset === offsets[k - 1]! + counts[k - 1]!);
  });
}

/**
 * Strips without compression that follow each other are one long strip: rows can then be read many
 * at a time.
 */
function joined(blocks: Blocks, imageHeight: number): Blocks {
  const { byRows, down, planes, offsets, rowBytes } = blocks;
  if (!byRows || down < 2 || !followEachOther(blocks, imageHeight)) {
    return blocks;
  }
  const firsts = Array.from({ length: planes }, (_v, plane) => offsets[plane * down]!);
  return {
    ...blocks,
    offsets: firsts,
    counts: firsts.map(() => rowBytes * imageHeight),
    height: imageHeight,
    down: 1,
  };
}

/** @throws FormatError where blocks lie behind the end of the file */
function requireThere({ offsets, counts }: Blocks, source: ByteSource): void {
  offsets.forEach((offset, k) => {
    const end = offset + counts[k]!;
    if (end > source.size) {
      throw new FormatError(
        "truncated",
        `The file is cut off: block ${k + 1} of ${offsets.length} should end at byte ${end}, the file ends at ${source.size}`,
        "Fetch or copy the file again.",
      );
    }
  });
}

/** @throws FormatError where the file holds far too few bytes for its cells */
function requireBelievable({ width, height, samples, bits }: Cells, { counts }: Blocks): void {
  const cells = width * height * samples;
  const stored = counts.reduce((sum, count) => sum + count, 0);
  const isThin = cells * (bits / 8) > Math.max(1, stored) * MOST_TIMES;
  if (cells > MANY_CELLS && isThin && !counts.includes(0)) {
    throw new FormatError(
      "absurdSize",
      `The file says it has ${width} by ${height} cells, but holds only ${stored} bytes of them`,
    );
  }
}

/** Cells of a block: tiles have their own size, strips go all across. @throws FormatError */
async function blockSize(dir: Directory, isTiled: boolean, { width, height }: Cells) {
  const size = isTiled
    ? {
        width: await numberOf(dir, "TileWidth", width),
        height: await numberOf(dir, "TileLength", height),
      }
    : { width, height: Math.min(height, await numberOf(dir, "RowsPerStrip", height)) };
  if (!(size.width > 0 && size.height > 0)) {
    throw new FormatError("damaged", `Blocks of ${size.width} by ${size.height} cells`);
  }
  return size;
}

/**
 * How an image is cut into blocks.
 *
 * @throws FormatError where blocks are missing, cut off, too large or too few for the image
 */
export async function blocksOf(dir: Directory, cells: Cells, source: ByteSource): Promise<Blocks> {
  const isTiled = dir.hasTag("TileWidth");
  const { width, height } = await blockSize(dir, isTiled, cells);
  const interleaved = cells.isPlanar ? 1 : cells.samples;
  const byRows = cells.compression === 1 && !isTiled;
  // As it is stored, unpacked, and as numbers.
  const bytesOfCell = interleaved * ((2 * cells.bits) / 8 + Float64Array.BYTES_PER_ELEMENT);
  if (!byRows && width * height * bytesOfCell > MAX_BLOCK_BYTES) {
    throw new FormatError(
      "absurdSize",
      `The image is compressed in one piece of ${width} by ${height} cells, too large to take apart`,
      "Save it with tiles or shorter strips.",
    );
  }
  const across = Math.ceil(cells.width / width);
  const down = Math.ceil(cells.height / height);
  const planes = cells.isPlanar ? cells.samples : 1;
  const rowBytes = Math.ceil((width * interleaved * cells.bits) / 8);
  const offsets = await numbersOf(dir, isTiled ? "TileOffsets" : "StripOffsets");
  const counts = await numbersOf(dir, isTiled ? "TileByteCounts" : "StripByteCounts");
  const all = across * down * planes;
  if (!offsets || offsets.length < all) {
    throw new FormatError("damaged", `The file lists ${offsets?.length ?? 0} of its ${all} blocks`);
  }
  const listed: Blocks = {
    ...{ isTiled, width, height, across, down, planes, interleaved, rowBytes, byRows },
    offsets: offsets.slice(0, all),
    counts: (counts ?? offsets.map(() => rowBytes * height)).slice(0, all),
  };
  const blocks = joined(listed, cells.height);
  requireThere(blocks, source);
  requireBelievable(cells, blocks);
  return blocks;
}
