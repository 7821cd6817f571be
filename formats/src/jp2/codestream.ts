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
/** Tile parts that are walked over before the file is given up. */
const MOST_PARTS = 16 * MAX_TILES;

const AGAIN = "Fetch or copy the file again.";
const damaged = (message: string) => new FormatError("damaged", message, AGAIN);

/** The bytes of a codestream in a file. */
class Stream {
  constructor(
    private readonly source: ByteSource,
    /** Byte after its last. */
    readonly end: number,
  ) {}

  /** What is said where the stream ends before a byte that is needed. */
  cut(where: number): FormatError {
    return new FormatError(
      "truncated",
      `The file is cut off: the image should go on at byte ${where}, the file ends at ${this.source.size}`,
      AGAIN,
    );
  }

  /** @throws FormatError where they are not all there */
  async bytes(from: number, length: number): Promise<DataView> {
    if (from + length > this.end) {
      throw this.cut(from + length);
    }
    const found = await this.source.read(from, length);
    return new DataView(found.buffer, found.byteOffset, found.byteLength);
  }
}

/** The main header as it is kept, its size marker, and where the first tile part begins. */
interface Header {
  kept: Uint8Array;
  size: DataView;
  next: number;
}

/** A marker of the main header with its length. @throws FormatError */
async function markerAt(
  stream: Stream,
  position: number,
  start: number,
): Promise<{ marker: number; length: number }> {
  const head = await stream.bytes(position, 4);
  const marker = head.getUint16(0);
  const length = head.getUint16(2);
  if (marker === SOT) {
    return { marker, length };
  }
  if (marker < 0xff00 || length < 2 || position - start > MAX_HEADER) {
    throw damaged(`The header of the JPEG 2000 image cannot be read at byte ${position}`);
  }
  if (marker === PPM) {
    throw new FormatError(
      "unsupported",
      "This JPEG 2000 image keeps its packet headers apart (PPM), which cannot be read tile by tile",
      "Save it as GeoTIFF.",
    );
  }
  return { marker, length };
}

/** Bytes one after another in one array. */
function joined(parts: readonly Uint8Array[]): Uint8Array {
  const all = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let offset = 0;
  for (const part of parts) {
    all.set(part, offset);
    offset += part.length;
  }
  return all;
}

/** Reads the main header up to the first tile part. @throws FormatError */
async function readHeader(stream: Stream, at: number): Promise<Header> {
  if ((await stream.bytes(at, 2)).getUint16(0) !== SOC) {
    throw damaged("The JPEG 2000 image does not begin where it should");
  }
  const kept: Uint8Array[] = [Uint8Array.of(0xff, 0x4f)];
  let size: DataView | null = null;
  let next = at + 2;
  for (;;) {
    const { marker, length } = await markerAt(stream, next, at);
    if (marker === SOT) {
      break;
    }
    if (marker !== TLM && marker !== PLM) {
      const segment = await stream.bytes(next, length + 2);
      const copy = new Uint8Array(segment.buffer, segment.byteOffset, segment.byteLength).slice();
      kept.push(copy);
      size = marker === SIZ ? new DataView(copy.buffer) : size;
    }
    next += length + 2;
  }
  if (!size || size.byteLength < 40) {
    throw new FormatError("damaged", "The JPEG 2000 image does not say how large it is");
  }
  return { kept: joined(kept), size, next };
}

type Frame = Omit<Codestream, "header" | "parts">;

/** The frame that the size marker gives. @throws FormatError where it cannot be right */
function frameOf(size: DataView): Frame {
  const word = (k: number) => size.getUint32(6 + 4 * k);
  const grid = { x1: word(0), y1: word(1), x0: word(2), y0: word(3), tx0: word(6), ty0: word(7) };
  const { x1, y1, x0, y0, tx0, ty0 } = grid;
  const tileWidth = word(4);
  const tileHeight = word(5);
  const components = size.getUint16(38);
  const width = x1 - x0;
  const height = y1 - y0;
  if (size.byteLength < 40 + 3 * components) {
    throw new FormatError("damaged", "The size marker of the JPEG 2000 image is too short");
  }
  if (!(width > 0 && height > 0 && tileWidth > 0 && tileHeight > 0 && tx0 <= x0 && ty0 <= y0)) {
    throw new FormatError("damaged", `The JPEG 2000 image is ${width} by ${height} cells`);
  }
  const across = Math.ceil((x1 - tx0) / tileWidth);
  const down = Math.ceil((y1 - ty0) / tileHeight);
  const isHuge = width > MAX_SIDE || height > MAX_SIDE;
  if (isHuge || across * down > MAX_TILES || components > MAX_COMPONENTS) {
    throw new FormatError(
      "absurdSize",
      `The file says it has ${width} by ${height} cells, ${components} bands and ${across * down} tiles, which cannot be right`,
    );
  }
  const depth = depthOf(size, components);
  return { width, height, components, ...depth, tileWidth, tileHeight, across, down, grid };
}

/** How the cells of all components are kept. @throws FormatError where they are kept differently */
function depthOf(size: DataView, components: number): Pick<Frame, "bits" | "signed"> {
  const depth = size.getUint8(40);
  for (let k = 0; k < components; k++) {
    const at = 40 + 3 * k;
    if (size.getUint8(at + 1) !== 1 || size.getUint8(at + 2) !== 1) {
      throw new FormatError(
        "unsupported",
        "Bands of this JPEG 2000 image have cells of different sizes",
        "Save each band as a file of its own.",
      );
    }
    if (size.getUint8(at) !== depth) {
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
  return { bits, signed: (depth & 0x80) !== 0 };
}

/** The tile part at a byte; null at the end of the codestream. @throws FormatError */
async function partAt(
  stream: Stream,
  position: number,
  tiles: number,
): Promise<{ tile: number; length: number } | null> {
  const head = await stream.bytes(position, Math.min(12, stream.end - position));
  if (head.getUint16(0) === EOC) {
    return null;
  }
  if (head.getUint16(0) !== SOT || head.byteLength < 12) {
    throw damaged(
      `A tile of the JPEG 2000 image does not begin where it should, at byte ${position}`,
    );
  }
  const tile = head.getUint16(4);
  const said = head.getUint32(6);
  // A length of 0 stands for all that is left before the end marker.
  const length = said === 0 ? stream.end - position - 2 : said;
  if (tile >= tiles || length < 14) {
    throw new FormatError("damaged", `The JPEG 2000 image names tile ${tile + 1} of ${tiles}`);
  }
  if (position + length > stream.end) {
    throw stream.cut(position + length);
  }
  return { tile, length };
}

/** Walks over the tile parts. @throws FormatError where one is damaged, or a tile has none */
async function readParts(
  stream: Stream,
  from: number,
  tiles: number,
): Promise<Codestream["parts"]> {
  const parts: Codestream["parts"] = Array.from({ length: tiles }, () => []);
  const isWhole = () => parts.every((part) => part.length > 0);
  let position = from;
  for (let count = 0; ; count++) {
    if (count > MOST_PARTS) {
      throw damaged(`The JPEG 2000 image has more than ${MOST_PARTS} parts of tiles`);
    }
    if (position + 2 > stream.end) {
      if (isWhole()) {
        return parts;
      }
      throw stream.cut(position + 2);
    }
    const part = await partAt(stream, position, tiles);
    if (!part) {
      break;
    }
    parts[part.tile]!.push({ at: position, length: part.length });
    position += part.length;
  }
  const missing = parts.findIndex((part) => part.length === 0);
  if (missing >= 0) {
    throw new FormatError(
      "truncated",
      `Tile ${missing + 1} of ${parts.length} is not in the file`,
      AGAIN,
    );
  }
  return parts;
}

/**
 * Reads the main header and walks over the tile parts.
 * @param at first byte of the codestream
 * @param end byte after its last
 * @throws FormatError where it is damaged, cut off, of absurd size, or of a kind that is named
 */
export async function readCodestream(
  source: ByteSource,
  at: number,
  end: number,
): Promise<Codestream> {
  const stream = new Stream(source, end);
  const { kept, size, next } = await readHeader(stream, at);
  const frame = frameOf(size);
  const parts = await readParts(stream, next, frame.across * frame.down);
  return { ...frame, header: kept, parts };
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
