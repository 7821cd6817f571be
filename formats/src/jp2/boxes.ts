import { FormatError } from "../errors";
import type { ByteSource } from "../source";

const MAX_BOX = 8 << 20;
const MOST_BOXES = 10_000;
/** How deep boxes that hold others are followed. */
const MOST_DEPTH = 6;
/** Identity of the box that holds a georeference as a TIFF of one cell. */
const GEO_UUID = "b14bf8bd083d4b43a5ae8cd7d5a6ce03";
const AGAIN = "Fetch or copy the file again.";

/** What the boxes of a JP2 file hold that is used. */
export interface Boxes {
  /** First byte of the codestream and the one after its last. */
  stream: { at: number; end: number };
  /** A TIFF of one cell with the position. */
  geo: Uint8Array | null;
  /** The position as GML. */
  gml: string | null;
  /** Colours of values, "#rrggbb". */
  palette: string[] | null;
}

interface Box {
  kind: string;
  /** Its first byte, that of what it holds, and the one after its last. */
  at: number;
  inside: number;
  end: number;
}

const hex = (bytes: Uint8Array): string =>
  Array.from(bytes, (byte) => byte.toString(16).padStart(2, "0")).join("");

/** Colours of a palette box; null where it has fewer than three columns, or is cut off. */
function paletteOf(bytes: Uint8Array): string[] | null {
  const [high = 0, low = 0, columns = 0] = bytes;
  const entries = (high << 8) | low;
  const first = 3 + columns;
  if (columns < 3 || bytes.length < first + entries * columns) {
    return null;
  }
  return Array.from({ length: entries }, (_v, k) => {
    const at = first + k * columns;
    return `#${hex(bytes.subarray(at, at + 3))}`;
  });
}

/** Bytes of a box: to the end of what holds it, or as its short or long length says. */
function lengthOf(view: DataView, room: number): { size: number; head: number } {
  const short = view.getUint32(0);
  if (short === 0) {
    return { size: room, head: 8 };
  }
  return short === 1 && view.byteLength >= 16
    ? { size: Number(view.getBigUint64(8)), head: 16 }
    : { size: short, head: 8 };
}

/** The box at a byte. @throws FormatError where it is shorter than its head, or is cut off */
async function boxAt(source: ByteSource, at: number, to: number): Promise<Box> {
  const bytes = await source.read(at, Math.min(24, to - at));
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const kind = String.fromCharCode(...bytes.subarray(4, 8));
  const { size, head } = lengthOf(view, to - at);
  if (size < head) {
    throw new FormatError("damaged", `A box of the JP2 file has ${size} bytes (byte ${at})`, AGAIN);
  }
  // The codestream may be cut off: then it shows in the tiles which of them are missing.
  const end = kind === "jp2c" ? Math.min(at + size, source.size) : at + size;
  if (end > to) {
    throw new FormatError(
      "truncated",
      `The file is cut off: box "${kind.trim()}" should end at byte ${end}, the file ends at ${source.size}`,
      AGAIN,
    );
  }
  return { kind, at, inside: at + head, end };
}

/** What a box holds. @throws FormatError where that is more than a box of a few words has */
function contentOf(source: ByteSource, { kind, at, inside, end }: Box): Promise<Uint8Array> {
  if (end - at > MAX_BOX) {
    throw new FormatError(
      "absurdSize",
      `Box "${kind.trim()}" of the JP2 file has ${end - at} bytes`,
    );
  }
  return source.read(inside, end - inside);
}

/** Walks over boxes, keeping what is used of them. */
class Walk {
  readonly found: Boxes = { stream: { at: -1, end: -1 }, geo: null, gml: null, palette: null };
  constructor(private readonly source: ByteSource) {}

  async over(from: number, to: number, depth = 0): Promise<void> {
    for (let position = from, n = 0; position + 8 <= to && n < MOST_BOXES; n++) {
      const box = await boxAt(this.source, position, to);
      await this.take(box, depth);
      position = box.end;
    }
  }

  private async take(box: Box, depth: number): Promise<void> {
    const { found, source } = this;
    switch (box.kind) {
      case "jp2c":
        if (found.stream.at < 0) {
          found.stream = { at: box.inside, end: box.end };
        }
        return;
      case "jp2h":
      case "asoc":
        if (depth < MOST_DEPTH) {
          await this.over(box.inside, box.end, depth + 1);
        }
        return;
      case "uuid":
        this.takeIdentified(await contentOf(source, box));
        return;
      case "xml ":
        if (!found.gml) {
          const text = new TextDecoder().decode(await contentOf(source, box));
          found.gml = /RectifiedGrid/.test(text) ? text : null;
        }
        return;
      case "pclr":
        found.palette = paletteOf(await contentOf(source, box));
    }
  }

  private takeIdentified(content: Uint8Array): void {
    if (hex(content.subarray(0, 16)) === GEO_UUID) {
      this.found.geo = content.subarray(16);
    }
  }
}

/**
 * What the boxes of a JP2 file hold; a bare codestream has none.
 * @throws FormatError where a box is damaged or cut off, or there is no image
 */
export async function readBoxes(source: ByteSource): Promise<Boxes> {
  const walk = new Walk(source);
  const first = await source.read(0, Math.min(12, source.size));
  if (first[0] === 0xff) {
    return { ...walk.found, stream: { at: 0, end: source.size } };
  }
  await walk.over(0, source.size);
  if (walk.found.stream.at < 0) {
    throw new FormatError("damaged", "The JP2 file holds no image", AGAIN);
  }
  return walk.found;
}
