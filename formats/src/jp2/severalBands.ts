import { JpxImage } from "jpeg2000";
import { FormatError } from "../errors";
import { messageOf } from "@hindglance/core/errors";

/** Place of a marker in the main header of a codestream; −1 when it is not there. */
function markerAt(b: Uint8Array, marker: number): number {
  for (
    let position = 2;
    position + 4 <= b.length && b[position] === 0xff && b[position + 1] !== 0x90;
    position += 2 + ((b[position + 2]! << 8) | b[position + 3]!)
  ) {
    if (b[position + 1] === marker) {
      return position;
    }
  }
  return -1;
}

/**
 * Cells of a codestream of one tile with any number of bands, band after band within a cell: for
 * those that the compiled decoder does not take. Whole numbers
 * of up to 16 bits that were compressed without loss, or with loss at 8 bits.
 *
 * The library rounds what it gives to eight bits. It is told that the bands have eight, which makes
 * it leave the values as they are, and it is given whole numbers of full size to write
 * them to; what it adds and how it rounds is taken back here. Its work is synchronous, so nobody
 * else meets the stand-in.
 * @throws FormatError when it cannot be read
 */
export function decodeSeveral(
  bytes: Uint8Array,
  bands: number,
  bits: number,
  signed: boolean,
): Int32Array {
  const stream = Buffer.from(bytes);
  const siz = markerAt(stream, 0x51);
  const cod = markerAt(stream, 0x52);
  if (siz < 0 || cod < 0) {
    throw new FormatError(
      "damaged",
      "The JPEG 2000 header is incomplete",
      "Fetch or copy the file again.",
    );
  }
  if (stream[cod + 13] === 0 && bits !== 8) {
    throw new FormatError(
      "unsupported",
      `This JPEG 2000 image has ${bands} bands of ${bits} bits in one, compressed with loss`,
      "Save each band as a file of its own.",
    );
  }
  // The library loses its place where the halves of a tile do not fall on whole cells at every
  // level.
  const step = 2 ** stream[cod + 9]!;
  if (stream.readUInt32BE(siz + 14) % step || stream.readUInt32BE(siz + 18) % step) {
    throw new FormatError(
      "unsupported",
      `This JPEG 2000 image has ${bands} bands in tiles that do not begin at multiples of ${step} cells`,
      "Save each band as a file of its own, or with tiles of 256 or 512 cells.",
    );
  }
  for (let k = 0; k < bands; k++) {
    stream[siz + 40 + 3 * k] = 7;
  }
  const own = globalThis.Uint8ClampedArray;
  const image = new JpxImage();
  try {
    globalThis.Uint8ClampedArray = Int32Array as unknown as Uint8ClampedArrayConstructor;
    image.parse(stream);
  } catch (error) {
    throw new FormatError(
      "damaged",
      `A tile cannot be decompressed (${messageOf(error)})`,
      "Fetch or copy the file again.",
    );
  } finally {
    globalThis.Uint8ClampedArray = own;
  }
  const out = image.tiles[0]?.items as unknown as Int32Array | undefined;
  const back = (signed ? 0 : 2 ** (bits - 1)) - 128;
  if (!out || image.componentsCount !== bands) {
    throw new FormatError(
      "damaged",
      "A tile cannot be decompressed",
      "Fetch or copy the file again.",
    );
  }
  // It cuts off halves towards nought: below nought that is one too many.
  return out.map((value) => value + back - (value < 0 ? 1 : 0));
}
