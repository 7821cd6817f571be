import openjpeg from "@cornerstonejs/codec-openjpeg/wasmjs";
import type { Grid, Window } from "@hindglance/core/grid/grid";
import { crsOfEpsg } from "../crs/epsg";
import { FormatError } from "../errors";
import { type OpenRaster, type RasterBand, asReal, checkWindow } from "../raster/raster";
import { type ByteSource, MemorySource } from "../source";
import { openTiff } from "../tiff/readTiff";
import { decodeSeveral } from "./severalBands";
import { type Codestream, readCodestream, tileStream, tileWindow } from "./codestream";

const CACHE_BYTES = 48 << 20;
const MAX_TILE_CELLS = 1 << 26;
const MAX_BOX = 8 << 20;
const MOST_BANDS = 64;
/** Identity of the box that holds a georeference as a TIFF of one cell. */
const GEO_UUID = "b14bf8bd083d4b43a5ae8cd7d5a6ce03";

/** Whether a file begins as JPEG 2000 does, boxed or bare. */
export const looksLikeJp2 = (head: Uint8Array): boolean =>
  (head.length >= 12 &&
    head[4] === 0x6a &&
    head[5] === 0x50 &&
    head[6] === 0x20 &&
    head[7] === 0x20) ||
  (head[0] === 0xff && head[1] === 0x4f && head[2] === 0xff && head[3] === 0x51);

interface Boxes {
  stream: { at: number; end: number };
  geo: Uint8Array | null;
  gml: string | null;
  palette: string[] | null;
}

/** Walks over the boxes of a JP2 file; a bare codestream has none. */
async function readBoxes(source: ByteSource): Promise<Boxes> {
  const found: Boxes = { stream: { at: -1, end: -1 }, geo: null, gml: null, palette: null };
  const walk = async (from: number, to: number, depth: number): Promise<void> => {
    for (let position = from, n = 0; position + 8 <= to && n < 10_000; n++) {
      const b = await source.read(position, Math.min(24, to - position));
      const view = new DataView(b.buffer, b.byteOffset, b.byteLength);
      const kind = String.fromCharCode(b[4]!, b[5]!, b[6]!, b[7]!);
      const short = view.getUint32(0);
      const long = short === 1 && b.length >= 16;
      const head = long ? 16 : 8;
      let size: number;
      if (short === 0) {
        size = to - position;
      } else if (long) {
        size = Number(view.getBigUint64(8));
      } else {
        size = short;
      }
      if (size < head) {
        throw new FormatError(
          "damaged",
          `A box of the JP2 file has ${size} bytes (byte ${position})`,
          "Fetch or copy the file again.",
        );
      }
      const end = kind === "jp2c" ? Math.min(position + size, source.size) : position + size;
      if (end > to) {
        throw new FormatError(
          "truncated",
          `The file is cut off: box "${kind.trim()}" should end at byte ${end}, the file ends at ${source.size}`,
          "Fetch or copy the file again.",
        );
      }
      const inside = () => {
        if (size > MAX_BOX) {
          throw new FormatError(
            "absurdSize",
            `Box "${kind.trim()}" of the JP2 file has ${size} bytes`,
          );
        }
        return source.read(position + head, size - head);
      };
      if (kind === "jp2c") {
        if (found.stream.at < 0) {
          found.stream = { at: position + head, end };
        }
      } else if ((kind === "jp2h" || kind === "asoc") && depth < 6) {
        await walk(position + head, end, depth + 1);
      } else if (kind === "uuid") {
        const unpacked = await inside();
        if (hex(unpacked.subarray(0, 16)) === GEO_UUID) {
          found.geo = unpacked.subarray(16);
        }
      } else if (kind === "xml " && !found.gml) {
        const t = new TextDecoder().decode(await inside());
        if (/RectifiedGrid/.test(t)) {
          found.gml = t;
        }
      } else if (kind === "pclr") {
        found.palette = paletteOf(await inside());
      }
      position = end;
    }
  };
  const first = await source.read(0, Math.min(12, source.size));
  if (first[0] === 0xff) {
    return { ...found, stream: { at: 0, end: source.size } };
  }
  await walk(0, source.size, 0);
  if (found.stream.at < 0) {
    throw new FormatError(
      "damaged",
      "The JP2 file holds no image",
      "Fetch or copy the file again.",
    );
  }
  return found;
}
const hex = (b: Uint8Array): string =>
  Array.from(b, (x) => x.toString(16).padStart(2, "0")).join("");
function paletteOf(b: Uint8Array): string[] | null {
  const entries = (b[0]! << 8) | b[1]!;
  const columns = b[2]!;
  const at = 3 + columns;
  return columns < 3 || b.length < at + entries * columns
    ? null
    : Array.from(
        { length: entries },
        (_v, i) => `#${hex(b.subarray(at + i * columns, at + i * columns + 3))}`,
      );
}

/** Position from the GML of a JP2 file: origin is the centre of the first cell. */
async function gridOfGml(gml: string, width: number, height: number): Promise<Grid | null> {
  const epsg = /srsName="[^"]*?(\d{4,6})"/.exec(gml)?.[1];
  const numbers = (s: string | undefined) =>
    (s ?? "")
      .trim()
      .split(/[\s,]+/)
      .map(Number);
  const origin = numbers(
    /<(?:\w+:)?(?:pos|coordinates)>([^<]+)</.exec(
      /<(?:\w+:)?origin>[\s\S]*?<\/(?:\w+:)?origin>/.exec(gml)?.[0] ?? "",
    )?.[1],
  );
  const vectors = [...gml.matchAll(/<(?:\w+:)?offsetVector[^>]*>([^<]+)</g)].map((match) =>
    numbers(match[1]),
  );
  if (
    !epsg ||
    origin.length < 2 ||
    vectors.length < 2 ||
    ![...origin, ...vectors.flat()].every(Number.isFinite)
  ) {
    return null;
  }
  const crs = await crsOfEpsg(Number(epsg));
  const swap = Number(epsg) === 4326 && /urn:ogc|opengis\.net/.test(gml);
  const at = (values: number[]): [number, number] =>
    swap ? [values[1]!, values[0]!] : [values[0]!, values[1]!];
  const [ox, oy] = at(origin);
  const [ax, ay] = at(vectors[0]!);
  const [bx, by] = at(vectors[1]!);
  return ax * by - ay * bx === 0
    ? null
    : { crs, transform: [ox - (ax + bx) / 2, ax, bx, oy - (ay + by) / 2, ay, by], width, height };
}

type TileCells = Uint16Array | Int16Array | Uint8Array | Int32Array;
let codec: ReturnType<typeof openjpeg> | null = null;
/**
 * Cells of one tile, component after component within a cell. @throws FormatError when it cannot be
 * decoded
 */
async function decodeTile(
  bytes: Uint8Array,
  codestream: Codestream,
  tile: number,
): Promise<TileCells> {
  if (codestream.components !== 1 && codestream.components !== 3) {
    const w = tileWindow(codestream, tile);
    const out = decodeSeveral(bytes, codestream.components, codestream.bits, codestream.signed);
    if (out.length !== w.width * w.height * codestream.components) {
      throw new FormatError(
        "damaged",
        `Tile ${tile + 1} of ${codestream.parts.length} has another size than the header says`,
        "Fetch or copy the file again.",
      );
    }
    return out;
  }
  const { J2KDecoder } = await (codec ??= openjpeg({ print: () => {}, printErr: () => {} }));
  const j2KDecoder = new J2KDecoder();
  const w = tileWindow(codestream, tile);
  const bad = (why: string) =>
    new FormatError(
      "damaged",
      `Tile ${tile + 1} of ${codestream.parts.length} cannot be decompressed${why}`,
      "Fetch or copy the file again.",
    );
  try {
    j2KDecoder.getEncodedBuffer(bytes.length).set(bytes);
    try {
      j2KDecoder.decode();
    } catch {
      throw bad("");
    }
    const frame = j2KDecoder.getFrameInfo();
    const n = w.width * w.height * codestream.components;
    const out = j2KDecoder.getDecodedBuffer();
    if (
      frame.width !== w.width ||
      frame.height !== w.height ||
      frame.componentCount !== codestream.components
    ) {
      throw bad(`: it has ${frame.width} by ${frame.height} cells, not ${w.width} by ${w.height}`);
    }
    const wide = codestream.bits > 8;
    const copy = out.slice(0, n * (wide ? 2 : 1));
    if (copy.length < n * (wide ? 2 : 1)) {
      throw bad("");
    }
    if (wide) {
      if (codestream.signed) {
        return new Int16Array(copy.buffer);
      }
      return new Uint16Array(copy.buffer);
    }
    return copy;
  } finally {
    j2KDecoder.delete();
  }
}

/**
 * Opens a JPEG 2000 image, in its JP2 boxes or bare, tile by tile: whatever its size, no more than
 * a row of tiles is in memory. Position from a GeoJP2 box
 * or from GML. Up to 16 bits a cell, whole or with sign.
 * @throws FormatError: cut off, damaged, of absurd size, or of a kind that is named
 */
export async function openJp2(source: ByteSource, cacheBytes = CACHE_BYTES): Promise<OpenRaster> {
  const boxes = await readBoxes(source);
  const codestream = await readCodestream(source, boxes.stream.at, boxes.stream.end);
  const { width, height, components } = codestream;
  if (
    codestream.tileWidth * codestream.tileHeight > MAX_TILE_CELLS &&
    width * height > MAX_TILE_CELLS
  ) {
    throw new FormatError(
      "absurdSize",
      `The image is compressed in one piece of ${width} by ${height} cells, too large to take apart`,
      "Save it with tiles.",
    );
  }
  if (components > MOST_BANDS) {
    throw new FormatError(
      "unsupported",
      `This JPEG 2000 image has ${components} bands in one; up to ${MOST_BANDS} can be read`,
      "Save each band as a file of its own.",
    );
  }
  let grid: Grid | null = null;
  let noPosition: FormatError | null = new FormatError(
    "noPosition",
    "The file does not say where on the ground it lies",
    "A position, a world file or control points are needed.",
  );
  if (boxes.geo) {
    const raster = await openTiff(new MemorySource(boxes.geo)).catch(() => null);
    if (raster?.grid) {
      grid = { ...raster.grid, width, height };
      noPosition = null;
    } else if (raster?.noPosition) {
      noPosition = raster.noPosition;
    }
  }
  if (!grid && boxes.gml) {
    try {
      grid = await gridOfGml(boxes.gml, width, height);
      if (grid) {
        noPosition = null;
      }
    } catch (error) {
      if (!(error instanceof FormatError)) {
        throw error;
      }
      noPosition = error;
    }
  }
  const bands = Array.from({ length: components }, (): RasterBand => ({
    name: null,
    unit: null,
    scale: 1,
    offset: 0,
  }));
  const cache = new Map<number, Promise<TileCells>>();
  const keep = Math.max(
    codestream.across + 1,
    Math.floor(
      cacheBytes /
        (codestream.tileWidth *
          codestream.tileHeight *
          components *
          (components !== 1 && components !== 3 ? 4 : codestream.bits > 8 ? 2 : 1)),
    ),
  );
  const tile = (k: number, signal?: AbortSignal) => {
    let ownPending = cache.get(k);
    if (!ownPending) {
      ownPending = tileStream(source, codestream, k, signal).then((b) =>
        decodeTile(b, codestream, k),
      );
      ownPending.catch(() => cache.delete(k));
      cache.set(k, ownPending);
      while (cache.size > keep) {
        cache.delete(cache.keys().next().value!);
      }
    }
    return ownPending;
  };
  const readRaw = async (w: Window, signal?: AbortSignal): Promise<Float64Array[]> => {
    checkWindow(w, width, height);
    const out = Array.from({ length: components }, () => new Float64Array(w.width * w.height));
    for (let k = 0; k < codestream.parts.length; k++) {
      const t = tileWindow(codestream, k);
      const c0 = Math.max(w.col, t.col);
      const c1 = Math.min(w.col + w.width, t.col + t.width);
      const r0 = Math.max(w.row, t.row);
      const r1 = Math.min(w.row + w.height, t.row + t.height);
      if (c1 <= c0 || r1 <= r0) {
        continue;
      }
      signal?.throwIfAborted();
      const cells = await tile(k, signal);
      for (let r = r0; r < r1; r++) {
        for (let b = 0; b < components; b++) {
          const dst = out[b]!;
          for (
            let x = c0,
              i = ((r - t.row) * t.width + c0 - t.col) * components + b,
              offset = (r - w.row) * w.width + c0 - w.col;
            x < c1;
            x++, i += components, offset++
          ) {
            dst[offset] = cells[i]!;
          }
        }
      }
    }
    return out;
  };
  return {
    width,
    height,
    grid,
    noPosition,
    verticalCode: null,
    bands,
    sampleType: `${codestream.signed ? "int" : "uint"}${codestream.bits > 8 ? 16 : 8}`,
    nodata: null,
    palette: boxes.palette,
    items: {},
    dateTime: null,
    blockHeight: Math.min(height, codestream.tileHeight),
    readRaw,
    read: async (w, signal) => asReal(await readRaw(w, signal), bands, null),
  };
}
