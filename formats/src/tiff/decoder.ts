import { promisify } from "node:util";
import { inflate } from "node:zlib";
import { getDecoder } from "geotiff";
import { messageOf } from "@hindglance/core/errors";
import { FormatError } from "../errors";
import { type Directory, numbersOf } from "./directory";
import type { Blocks, Cells } from "./layout";

const inflateAsync = promisify(inflate);

/** Kinds of compression by their number. */
export const COMPRESSION = {
  none: 1,
  jpeg: 7,
  deflate: 8,
  lerc: 34887,
  oldDeflate: 32946,
};

/** Names of compressions that are not read. */
const UNREAD: Record<number, string> = {
  2: "CCITT Huffman",
  3: "CCITT Group 3",
  4: "CCITT Group 4",
  6: "Old-style JPEG",
  34712: "JPEG 2000",
  34925: "LZMA",
  50001: "WebP",
  50002: "JPEG XL",
};

/** Takes the bytes of a block apart. */
export type Decode = (bytes: Uint8Array) => Promise<Uint8Array>;

/**
 * How the blocks of an image are taken apart; the predictor is left to who unpacks them.
 *
 * @throws FormatError where the compression is not known
 */
export async function decoderOf(dir: Directory, cells: Cells, blocks: Blocks): Promise<Decode> {
  const { compression, bits, samples, isPlanar } = cells;
  if (compression === COMPRESSION.none) {
    return (bytes) => Promise.resolve(bytes);
  }
  if (compression === COMPRESSION.deflate || compression === COMPRESSION.oldDeflate) {
    const maxOutputLength = Math.max(blocks.rowBytes * blocks.height + 1024, 1 << 16);
    // In one chunk: several would be copied together.
    return (bytes) => inflateAsync(bytes, { maxOutputLength, chunkSize: maxOutputLength });
  }
  const parameters = {
    tileWidth: blocks.width,
    tileHeight: blocks.height,
    predictor: 1,
    bitsPerSample: new Array<number>(samples).fill(bits),
    planarConfiguration: isPlanar ? 2 : 1,
    samplesPerPixel: samples,
    JPEGTables: await dir.loadValue("JPEGTables"),
    LercParameters: await numbersOf(dir, "LercParameters"),
  };
  const decoder = await getDecoder(compression, parameters).catch(() => {
    throw new FormatError(
      "unsupported",
      `${UNREAD[compression] ?? "This"} compression (${compression}) of a TIFF cannot be read`,
      "Save the file with deflate or LZW compression.",
    );
  });
  return async (bytes) => {
    const copy = new ArrayBuffer(bytes.byteLength);
    new Uint8Array(copy).set(bytes);
    return new Uint8Array(await decoder.decode(copy));
  };
}

/** The same, with the block named where it is damaged. @throws FormatError */
export async function decodeBlock(
  decode: Decode,
  bytes: Uint8Array,
  index: number,
  count: number,
): Promise<Uint8Array> {
  try {
    return await decode(bytes);
  } catch (error) {
    throw new FormatError(
      "damaged",
      `Block ${index + 1} of ${count} cannot be decompressed (${messageOf(error)})`,
      "Fetch or copy the file again.",
    );
  }
}
