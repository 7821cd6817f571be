import type { Window } from "@hindglance/core/grid/grid";
import { FormatError } from "../errors";
import { type RasterMask, maskedBy } from "../raster/mask";
import { type OpenRaster, type RasterBand, asReal } from "../raster/raster";
import type { ByteSource } from "../source";
import { BlockReader } from "./blockReader";
import { COMPRESSION, decoderOf } from "./decoder";
import { type Directory, type TiffImage, imagesOf, numbersOf, textOf } from "./directory";
import { georeference } from "./georeference";
import { type Cells, blocksOf, cellsOf } from "./layout";
import { parseMetadataXml } from "./metadata";
import { type SampleLayout, unpackBlock } from "./unpack";

/** Decoded blocks kept for the next window, in bytes, unless the caller says otherwise. */
const CACHE_BYTES = 48 << 20;

/** Photometric interpretations by their number. */
const PHOTOMETRIC = { palette: 3, ycbcr: 6 };

/** Whether a file begins like a TIFF of either byte order, large or not. */
export const looksLikeTiff = (head: Uint8Array): boolean => {
  const little = head[0] === 0x49 && head[1] === 0x49;
  const big = head[0] === 0x4d && head[1] === 0x4d;
  return head.length >= 16 && (little || big) && [42, 43].includes(little ? head[2]! : head[3]!);
};

/** Compressions whose decoder undoes the predictor, or that have none. */
const WITHOUT_PREDICTOR = [COMPRESSION.jpeg, COMPRESSION.lerc];

function layoutOf(cells: Cells, head: Uint8Array, interleaved: number): SampleLayout {
  const { format, bits, compression, predictor } = cells;
  return {
    format,
    bits,
    littleEndian: compression === COMPRESSION.lerc || head[0] === 0x49,
    predictor: WITHOUT_PREDICTOR.includes(compression) ? 1 : predictor,
    samples: interleaved,
  };
}

/** @throws FormatError where numbers of this type cannot be unpacked */
function requireUnpackable(layout: SampleLayout): void {
  const bytes = Math.ceil((layout.samples * layout.bits) / 8);
  unpackBlock(new Uint8Array(bytes), 1, 1, { ...layout, predictor: 1 });
}

/** The number that stands for no value; null where none does. */
async function nodataOf(dir: Directory): Promise<number | null> {
  const text = (await textOf(dir, "GDAL_NODATA"))?.trim();
  if (!text) {
    return null;
  }
  return /^nan$/i.test(text) ? NaN : Number(text);
}

/** Colours of a palette as #rrggbb; null where there is none. */
async function paletteOf(dir: Directory, { photometric }: Cells): Promise<string[] | null> {
  const map = photometric === PHOTOMETRIC.palette ? await numbersOf(dir, "ColorMap") : null;
  if (!map) {
    return null;
  }
  const length = map.length / 3;
  const channel = (k: number, index: number) =>
    ((map[k * length + index]! >> 8) & 255).toString(16).padStart(2, "0");
  return Array.from(
    { length },
    (_v, index) => `#${[0, 1, 2].map((k) => channel(k, index)).join("")}`,
  );
}

const WORD: Record<number, string> = { 2: "int", 3: "float" };

type Metadata = ReturnType<typeof parseMetadataXml>;

const bandsOf = ({ bands }: Metadata, samples: number): RasterBand[] =>
  Array.from({ length: samples }, (_v, k) => {
    const { name = null, unit = null, scale, offset } = bands.get(k) ?? { scale: 1, offset: 0 };
    return { name, unit, scale, offset };
  });

/** One image of a file, open for reading. */
interface Opened {
  cells: Cells;
  layout: SampleLayout;
  blockHeight: number;
  /** Numbers as they are stored, of all samples. */
  read(window: Window, signal?: AbortSignal): Promise<Float64Array[]>;
}

/** What an image of a file is opened with. */
interface OpenWith {
  source: ByteSource;
  head: Uint8Array;
  nodata: number | null;
  cacheBytes: number;
}

async function openImage({ dir, width, height }: TiffImage, given: OpenWith): Promise<Opened> {
  const { source, head, nodata, cacheBytes } = given;
  const cells = await cellsOf(dir, width, height);
  const blocks = await blocksOf(dir, cells, source);
  const decode = await decoderOf(dir, cells, blocks);
  const layout = layoutOf(cells, head, blocks.interleaved);
  requireUnpackable(layout);
  const isYCbCr = cells.compression === COMPRESSION.jpeg && cells.photometric === PHOTOMETRIC.ycbcr;
  const reader = new BlockReader({
    ...{ source, cells, blocks, decode, layout, isYCbCr, nodata, cacheBytes },
  });
  const { height: blockHeight } = blocks;
  return { cells, layout, blockHeight, read: (window, signal) => reader.read(window, signal) };
}

/** Cells that are not 0 in the mask of a file are valid; bands may have a mask each. */
async function maskOf(image: TiffImage | null, given: OpenWith): Promise<RasterMask | null> {
  if (!image) {
    return null;
  }
  const { read } = await openImage(image, { ...given, nodata: null });
  return read;
}

/** Reads samples so that those of clear cells are NaN, and how opaque they are is left out. */
const withoutAlpha =
  (read: Opened["read"], alpha: number): Opened["read"] =>
  async (window, signal) => {
    const samples = await read(window, signal);
    const [opaque] = samples.splice(alpha, 1);
    return maskedBy(samples, [opaque!]);
  };

/**
 * Opens a TIFF. Reads strips and tiles, both planar layouts, both byte orders, BigTIFF, 1 to 64
 * bits, no compression, LZW, deflate, PackBits, JPEG, ZSTD, LERC, with either predictor.
 * Cells that the file's mask or its alpha band clears are NaN, in `readRaw` too.
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
  const { image, mask } = await imagesOf(source);
  const { dir, width, height } = image;
  const nodata = await nodataOf(dir);
  const given: OpenWith = { source, head, nodata, cacheBytes };
  const { cells, layout, blockHeight, read } = await openImage(image, given);
  const { alpha } = cells;
  const xml = parseMetadataXml(await textOf(dir, "GDAL_METADATA"));
  const all = bandsOf(xml, cells.samples);
  const bands = all.filter((_band, sample) => sample !== alpha);
  const isValid = await maskOf(mask, given);
  const readBands = alpha === null ? read : withoutAlpha(read, alpha);
  const readRaw: Opened["read"] = async (window, signal) => {
    const samples = await readBands(window, signal);
    return isValid ? maskedBy(samples, await isValid(window, signal)) : samples;
  };
  const isFloat32 = layout.format === 3 && layout.bits === 32;
  return {
    width,
    height,
    ...(await georeference(dir, width, height)),
    bands,
    sampleType: `${WORD[layout.format] ?? "uint"}${layout.bits}`,
    nodata,
    palette: await paletteOf(dir, cells),
    items: xml.items,
    dateTime: (await textOf(dir, "DateTime")) ?? null,
    blockHeight,
    read: async (window, signal) => asReal(await readRaw(window, signal), bands, nodata, isFloat32),
    readRaw,
  };
}
