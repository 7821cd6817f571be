import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Affine, Grid } from "@hindglance/core/grid/grid";
import { cornersOf, requirePlaced } from "@hindglance/formats/crs/place";
import { FormatError } from "@hindglance/formats/errors";
import { looksLikeMask, withMask } from "@hindglance/formats/raster/mask";
import { openRaster } from "@hindglance/formats/raster/open";
import type { OpenRaster } from "@hindglance/formats/raster/raster";
import { roundingOf } from "@hindglance/formats/raster/rounding";
import {
  looksLikePrj,
  looksLikeWorldFile,
  readPrj,
  readWorldFile,
} from "@hindglance/formats/raster/worldFile";
import { describeScene } from "@hindglance/formats/scene/describe";
import { BlobSource } from "../../db/blobs";
import type { RasterInspection, UploadedFiles } from "../../db/inspection";
import type { Lender } from "../../db/pool";
import { nameOf } from "./uploaded";

/** Bytes of a text beside a picture that are read at most. */
const MOST_TEXT = 1 << 16;

/** Why a picture with a world file is not on the map. */
export const NO_SYSTEM =
  "The world file gives a transform, and nothing says in which coordinate system";

/** Position of an image from the files beside it. */
interface Place {
  transform: Affine;
  crs: Crs | null;
}

/** Where the cells lie: as the files beside the image say, else as it says itself. */
function gridOf({ grid, width, height }: OpenRaster, place: Place | undefined): Grid | null {
  if (!place) {
    return grid;
  }
  const { crs, transform } = place;
  return crs && requirePlaced({ crs, transform, width, height });
}

/** Where an image lies, or what is known instead, and what has to be asked for it. */
function positionOf(
  raster: OpenRaster,
  place: Place | undefined,
): {
  found: Pick<RasterInspection, "grid" | "noPosition" | "transform" | "groundPoints">;
  missing: string[];
} {
  const grid = gridOf(raster, place);
  if (grid) {
    return { found: { grid }, missing: [] };
  }
  const transform = place?.transform ?? raster.transform ?? null;
  const noPosition = place ? NO_SYSTEM : (raster.noPosition?.message ?? "");
  const points = transform ? [] : [...(raster.groundPoints ?? [])];
  return {
    found: { grid, noPosition, transform, ...(points.length > 0 ? { groundPoints: points } : {}) },
    missing: [transform ? "crs" : "position"],
  };
}

/**
 * What an image file says. Without a position, or without the system of its coordinates, that is
 * asked for; so is whether its numbers may be rounded, where they would be.
 * @param place position from files beside it
 * @throws FormatError where the image is damaged
 */
export async function inspectRaster(
  raster: OpenRaster,
  name: string,
  place?: Place,
): Promise<RasterInspection> {
  const said = describeScene(raster, name);
  const position = positionOf(raster, place);
  const rounding = await roundingOf(raster);
  return {
    ...said,
    ...position.found,
    form: "raster",
    width: raster.width,
    height: raster.height,
    sampleType: raster.sampleType,
    nodata: raster.nodata === null ? null : String(raster.nodata),
    ...(rounding ? { rounding } : {}),
    items: raster.items,
    palette: raster.palette,
    missing: [...said.missing, ...position.missing, ...(rounding ? ["rounding"] : [])],
  };
}

type Part = UploadedFiles["blobs"][number];

/** Files that came with an image, by what they say of it. */
interface Beside {
  image: Part;
  world: Part | undefined;
  prj: Part | undefined;
  mask: Part | undefined;
}

/** Whether a file says something of the image beside it. */
export const isBesideAnImage = ({ path }: Part): boolean =>
  looksLikeWorldFile(path) || looksLikePrj(path) || looksLikeMask(path);

/** @throws FormatError where there is no image, or more than one */
function besideOf(blobs: readonly Part[]): Beside {
  const [image, other] = blobs.filter((blob) => !isBesideAnImage(blob));
  const first = blobs.find(isBesideAnImage)!;
  if (!image) {
    throw new FormatError(
      "incomplete",
      `${nameOf(first)} has no image beside it`,
      "Pick the image together with it.",
    );
  }
  if (other) {
    throw new FormatError(
      "contradictory",
      `${nameOf(first)} may belong to ${nameOf(image)} or to ${nameOf(other)}`,
      "Pick one image at a time with what lies beside it.",
    );
  }
  return {
    image,
    world: blobs.find(({ path }) => looksLikeWorldFile(path)),
    prj: blobs.find(({ path }) => looksLikePrj(path)),
    mask: blobs.find(({ path }) => looksLikeMask(path)),
  };
}

/** Share of a cell by which a world file may differ from the position in the image. */
const SAME_PLACE = 0.1;

/** Whether two transforms put the corners of an image at the same places. */
function isSamePlace(own: Affine, beside: Affine, { width, height }: OpenRaster): boolean {
  const gap = ([c, r]: [number, number]) => {
    const offBy = (k: 0 | 3) =>
      beside[k] - own[k] + (beside[k + 1]! - own[k + 1]!) * c + (beside[k + 2]! - own[k + 2]!) * r;
    return Math.hypot(offBy(0), offBy(3)) / Math.hypot(own[1], own[4]);
  };
  return gap([0, 0]) < SAME_PLACE && gap([width, height]) < SAME_PLACE;
}

/**
 * Position that the files beside an image give it; undefined where the image has its own. @throws
 * FormatError where it says another one, or a file cannot be read
 */
async function placeBeside(
  raster: OpenRaster,
  { image, world, prj }: Beside,
  textOf: (blob: Part) => Promise<string>,
): Promise<Place | undefined> {
  const own = raster.grid?.transform ?? raster.transform ?? null;
  const beside = world ? readWorldFile(await textOf(world), nameOf(world)) : null;
  if (own && beside && !isSamePlace(own, beside, raster)) {
    throw new FormatError(
      "contradictory",
      `${nameOf(world!)} puts ${nameOf(image)} at another place than the image itself says`,
      "Leave away the one that is wrong.",
    );
  }
  const transform = beside ?? own;
  if (!transform || raster.grid) {
    return undefined;
  }
  const places = cornersOf({ ...raster, transform });
  const crs = prj ? await readPrj(await textOf(prj), nameOf(prj), places) : null;
  return world || crs ? { transform, crs } : undefined;
}

/**
 * An image and the files beside it: a world file and a .prj that give its position where it has
 * none, a mask that says which of its cells are valid.
 * @returns with the file that the image is, and its mask
 * @throws FormatError where the image is missing, one of them cannot be read, or they contradict
 */
export async function inspectBeside(
  db: Lender,
  blobs: UploadedFiles["blobs"],
): Promise<RasterInspection & { blobId: string }> {
  const sourceOf = ({ id, size }: Part) => new BlobSource(db, id, size);
  const textOf = async (blob: Part) =>
    new TextDecoder().decode(await sourceOf(blob).read(0, Math.min(blob.size, MOST_TEXT)));
  const beside = besideOf(blobs);
  const { image, mask } = beside;
  const raster = await openRaster(sourceOf(image));
  const place = await placeBeside(raster, beside, textOf);
  if (mask) {
    withMask(raster, await openRaster(sourceOf(mask)), nameOf(mask));
  }
  return {
    ...(await inspectRaster(raster, nameOf(image), place)),
    ...(mask ? { mask: { blobId: mask.id, name: nameOf(mask) } } : {}),
    blobId: image.id,
  };
}
