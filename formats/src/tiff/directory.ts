import { GeoTIFF, type GeoTIFFImage } from "geotiff";
import { messageOf } from "@hindglance/core/errors";
import { FormatError } from "../errors";
import type { ByteSource } from "../source";

const AGAIN = "Fetch or copy the file again.";

type Found = GeoTIFFImage["fileDirectory"];

/** Name of a tag. */
export type Tag = Exclude<Parameters<Found["hasTag"]>[0], number>;

/** Tags of one image of a TIFF. */
export interface Directory {
  hasTag(tag: Tag | number): boolean;
  loadValue(tag: Tag | number): Promise<unknown>;
  parseGeoKeyDirectory(): Record<string, unknown> | null;
}

/** A tag as one number. */
export const numberOf = async (dir: Directory, tag: Tag, otherwise: number): Promise<number> =>
  Number((await dir.loadValue(tag)) ?? otherwise);

const isList = (value: unknown): value is ArrayLike<unknown> =>
  typeof value === "object" && value !== null && "length" in value;

/** A tag as numbers; null where it is not there. */
export async function numbersOf(dir: Directory, tag: Tag | number): Promise<number[] | null> {
  const value = await dir.loadValue(tag);
  if (value == null) {
    return null;
  }
  return isList(value) ? Array.from(value, Number) : [Number(value)];
}

/** A tag as text; undefined where it is none. */
export async function textOf(dir: Directory, tag: Tag): Promise<string | undefined> {
  const value = await dir.loadValue(tag);
  const first: unknown = Array.isArray(value) ? value[0] : value;
  return typeof first === "string" ? first.replace(/\0+$/, "") : undefined;
}

interface Slice {
  offset: number;
  length: number;
}

/** Lets the library read from a source. Its guesses may reach past the end of the file. */
function adapterOf(source: ByteSource) {
  const bytes = async (slice: Slice, signal?: AbortSignal): Promise<ArrayBuffer> => {
    // What is missing behind the end shows when it is needed.
    const length = Math.min(slice.length, Math.max(0, source.size - slice.offset));
    if (length === 0) {
      throw new FormatError(
        "truncated",
        `The file ends at byte ${source.size}, but its directory is at byte ${slice.offset}`,
        AGAIN,
      );
    }
    const found = await source.read(slice.offset, length, signal);
    const copy = new ArrayBuffer(found.byteLength);
    new Uint8Array(copy).set(found);
    return copy;
  };
  return {
    fileSize: source.size,
    fetch: (slices: Slice[], signal?: AbortSignal) =>
      Promise.all(slices.map((slice) => bytes(slice, signal))),
    fetchSlice: async (slice: Slice, signal?: AbortSignal) => ({
      ...slice,
      data: await bytes(slice, signal),
    }),
    close: async () => {},
  };
}

/** Images of a file that are looked at before it is given up. */
const MOST_IMAGES = 64;
/** Bits of NewSubfileType that say that an image is an overview, or a mask. */
const IS_OVERVIEW = 1;
const IS_MASK = 4;

/** @throws FormatError with what is wrong with the directory */
function broken(error: unknown): never {
  if (error instanceof FormatError) {
    throw error;
  }
  const why = messageOf(error);
  const isShort = /outside the bounds|offset|Invalid typed array|out of range/i.test(why);
  if (error instanceof RangeError || isShort) {
    throw new FormatError(
      "truncated",
      "The file is cut off or damaged: its directory cannot be read",
      AGAIN,
    );
  }
  throw new FormatError("damaged", `The directory of this TIFF cannot be read (${why})`);
}

/** One image of a TIFF. */
export interface TiffImage {
  dir: Directory;
  width: number;
  height: number;
}

/** What a file holds: its image, and the mask that says which of its cells are valid. */
export interface TiffImages {
  image: TiffImage;
  mask: TiffImage | null;
}

async function* directoriesOf(tiff: GeoTIFF): AsyncGenerator<TiffImage & { kind: number }> {
  for (let k = 0; k < MOST_IMAGES; k++) {
    let found: GeoTIFFImage;
    try {
      found = await tiff.getImage(k);
    } catch (error) {
      if (k > 0 && /^No image at index/.test(messageOf(error))) {
        return;
      }
      throw error;
    }
    const dir = found.fileDirectory;
    const kind = await numberOf(dir, "NewSubfileType", 0);
    yield { dir, width: found.getWidth(), height: found.getHeight(), kind };
  }
}

/**
 * The first image of the file that is neither an overview nor a mask, and the first mask of its
 * size. Overviews and their masks are passed over: smaller levels are made from the cells.
 *
 * @throws FormatError where there is no image, its mask has another size, or a directory is broken
 */
export async function imagesOf(source: ByteSource): Promise<TiffImages> {
  let image: TiffImage | null = null;
  const masks: TiffImage[] = [];
  try {
    for await (const found of directoriesOf(await GeoTIFF.fromSource(adapterOf(source)))) {
      if ((found.kind & (IS_OVERVIEW | IS_MASK)) === IS_MASK) {
        masks.push(found);
      } else if ((found.kind & IS_OVERVIEW) === 0) {
        image ??= found;
      }
    }
  } catch (error) {
    return broken(error);
  }
  if (!image) {
    throw new FormatError("damaged", "The file holds only overviews and masks");
  }
  const { width, height } = image;
  const mask = masks.find((one) => one.width === width && one.height === height) ?? null;
  if (masks[0] && !mask) {
    throw new FormatError(
      "unsupported",
      `The mask in the file has ${masks[0].width} by ${masks[0].height} cells, its image ${width} by ${height}`,
      "Save it with a mask of the image's own size, or with a nodata value.",
    );
  }
  return { image, mask };
}
