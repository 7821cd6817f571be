import { decode as decodePng } from "fast-png";
import { inflateSync } from "node:zlib";
import jpeg from "jpeg-js";
import { FormatError } from "../errors";
import type { ByteSource } from "../source";
import { type OpenRaster, type RasterBand, asReal, checkWindow } from "./raster";
import { messageOf } from "@hindglance/core/errors";

/** Pictures are decoded whole: so many cells at the most. */
const MAX_CELLS = 120e6;
const MAX_BYTES = 400 << 20;

/** Whether a file begins as PNG does. */
export const looksLikePng = (h: Uint8Array): boolean =>
  h[0] === 0x89 && h[1] === 0x50 && h[2] === 0x4e && h[3] === 0x47;

/** Whether a file begins as JPEG does. */
export const looksLikeJpeg = (h: Uint8Array): boolean =>
  h[0] === 0xff && h[1] === 0xd8 && h[2] === 0xff;

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
  const bytes = await source.read(0, source.size);
  const png = looksLikePng(bytes);
  const size = png ? sizeOfPng(bytes) : sizeOfJpeg(bytes);
  if (!(size.width > 0 && size.height > 0)) {
    throw new FormatError("damaged", `The picture is ${size.width} by ${size.height} cells`);
  }
  if (size.width * size.height > MAX_CELLS) {
    throw new FormatError(
      "absurdSize",
      `The picture has ${size.width} by ${size.height} cells, more than can be taken apart at once`,
      "Save it as GeoTIFF with tiles.",
    );
  }
  let picture: Picture;
  try {
    picture = png ? fromPng(bytes) : fromJpeg(bytes);
  } catch (error) {
    throw error instanceof FormatError
      ? error
      : new FormatError(
          "damaged",
          `The picture cannot be decoded (${messageOf(error)})`,
          "Fetch or copy the file again.",
        );
  }
  const { width, height, channels, data, bits } = picture;
  let colours: number;
  if (channels === 2) {
    colours = 1;
  } else if (channels === 4) {
    colours = 3;
  } else {
    colours = channels;
  }
  const alpha = channels === 2 || channels === 4;
  const names = colours === 3 ? ["red", "green", "blue"] : ["grey"];
  if (data.length < width * height * channels) {
    throw new FormatError("truncated", "The picture is cut off", "Fetch or copy the file again.");
  }
  const bands = Array.from({ length: colours }, (_v, k): RasterBand => ({
    name: names[k]!,
    unit: null,
    scale: 1,
    offset: 0,
  }));
  const readRaw = async (w: {
    col: number;
    row: number;
    width: number;
    height: number;
  }): Promise<Float64Array[]> => {
    checkWindow(w, width, height);
    return bands.map((_b, k) => {
      const out = new Float64Array(w.width * w.height);
      for (let r = 0, offset = 0; r < w.height; r++) {
        for (
          let c = 0, i = ((w.row + r) * width + w.col) * channels;
          c < w.width;
          c++, i += channels, offset++
        ) {
          out[offset] = alpha && data[i + channels - 1] === 0 ? NaN : data[i + k]!;
        }
      }
      return out;
    });
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
    read: async (w) => asReal(await readRaw(w), bands, null),
  };
}

interface Picture {
  width: number;
  height: number;
  channels: number;
  bits: 8 | 16;
  data: ArrayLike<number>;
}
function fromPng(b: Uint8Array): Picture {
  checkLength(b);
  const decodedPng = decodePng(b, { checkCrc: true });
  const bits = decodedPng.depth === 16 ? 16 : 8;
  const { width, height, palette } = decodedPng;
  let data: ArrayLike<number> = decodedPng.data;
  if (decodedPng.depth < 8) {
    // Cells of less than a byte lie packed in rows that begin on a byte.
    const per = 8 / decodedPng.depth;
    const row = Math.ceil(width / per);
    const out = new Uint8Array(width * height);
    const mask = (1 << decodedPng.depth) - 1;
    for (let r = 0; r < height; r++) {
      for (let c = 0; c < width; c++) {
        out[r * width + c] =
          (decodedPng.data[r * row + Math.floor(c / per)]! >>
            (8 - decodedPng.depth - (c % per) * decodedPng.depth)) &
          mask;
      }
    }
    data = out;
  }
  if (!palette) {
    return { width, height, channels: decodedPng.depth < 8 ? 1 : decodedPng.channels, bits, data };
  }
  // Numbers of a palette stand for its colours, some of them perhaps transparent.
  const channels = palette.some((c) => c.length > 3) ? 4 : 3;
  const cells = new Uint8Array(width * height * channels);
  for (let i = 0; i < width * height; i++) {
    const c = palette[data[i]!];
    if (!c) {
      throw new FormatError(
        "damaged",
        `The picture asks for colour ${data[i]} of a palette of ${palette.length}`,
      );
    }
    for (let k = 0; k < channels; k++) {
      cells[i * channels + k] = c[k] ?? 255;
    }
  }
  return { width, height, channels, bits: 8, data: cells };
}
/**
 * The packed cells must be as long as the size says: a small file may unpack to any length. @throws
 * FormatError
 */
function checkLength(b: Uint8Array): void {
  const view = new DataView(b.buffer, b.byteOffset, b.byteLength);
  const { width, height } = sizeOfPng(b);
  const bits = (b[24] ?? 0) * ({ 0: 1, 2: 3, 3: 1, 4: 2, 6: 4 }[b[25] ?? 0] ?? 1);
  const passes = b[28] ? 2 * height + 14 : height;
  const most = Math.ceil((width * bits) / 8 + 8) * height * (b[28] ? 2 : 1) + passes;
  const packed: Uint8Array[] = [];
  for (let position = 8; position + 12 <= b.length;) {
    const n = view.getUint32(position);
    if (view.getUint32(position + 4) === IDAT) {
      packed.push(b.subarray(position + 8, position + 8 + n));
    }
    position += 12 + n;
  }
  try {
    inflateSync(Buffer.concat(packed), { maxOutputLength: most });
  } catch (error) {
    if ((error as { code?: string }).code === "ERR_BUFFER_TOO_LARGE") {
      throw new FormatError(
        "absurdSize",
        `The picture unpacks to more than the ${width} by ${height} cells that it says it has`,
        "Fetch or copy the file again.",
      );
    }
    throw error;
  }
}
const IDAT = 0x49444154;
function fromJpeg(b: Uint8Array): Picture {
  const path = jpeg.decode(b, {
    useTArray: true,
    formatAsRGBA: false,
    maxResolutionInMP: MAX_CELLS / 1e6,
    maxMemoryUsageInMB: 2048,
    tolerantDecoding: false,
  });
  const n = path.width * path.height;
  const channels = path.data.length / n;
  // Grey comes out as three equal bands.
  return {
    width: path.width,
    height: path.height,
    channels: sizeOfJpeg(b).components === 1 ? 1 : channels,
    bits: 8,
    data:
      sizeOfJpeg(b).components === 1 && channels > 1
        ? Uint8Array.from({ length: n }, (_v, i) => path.data[i * channels]!)
        : path.data,
  };
}
function sizeOfPng(b: Uint8Array): { width: number; height: number } {
  if (b.length < 33) {
    throw new FormatError("truncated", "The picture is cut off", "Fetch or copy the file again.");
  }
  const view = new DataView(b.buffer, b.byteOffset, b.byteLength);
  return { width: view.getUint32(16), height: view.getUint32(20) };
}
function sizeOfJpeg(b: Uint8Array): { width: number; height: number; components: number } {
  const view = new DataView(b.buffer, b.byteOffset, b.byteLength);
  for (let position = 2; position + 9 < b.length;) {
    const m = view.getUint16(position);
    if (m >= 0xffc0 && m <= 0xffcf && m !== 0xffc4 && m !== 0xffc8 && m !== 0xffcc) {
      return {
        height: view.getUint16(position + 5),
        width: view.getUint16(position + 7),
        components: b[position + 9]!,
      };
    }
    if ((m & 0xff00) !== 0xff00) {
      break;
    }
    position += 2 + view.getUint16(position + 2);
  }
  throw new FormatError(
    "damaged",
    "The picture does not say how large it is",
    "Fetch or copy the file again.",
  );
}
