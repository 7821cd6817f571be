import { FormatError } from "../errors";
import type { ByteSource } from "../source";

/**
 * The frame of a JPEG 2000 codestream on its reference grid, and where the parts of each tile lie.
 * Source: ISO/IEC 15444-1, annex A.
 */
export interface Codestream {
  width: number;
  height: number;
  components: number;
  bits: number;
  signed: boolean;
  tileWidth: number;
  tileHeight: number;
  across: number;
  down: number;
  /**
   * Main header from SOC to the first tile part, less the markers that speak of lengths of tile
   * parts.
   */
  header: Uint8Array;
  /** By tile: tile parts in order, each from its SOT. */
  parts: { at: number; length: number }[][];
  grid: { x1: number; y1: number; x0: number; y0: number; tx0: number; ty0: number };
}

const SOC = 0xff4f;
const SIZ = 0xff51;
const SOT = 0xff90;
const EOC = 0xffd9;
const TLM = 0xff55;
const PLM = 0xff57;
const PPM = 0xff60;
const MAX_HEADER = 4 << 20;
const MAX_SIDE = 400_000;
const MAX_TILES = 65_535;
const MAX_COMPONENTS = 64;

/**
 * Reads the main header and walks over the tile parts. @param at first byte of the codestream;
 * @param end byte after its last. @throws FormatError
 */
export async function readCodestream(
  source: ByteSource,
  at: number,
  end: number,
): Promise<Codestream> {
  const cut = (where: number) =>
    new FormatError(
      "truncated",
      `The file is cut off: the image should go on at byte ${where}, the file ends at ${source.size}`,
      "Fetch or copy the file again.",
    );
  const bytes = async (from: number, n: number): Promise<DataView> => {
    if (from + n > end) {
      throw cut(from + n);
    }
    const b = await source.read(from, n);
    return new DataView(b.buffer, b.byteOffset, b.byteLength);
  };
  if ((await bytes(at, 2)).getUint16(0) !== SOC) {
    throw new FormatError(
      "damaged",
      "The JPEG 2000 image does not begin where it should",
      "Fetch or copy the file again.",
    );
  }
  const kept: Uint8Array[] = [Uint8Array.of(0xff, 0x4f)];
  let position = at + 2;
  let siz: DataView | null = null;
  for (;;) {
    const head = await bytes(position, 4);
    const marker = head.getUint16(0);
    if (marker === SOT) {
      break;
    }
    const length = head.getUint16(2);
    if (marker < 0xff00 || length < 2 || position - at > MAX_HEADER) {
      throw new FormatError(
        "damaged",
        `The header of the JPEG 2000 image cannot be read at byte ${position}`,
        "Fetch or copy the file again.",
      );
    }
    if (marker === PPM) {
      throw new FormatError(
        "unsupported",
        "This JPEG 2000 image keeps its packet headers apart (PPM), which cannot be read tile by tile",
        "Save it as GeoTIFF.",
      );
    }
    if (marker !== TLM && marker !== PLM) {
      const seg = await bytes(position, length + 2);
      kept.push(new Uint8Array(seg.buffer, seg.byteOffset, seg.byteLength).slice());
      if (marker === SIZ) {
        siz = new DataView(kept.at(-1)!.buffer);
      }
    }
    position += length + 2;
  }
  if (!siz || siz.byteLength < 40) {
    throw new FormatError("damaged", "The JPEG 2000 image does not say how large it is");
  }
  const word = (k: number) => siz.getUint32(6 + 4 * k);
  const [x1, y1, x0, y0, tileWidth, tileHeight, tx0, ty0] = [0, 1, 2, 3, 4, 5, 6, 7].map(word) as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  const components = siz.getUint16(38);
  const width = x1 - x0;
  const height = y1 - y0;
  if (siz.byteLength < 40 + 3 * components) {
    throw new FormatError("damaged", "The size marker of the JPEG 2000 image is too short");
  }
  if (!(width > 0 && height > 0 && tileWidth > 0 && tileHeight > 0 && tx0 <= x0 && ty0 <= y0)) {
    throw new FormatError("damaged", `The JPEG 2000 image is ${width} by ${height} cells`);
  }
  const across = Math.ceil((x1 - tx0) / tileWidth);
  const down = Math.ceil((y1 - ty0) / tileHeight);
  if (
    width > MAX_SIDE ||
    height > MAX_SIDE ||
    across * down > MAX_TILES ||
    components > MAX_COMPONENTS
  ) {
    throw new FormatError(
      "absurdSize",
      `The file says it has ${width} by ${height} cells, ${components} bands and ${across * down} tiles, which cannot be right`,
    );
  }
  const depth = siz.getUint8(40);
  for (let k = 0; k < components; k++) {
    if (siz.getUint8(41 + 3 * k) !== 1 || siz.getUint8(42 + 3 * k) !== 1) {
      throw new FormatError(
        "unsupported",
        "Bands of this JPEG 2000 image have cells of different sizes",
        "Save each band as a file of its own.",
      );
    }
    if (siz.getUint8(40 + 3 * k) !== depth) {
      throw new FormatError(
        "unsupported",
        "Bands of different number types in one JPEG 2000 image cannot be read",
        "Save the bands as separate files.",
      );
    }
  }
  const bits = (depth & 0x7f) + 1;
  if (bits > 16) {
    throw new FormatError(
      "unsupported",
      `This JPEG 2000 image has ${bits} bits a cell; up to 16 can be read`,
    );
  }
  const parts: Codestream["parts"] = Array.from({ length: across * down }, () => []);
  for (let n = 0; ; n++) {
    if (position + 2 > end) {
      if (parts.every((part) => part.length)) {
        break;
      }
      throw cut(position + 2);
    }
    const head = await bytes(position, Math.min(12, end - position));
    if (head.getUint16(0) === EOC) {
      break;
    }
    if (head.getUint16(0) !== SOT || head.byteLength < 12 || n > 16 * MAX_TILES) {
      throw new FormatError(
        "damaged",
        `A tile of the JPEG 2000 image does not begin where it should, at byte ${position}`,
        "Fetch or copy the file again.",
      );
    }
    const tile = head.getUint16(4);
    const said = head.getUint32(6);
    const length = said === 0 ? end - position - 2 : said;
    if (tile >= parts.length || length < 14) {
      throw new FormatError(
        "damaged",
        `The JPEG 2000 image names tile ${tile + 1} of ${parts.length}`,
      );
    }
    if (position + length > end) {
      throw cut(position + length);
    }
    parts[tile]!.push({ at: position, length });
    position += length;
  }
  const missing = parts.findIndex((part) => part.length === 0);
  if (missing >= 0) {
    throw new FormatError(
      "truncated",
      `Tile ${missing + 1} of ${parts.length} is not in the file`,
      "Fetch or copy the file again.",
    );
  }
  const all = new Uint8Array(kept.reduce((s, k) => s + k.length, 0));
  let offset = 0;
  for (const k of kept) {
    all.set(k, offset);
    offset += k.length;
  }
  return {
    width,
    height,
    components,
    bits,
    signed: (depth & 0x80) !== 0,
    tileWidth,
    tileHeight,
    across,
    down,
    header: all,
    parts,
    grid: { x1, y1, x0, y0, tx0, ty0 },
  };
}

/** Where a tile lies in the image. */
export function tileWindow(
  codestream: Codestream,
  tile: number,
): { col: number; row: number; width: number; height: number } {
  const { x0, y0, x1, y1, tx0, ty0 } = codestream.grid;
  const left = tx0 + (tile % codestream.across) * codestream.tileWidth;
  const top = ty0 + Math.floor(tile / codestream.across) * codestream.tileHeight;
  const from = Math.max(x0, left);
  const t = Math.max(y0, top);
  return {
    col: from - x0,
    row: t - y0,
    width: Math.min(x1, left + codestream.tileWidth) - from,
    height: Math.min(y1, top + codestream.tileHeight) - t,
  };
}

/**
 * A codestream that holds one tile and nothing else: the frame shrinks to it, its coordinates on
 * the reference grid stay, and with them the wavelet and its blocks.
 */
export async function tileStream(
  source: ByteSource,
  codestream: Codestream,
  tile: number,
  signal?: AbortSignal,
): Promise<Uint8Array> {
  const parts = await Promise.all(
    codestream.parts[tile]!.map((x) => source.read(x.at, x.length, signal)),
  );
  const out = new Uint8Array(
    codestream.header.length + parts.reduce((s, x) => s + x.length, 0) + 2,
  );
  const view = new DataView(out.buffer);
  out.set(codestream.header);
  const { x0, y0, tx0, ty0 } = codestream.grid;
  const w = tileWindow(codestream, tile);
  const at = sizAt(codestream.header);
  [
    x0 + w.col + w.width,
    y0 + w.row + w.height,
    x0 + w.col,
    y0 + w.row,
    codestream.tileWidth,
    codestream.tileHeight,
    tx0 + (tile % codestream.across) * codestream.tileWidth,
    ty0 + Math.floor(tile / codestream.across) * codestream.tileHeight,
  ].forEach((x, k) => view.setUint32(at + 6 + 4 * k, x));
  let offset = codestream.header.length;
  for (const part of parts) {
    out.set(part, offset);
    view.setUint16(offset + 4, 0);
    view.setUint32(offset + 6, part.length);
    offset += part.length;
  }
  view.setUint16(offset, EOC);
  return out;
}
function sizAt(header: Uint8Array): number {
  const view = new DataView(header.buffer, header.byteOffset, header.byteLength);
  for (let position = 2; position < header.length; position += 2 + view.getUint16(position + 2)) {
    if (view.getUint16(position) === SIZ) {
      return position;
    }
  }
  throw new FormatError("damaged", "The JPEG 2000 image does not say how large it is");
}
