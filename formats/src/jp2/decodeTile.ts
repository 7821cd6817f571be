import openjpeg from "@cornerstonejs/codec-openjpeg/wasmjs";
import { FormatError } from "../errors";
import { type Codestream, tileWindow } from "./codestream";
import { decodeSeveral } from "./severalBands";

/** Cells of a tile, component after component within a cell. */
export type TileCells = Uint16Array | Int16Array | Uint8Array | Int32Array;

let codec: ReturnType<typeof openjpeg> | null = null;

/** The decoder of pictures takes a single band, or three. */
const isPicture = ({ components }: Codestream): boolean => components === 1 || components === 3;

/** Bytes that a cell of a decoded tile takes, all its components. */
export function bytesOfCell(codestream: Codestream): number {
  const { components, bits } = codestream;
  const whole = bits > 8 ? 2 : 1;
  return components * (isPicture(codestream) ? whole : 4);
}

const damaged = (tile: number, { parts }: Codestream, why: string): FormatError =>
  new FormatError(
    "damaged",
    `Tile ${tile + 1} of ${parts.length} ${why}`,
    "Fetch or copy the file again.",
  );

function decodeBands(bytes: Uint8Array, codestream: Codestream, tile: number): Int32Array {
  const { components, bits, signed } = codestream;
  const { width, height } = tileWindow(codestream, tile);
  const cells = decodeSeveral(bytes, components, bits, signed);
  if (cells.length !== width * height * components) {
    throw damaged(tile, codestream, "has another size than the header says");
  }
  return cells;
}

function asCells(bytes: Uint8Array, { bits, signed }: Codestream): TileCells {
  if (bits <= 8) {
    return bytes;
  }
  return signed ? new Int16Array(bytes.buffer) : new Uint16Array(bytes.buffer);
}

async function decodePicture(
  bytes: Uint8Array,
  codestream: Codestream,
  tile: number,
): Promise<TileCells> {
  const { J2KDecoder } = await (codec ??= openjpeg({ print: () => {}, printErr: () => {} }));
  const decoder = new J2KDecoder();
  const { width, height } = tileWindow(codestream, tile);
  const failed = (why = "") => damaged(tile, codestream, `cannot be decompressed${why}`);
  try {
    decoder.getEncodedBuffer(bytes.length).set(bytes);
    try {
      decoder.decode();
    } catch {
      throw failed();
    }
    const frame = decoder.getFrameInfo();
    const isFitting = frame.width === width && frame.height === height;
    if (!isFitting || frame.componentCount !== codestream.components) {
      throw failed(`: it has ${frame.width} by ${frame.height} cells, not ${width} by ${height}`);
    }
    const length = width * height * bytesOfCell(codestream);
    const copy = decoder.getDecodedBuffer().slice(0, length);
    if (copy.length < length) {
      throw failed();
    }
    return asCells(copy, codestream);
  } finally {
    decoder.delete();
  }
}

/**
 * Cells of one tile, component after component within a cell.
 * @param bytes a codestream that holds this tile alone
 * @throws FormatError when it cannot be decoded
 */
export async function decodeTile(
  bytes: Uint8Array,
  codestream: Codestream,
  tile: number,
): Promise<TileCells> {
  return isPicture(codestream)
    ? decodePicture(bytes, codestream, tile)
    : decodeBands(bytes, codestream, tile);
}
