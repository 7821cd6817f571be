import { decode as decodePng } from "fast-png";
import { inflateSync } from "node:zlib";
import jpeg from "jpeg-js";
import { messageOf } from "@hindglance/core/errors";
import type { Window } from "@hindglance/core/grid/grid";
import { FormatError } from "../errors";
import type { ByteSource } from "../source";
import { type OpenRaster, type RasterBand, asReal, checkWindow } from "./raster";

/** Pictures are decoded whole: so many cells at the most. */
const MAX_CELLS = 120e6;
const MAX_BYTES = 400 << 20;

/** Whether a file begins as PNG does. */
export const looksLikePng = (h: Uint8Array): boolean =>
  h[0] === 0x89 && h[1] === 0x50 && h[2] === 0x4e && h[3] === 0x47;

/** Whether a file begins as JPEG does. */
export const looksLikeJpeg = (h: Uint8Array): boolean =>
  h[0] === 0xff && h[1] === 0xd8 && h[2] === 0xff;

const AGAIN = "Fetch or copy the file again.";
const cutOff = () => new FormatError("truncated", "The picture is cut off", AGAIN);

interface Size {
  width: number;
  height: number;
}

/** A decoded picture, channel after channel within a cell. */
interface Picture extends Size {
  channels: number;
  bits: 8 | 16;
  data: ArrayLike<number>;
}

/** @throws FormatError where the file, or what it unpacks to, is too large or nothing */
function requireReadable({ width, height }: Size): void {
  if (!(width > 0 && height > 0)) {
    throw new FormatError("damaged", `The picture is ${width} by ${height} cells`);
  }
  if (width * height > MAX_CELLS) {
    throw new FormatError(
      "absurdSize",
      `The picture has ${width} by ${height} cells, more than can be taken apart at once`,
      "Save it as GeoTIFF with tiles.",
    );
  }
}

/** Decodes a picture. @throws FormatError where it is damaged, cut off or too large */
function decode(bytes: Uint8Array): Picture {
  const isPng = looksLikePng(bytes);
  requireReadable(isPng ? sizeOfPng(bytes) : sizeOfJpeg(bytes));
  let picture: Picture;
  try {
    picture = isPng ? fromPng(bytes) : fromJpeg(bytes);
  } catch (error) {
    if (error instanceof FormatError) {
      throw error;
    }
    const message = `The picture cannot be decoded (${messageOf(error)})`;
    throw new FormatError("damaged", message, AGAIN);
  }
  if (picture.data.length < picture.width * picture.height * picture.channels) {
    throw cutOff();
  }
  return picture;
}

/** Cells of one channel in a window; a transparent one is NaN. */
function channelIn(picture: Picture, channel: number, window: Window): Float64Array {
  const { channels, data } = picture;
  const alpha = hasAlpha(picture) ? channels - 1 : null;
  const out = new Float64Array(window.width * window.height);
  for (let r = 0; r < window.height; r++) {
    const from = ((window.row + r) * picture.width + window.col) * channels;
    for (let c = 0; c < window.width; c++) {
      const cell = from + c * channels;
      const isClear = alpha !== null && data[cell + alpha] === 0;
      out[r * window.width + c] = isClear ? NaN : data[cell + channel]!;
    }
  }
  return out;
}

/** Grey with transparency has two channels, colours with transparency four. */
const hasAlpha = ({ channels }: Picture): boolean => channels === 2 || channels === 4;

/**
 * Opens a PNG or a JPEG: a picture has no position by itself. A transparent cell is nodata. @throws
 * FormatError
 */
export async function openPicture(source: ByteSource): Promise<OpenRaster> {
  if (source.size > MAX_BYTES) {
    throw new FormatError(
      "absurdSize",
      `The picture has ${Math.round(source.size / 1e6)} MB; pictures up to ${MAX_BYTES >> 20} MB can be read`,
      "Save it as GeoTIFF.",
    );
  }
  const picture = decode(await source.read(0, source.size));
  const { width, height, channels, bits } = picture;
  const colours = hasAlpha(picture) ? channels - 1 : channels;
  const names = colours === 3 ? ["red", "green", "blue"] : ["grey"];
  const bands = Array.from({ length: colours }, (_v, k): RasterBand => ({
    name: names[k]!,
    unit: null,
    scale: 1,
    offset: 0,
  }));
  const readRaw = async (window: Window): Promise<Float64Array[]> => {
    checkWindow(window, width, height);
    return bands.map((_band, k) => channelIn(picture, k, window));
  };
  return {
    width,
    height,
    grid: null,
    noPosition: new FormatError(
      "noPosition",
      "A picture does not say where on the ground it lies",
      "Put its world file beside it, or give it a position by control points.",
    ),
    verticalCode: null,
    bands,
    sampleType: `uint${bits}`,
    nodata: null,
    palette: null,
    items: {},
    dateTime: null,
    blockHeight: height,
    readRaw,
    read: async (window) => asReal(await readRaw(window), bands, null),
  };
}

/** Cells of less than a byte, which lie packed in rows that begin on a byte. */
function unpacked(data: ArrayLike<number>, { width, height }: Size, depth: number): Uint8Array {
  const perByte = 8 / depth;
  const rowBytes = Math.ceil(width / perByte);
  const mask = (1 << depth) - 1;
  const out = new Uint8Array(width * height);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const byte = data[r * rowBytes + Math.floor(c / perByte)]!;
      out[r * width + c] = (byte >> (8 - depth - (c % perByte) * depth)) & mask;
    }
  }
  return out;
}

/** Colours of a palette, some of them perhaps transparent. @throws FormatError for one it has not */
function coloured(
  data: ArrayLike<number>,
  palette: readonly (readonly number[])[],
  { width, height }: Size,
): Picture {
  const channels = palette.some((colour) => colour.length > 3) ? 4 : 3;
  const cells = new Uint8Array(width * height * channels);
  for (let i = 0; i < width * height; i++) {
    const colour = palette[data[i]!];
    if (!colour) {
      throw new FormatError(
        "damaged",
        `The picture asks for colour ${data[i]} of a palette of ${palette.length}`,
      );
    }
    for (let k = 0; k < channels; k++) {
      cells[i * channels + k] = colour[k] ?? 255;
    }
  }
  return { width, height, channels, bits: 8, data: cells };
}

function fromPng(bytes: Uint8Array): Picture {
  checkLength(bytes);
  const { width, height, depth, channels, palette, data } = decodePng(bytes, { checkCrc: true });
  const size = { width, height };
  const isPacked = depth < 8;
  const cells = isPacked ? unpacked(data, size, depth) : data;
  if (palette) {
    return coloured(cells, palette, size);
  }
  return {
    ...size,
    channels: isPacked ? 1 : channels,
    bits: depth === 16 ? 16 : 8,
    data: cells,
  };
}

/** Type of the chunks of a PNG that hold its cells. */
const IDAT = 0x49444154;
/** Samples of a cell by the colour type of a PNG. */
const SAMPLES: Record<number, number> = { 0: 1, 2: 3, 3: 1, 4: 2, 6: 4 };

/** Bytes that the cells of a PNG unpack to at most; interlaced ones come in seven passes. */
function mostUnpacked(bytes: Uint8Array): number {
  const { width, height } = sizeOfPng(bytes);
  const bits = (bytes[24] ?? 0) * (SAMPLES[bytes[25] ?? 0] ?? 1);
  const isInterlaced = !!bytes[28];
  const filters = isInterlaced ? 2 * height + 14 : height;
  return Math.ceil((width * bits) / 8 + 8) * height * (isInterlaced ? 2 : 1) + filters;
}

/** The chunks of a PNG that hold its cells. */
function packedCells(bytes: Uint8Array): Uint8Array[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const packed: Uint8Array[] = [];
  for (let position = 8; position + 12 <= bytes.length;) {
    const length = view.getUint32(position);
    if (view.getUint32(position + 4) === IDAT) {
      packed.push(bytes.subarray(position + 8, position + 8 + length));
    }
    position += 12 + length;
  }
  return packed;
}

const isTooLong = (error: unknown): boolean =>
  typeof error === "object" &&
  error !== null &&
  "code" in error &&
  error.code === "ERR_BUFFER_TOO_LARGE";

/**
 * The packed cells must be as long as the size says: a small file may unpack to any length. @throws
 * FormatError
 */
function checkLength(bytes: Uint8Array): void {
  try {
    inflateSync(Buffer.concat(packedCells(bytes)), { maxOutputLength: mostUnpacked(bytes) });
  } catch (error) {
    if (!isTooLong(error)) {
      throw error;
    }
    const { width, height } = sizeOfPng(bytes);
    throw new FormatError(
      "absurdSize",
      `The picture unpacks to more than the ${width} by ${height} cells that it says it has`,
      AGAIN,
    );
  }
}

function fromJpeg(bytes: Uint8Array): Picture {
  const { width, height, data } = jpeg.decode(bytes, {
    useTArray: true,
    formatAsRGBA: false,
    maxResolutionInMP: MAX_CELLS / 1e6,
    maxMemoryUsageInMB: 2048,
    tolerantDecoding: false,
  });
  const cells = width * height;
  const channels = data.length / cells;
  if (sizeOfJpeg(bytes).components > 1) {
    return { width, height, channels, bits: 8, data };
  }
  // Grey comes out as three equal bands.
  const grey = Uint8Array.from({ length: cells }, (_v, i) => data[i * channels]!);
  return { width, height, channels: 1, bits: 8, data: grey };
}

function sizeOfPng(bytes: Uint8Array): Size {
  if (bytes.length < 33) {
    throw cutOff();
  }
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  return { width: view.getUint32(16), height: view.getUint32(20) };
}

/** Markers from 0xFFC0 to 0xFFCF begin a frame, but for these three. */
const NO_FRAMES = [0xffc4, 0xffc8, 0xffcc];

function sizeOfJpeg(bytes: Uint8Array): Size & { components: number } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let position = 2; position + 9 < bytes.length;) {
    const marker = view.getUint16(position);
    if (marker >= 0xffc0 && marker <= 0xffcf && !NO_FRAMES.includes(marker)) {
      return {
        height: view.getUint16(position + 5),
        width: view.getUint16(position + 7),
        components: bytes[position + 9]!,
      };
    }
    if ((marker & 0xff00) !== 0xff00) {
      break;
    }
    position += 2 + view.getUint16(position + 2);
  }
  throw new FormatError("damaged", "The picture does not say how large it is", AGAIN);
}
