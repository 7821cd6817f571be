import { inflate } from "node:zlib";
import { promisify } from "node:util";
import { GeoTIFF, getDecoder } from "geotiff";
import type { Window } from "@hindglance/core/grid/grid";
import type { ByteSource } from "../source";
import { FormatError } from "../errors";
import { type BandTags, parseMetadataXml } from "./metadata";
import { type OpenRaster, type RasterBand, asReal, checkWindow } from "../raster/raster";
import { georeference } from "./georeference";
import { unpackBlock } from "./unpack";
import { messageOf } from "@hindglance/core/errors";

const inflateAsync = promisify(inflate);

/** Decoded blocks kept for the next window, in bytes, unless the caller says otherwise. */
const CACHE_BYTES = 48 << 20;
const MAX_SIDE = 400_000;
const MAX_BLOCK_CELLS = 1 << 27;

interface Directory {
  hasTag(t: string): boolean;
  loadValue(t: string): Promise<unknown>;
  parseGeoKeyDirectory(): Record<string, unknown> | null;
}

/** Whether a file begins like a TIFF of either byte order, large or not. */
export const looksLikeTiff = (h: Uint8Array): boolean => {
  const little = h[0] === 0x49 && h[1] === 0x49;
  return (
    h.length >= 16 &&
    (little || (h[0] === 0x4d && h[1] === 0x4d)) &&
    [42, 43].includes(little ? h[2]! : h[3]!)
  );
};

/**
 * Opens a TIFF. Reads strips and tiles, both planar layouts, both byte orders, BigTIFF, 1 to 64
 * bits, no compression, LZW,
 * deflate, PackBits, JPEG, ZSTD, LERC, WebP, with either predictor.
 * @throws FormatError: not a TIFF, truncated, of absurd size, or of a kind that is named
 */
export async function openTiff(source: ByteSource, cacheBytes = CACHE_BYTES): Promise<OpenRaster> {
  const head = await source.read(0, Math.min(16, source.size));
  if (!looksLikeTiff(head)) {
    throw new FormatError(
      "notTiff",
      source.size === 0 ? "The file is empty" : "This is not a TIFF: it does not begin like one",
      "GeoTIFF and cloud-optimised GeoTIFF can be read here.",
    );
  }
  const { dir, width, height } = await firstImage(source);
  const num = async (t: string, otherwise: number) => Number((await dir.loadValue(t)) ?? otherwise);
  const list = async (t: string) => {
    const value = await dir.loadValue(t);
    return value == null ? null : Array.from(value as ArrayLike<number>, Number);
  };
  if (!(width > 0 && height > 0)) {
    throw new FormatError("damaged", `The image is ${width} by ${height} cells`);
  }
  const samples = await num("SamplesPerPixel", 1);
  const bits = (await list("BitsPerSample")) ?? [1];
  const formats = (await list("SampleFormat")) ?? [1];
  if (width > MAX_SIDE || height > MAX_SIDE || samples > 1000) {
    throw new FormatError(
      "absurdSize",
      `The file says it has ${width} by ${height} cells and ${samples} bands, which cannot be right`,
      `At most ${MAX_SIDE} cells a side can be read.`,
    );
  }
  if (new Set(bits).size > 1 || new Set(formats).size > 1) {
    throw new FormatError(
      "unsupported",
      "Bands of different number types in one file cannot be read",
      "Save the bands as separate files.",
    );
  }
  const compression = await num("Compression", 1);
  const predictor = await num("Predictor", 1);
  const planar = await num("PlanarConfiguration", 1);
  const photometric = await num("PhotometricInterpretation", 1);
  const tiled = dir.hasTag("TileWidth");
  const blockWidth = tiled ? await num("TileWidth", width) : width;
  let blockHeight = tiled
    ? await num("TileLength", height)
    : Math.min(height, await num("RowsPerStrip", height));
  if (!(blockWidth > 0 && blockHeight > 0)) {
    throw new FormatError("damaged", `Blocks of ${blockWidth} by ${blockHeight} cells`);
  }
  const across = Math.ceil(width / blockWidth);
  const interleaved = planar === 1 ? samples : 1;
  const rowBytes = Math.ceil((blockWidth * interleaved * bits[0]!) / 8);
  const partial = compression === 1 && !tiled;
  if (!partial && blockWidth * blockHeight * interleaved > MAX_BLOCK_CELLS) {
    throw new FormatError(
      "absurdSize",
      `The image is compressed in one piece of ${blockWidth} by ${blockHeight} cells, too large to take apart`,
      "Save it with tiles or shorter strips.",
    );
  }
  let offsets = await list(tiled ? "TileOffsets" : "StripOffsets");
  let counts = await list(tiled ? "TileByteCounts" : "StripByteCounts");
  let down = Math.ceil(height / blockHeight);
  // Strips without compression that follow each other are one long strip: rows can then be read
  // many at a time.
  if (
    partial &&
    down > 1 &&
    offsets &&
    counts &&
    followEachOther(offsets, counts, down, rowBytes, blockHeight, height)
  ) {
    const planes = planar === 2 ? samples : 1;
    offsets = Array.from({ length: planes }, (_v, position) => offsets![position * down]!);
    counts = offsets.map(() => rowBytes * height);
    blockHeight = height;
    down = 1;
  }
  const blocks = across * down * (planar === 2 ? samples : 1);
  if (!offsets || offsets.length < blocks) {
    throw new FormatError(
      "damaged",
      `The file lists ${offsets?.length ?? 0} of its ${blocks} blocks`,
    );
  }
  const byteCounts = counts ?? offsets.map(() => rowBytes * blockHeight);
  for (let i = 0; i < blocks; i++) {
    if (offsets[i]! + byteCounts[i]! > source.size) {
      throw new FormatError(
        "truncated",
        `The file is cut off: block ${i + 1} of ${blocks} should end at byte ${offsets[i]! + byteCounts[i]!}, the file ends at ${source.size}`,
        "Fetch or copy the file again.",
      );
    }
  }
  const stored = byteCounts.reduce((s, c) => s + c, 0);
  if (
    width * height * samples > 4e6 &&
    width * height * samples * (bits[0]! / 8) > Math.max(1, stored) * 5000 &&
    !byteCounts.some((c) => c === 0)
  ) {
    throw new FormatError(
      "absurdSize",
      `The file says it has ${width} by ${height} cells, but holds only ${stored} bytes of them`,
    );
  }

  const tables = {
    JPEGTables: await dir.loadValue("JPEGTables"),
    LercParameters: await list("LercParameters"),
  };
  const ycbcr = compression === 7 && photometric === 6;
  const decoder =
    compression === 1 || compression === 8 || compression === 32946
      ? null
      : await getDecoder(compression, {
          tileWidth: blockWidth,
          tileHeight: blockHeight,
          predictor: 1,
          bitsPerSample: bits,
          planarConfiguration: planar,
          samplesPerPixel: samples,
          ...tables,
        }).catch(() => {
          throw new FormatError(
            "unsupported",
            `Compression ${compression} cannot be read`,
            "Save the file with deflate or LZW compression.",
          );
        });
  const layout = {
    format: formats[0]!,
    bits: bits[0]!,
    littleEndian: compression === 34887 || head[0] === 0x49,
    predictor: compression === 7 || compression === 34887 || compression === 50001 ? 1 : predictor,
    samples: interleaved,
  };
  if (layout.format === 4) {
    layout.format = 1;
  }
  unpackBlock(new Uint8Array(Math.ceil((interleaved * layout.bits) / 8)), 1, 1, {
    ...layout,
    predictor: 1,
  });

  const xml = parseMetadataXml(textOf(await dir.loadValue("GDAL_METADATA")));
  const nodataText = textOf(await dir.loadValue("GDAL_NODATA"))?.trim();
  let nodata: number | null;
  if (nodataText) {
    if (/^nan$/i.test(nodataText)) {
      nodata = NaN;
    } else {
      nodata = Number(nodataText);
    }
  } else {
    nodata = null;
  }
  const bands = Array.from({ length: samples }, (_v, i): RasterBand => {
    const bandTags: BandTags = xml.bands.get(i) ?? { scale: 1, offset: 0 };
    return {
      name: bandTags.name ?? null,
      unit: bandTags.unit ?? null,
      scale: bandTags.scale,
      offset: bandTags.offset,
    };
  });
  const { grid, noPosition, verticalCode, transform } = await georeference(dir, width, height);
  const colorMap = photometric === 3 ? await list("ColorMap") : null;
  const palette = colorMap
    ? Array.from(
        { length: colorMap.length / 3 },
        (_v, i) =>
          `#${[0, 1, 2].map((k) => ((colorMap[k * (colorMap.length / 3) + i]! >> 8) & 255).toString(16).padStart(2, "0")).join("")}`,
      )
    : null;

  const cache = new Map<number, Promise<Float64Array[]>>();
  const blockBytes = blockWidth * blockHeight * interleaved * 8;
  const keep = Math.max(across * (planar === 2 ? samples : 1), Math.floor(cacheBytes / blockBytes));

  /** One block as numbers; blocks that the file leaves out are nodata. */
  const decode = async (index: number, signal?: AbortSignal): Promise<Float64Array[]> => {
    const rows = tiled
      ? blockHeight
      : Math.min(
          blockHeight,
          height - Math.floor((index % (across * down)) / across) * blockHeight,
        );
    if (byteCounts[index] === 0) {
      return Array.from({ length: interleaved }, () =>
        new Float64Array(blockWidth * rows).fill(nodata ?? 0),
      );
    }
    const bytes = await source.read(offsets[index]!, byteCounts[index]!, signal);
    let raw: Uint8Array;
    try {
      if (compression === 1) {
        raw = bytes;
      } else if (!decoder) {
        raw = await inflateAsync(bytes, {
          maxOutputLength: Math.max(rowBytes * blockHeight + 1024, 1 << 16),
        });
      } else {
        raw = new Uint8Array(
          await decoder.decode(
            bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength),
          ),
        );
      }
    } catch (error) {
      throw new FormatError(
        "damaged",
        `Block ${index + 1} of ${blocks} cannot be decompressed (${messageOf(error)})`,
        "Fetch or copy the file again.",
      );
    }
    const out = unpackBlock(raw, blockWidth, rows, layout);
    if (ycbcr && out.length === 3) {
      colourFromYCbCr(out);
    }
    return out;
  };
  const cached = (index: number, signal?: AbortSignal): Promise<Float64Array[]> => {
    let plane = cache.get(index);
    if (!plane) {
      plane = decode(index, signal);
      plane.catch(() => cache.delete(index));
      cache.set(index, plane);
      while (cache.size > keep) {
        cache.delete(cache.keys().next().value!);
      }
    }
    return plane;
  };

  const readRaw = async (w: Window, signal?: AbortSignal): Promise<Float64Array[]> => {
    checkWindow(w, width, height);
    const out = Array.from({ length: samples }, () => new Float64Array(w.width * w.height));
    for (let bj = Math.floor(w.row / blockHeight); bj * blockHeight < w.row + w.height; bj++) {
      const first = Math.max(w.row, bj * blockHeight);
      const last = Math.min(w.row + w.height, (bj + 1) * blockHeight, height);
      for (let plane = 0; plane < (planar === 2 ? samples : 1); plane++) {
        for (let bi = Math.floor(w.col / blockWidth); bi * blockWidth < w.col + w.width; bi++) {
          const index = plane * across * down + bj * across + bi;
          const c0 = Math.max(w.col, bi * blockWidth);
          const c1 = Math.min(w.col + w.width, (bi + 1) * blockWidth);
          let part: Float64Array[];
          let top = bj * blockHeight;
          if (partial && byteCounts[index]! > 0) {
            // Strips without compression can be read row by row, however long they are.
            part = unpackBlock(
              await source.read(
                offsets[index]! + (first - top) * rowBytes,
                (last - first) * rowBytes,
                signal,
              ),
              blockWidth,
              last - first,
              layout,
            );
            top = first;
          } else {
            part = await cached(index, signal);
          }
          part.forEach((eachPlane, s) => {
            const dst = out[planar === 2 ? plane : s]!;
            for (let r = first; r < last; r++) {
              const offset = (r - top) * blockWidth;
              dst.set(
                eachPlane.subarray(offset + c0 - bi * blockWidth, offset + c1 - bi * blockWidth),
                (r - w.row) * w.width + c0 - w.col,
              );
            }
          });
        }
      }
    }
    return out;
  };
  const read = async (w: Window, signal?: AbortSignal): Promise<Float32Array[]> =>
    asReal(await readRaw(w, signal), bands, nodata, layout.format === 3 && layout.bits === 32);
  const sampleType = `${layout.format === 3 ? "float" : layout.format === 2 ? "int" : "uint"}${layout.bits}`;
  return {
    width,
    height,
    grid,
    noPosition,
    transform,
    verticalCode,
    bands,
    sampleType,
    nodata,
    palette,
    items: xml.items,
    dateTime: textOf(await dir.loadValue("DateTime")) ?? null,
    blockHeight,
    read,
    readRaw,
  };
}

/** Whether the strips of every plane lie in the file one after another, each of its full size. */
function followEachOther(
  offsets: number[],
  counts: number[],
  down: number,
  rowBytes: number,
  rows: number,
  height: number,
): boolean {
  for (let i = 0; i < offsets.length; i++) {
    const k = i % down;
    const size = rowBytes * Math.min(rows, height - k * rows);
    if (counts[i] !== size || (k > 0 && offsets[i] !== offsets[i - 1]! + counts[i - 1]!)) {
      return false;
    }
  }
  return true;
}

/** The first image of the file that is neither an overview nor a mask. */
async function firstImage(
  source: ByteSource,
): Promise<{ dir: Directory; width: number; height: number }> {
  const adapter = {
    fileSize: source.size,
    fetch: (slices: { offset: number; length: number }[], signal?: AbortSignal) =>
      Promise.all(slices.map((slice) => adapter.bytes(slice, signal))),
    fetchSlice: async (s: { offset: number; length: number }, signal?: AbortSignal) => ({
      ...s,
      data: await adapter.bytes(s, signal),
    }),
    bytes: async (
      s: { offset: number; length: number },
      signal?: AbortSignal,
    ): Promise<ArrayBuffer> => {
      // Directories are read in guesses that may reach past the end; what is missing there shows
      // when it is needed.
      const length = Math.min(s.length, Math.max(0, source.size - s.offset));
      if (length === 0) {
        throw new FormatError(
          "truncated",
          `The file ends at byte ${source.size}, but its directory is at byte ${s.offset}`,
          "Fetch or copy the file again.",
        );
      }
      const b = await source.read(s.offset, length, signal);
      return b.buffer.slice(b.byteOffset, b.byteOffset + b.byteLength) as ArrayBuffer;
    },
    close: async () => {},
  };
  try {
    const tiff = await GeoTIFF.fromSource(adapter);
    for (let i = 0; i < 64; i++) {
      const image = await tiff.getImage(i);
      const dir = image.fileDirectory as unknown as Directory;
      if ((Number((await dir.loadValue("NewSubfileType")) ?? 0) & 5) === 0) {
        return { dir, width: image.getWidth(), height: image.getHeight() };
      }
    }
    throw new FormatError("damaged", "The file holds only overviews and masks");
  } catch (error) {
    if (error instanceof FormatError) {
      throw error;
    }
    const m = messageOf(error);
    if (
      error instanceof RangeError ||
      /outside the bounds|offset|Invalid typed array|out of range/i.test(m)
    ) {
      throw new FormatError(
        "truncated",
        "The file is cut off or damaged: its directory cannot be read",
        "Fetch or copy the file again.",
      );
    }
    throw new FormatError("damaged", `The directory of this TIFF cannot be read (${m})`);
  }
}

function textOf(value: unknown): string | undefined {
  if (typeof value === "string") {
    return value.replace(/\0+$/, "");
  }
  return Array.isArray(value) && typeof value[0] === "string"
    ? value[0].replace(/\0+$/, "")
    : undefined;
}

/** Full-range YCbCr (BT.601, as JPEG stores it) to red, green, blue, in place. */
function colourFromYCbCr(plane: Float64Array[]): void {
  const [a, b, c] = plane as [Float64Array, Float64Array, Float64Array];
  const clamp = (value: number) => Math.max(0, Math.min(255, Math.round(value)));
  for (let i = 0; i < a.length; i++) {
    const y = a[i]!;
    const blueness = b[i]! - 128;
    const value = c[i]! - 128;
    a[i] = clamp(y + 1.402 * value);
    b[i] = clamp(y - 0.344136 * blueness - 0.714136 * value);
    c[i] = clamp(y + 1.772 * blueness);
  }
}
