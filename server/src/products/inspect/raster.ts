import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Affine, Grid } from "@hindglance/core/grid/grid";
import { cornersOf, requirePlaced } from "@hindglance/formats/crs/place";
import { FormatError } from "@hindglance/formats/errors";
import { openRaster } from "@hindglance/formats/raster/open";
import type { OpenRaster } from "@hindglance/formats/raster/raster";
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

/** Position of a picture from the files beside it. */
interface Place {
  transform: Affine;
  crs: Crs | null;
}

/** Where the cells lie: as the files beside the picture say, else as it says itself. */
function gridOf({ grid, width, height }: OpenRaster, place: Place | undefined): Grid | null {
  if (!place) {
    return grid;
  }
  const { crs, transform } = place;
  return crs && requirePlaced({ crs, transform, width, height });
}

/**
 * What an image file says. Without a position, or without the system of its coordinates, that is
 * asked for.
 * @param place position from files beside it
 */
export function inspectRaster(raster: OpenRaster, name: string, place?: Place): RasterInspection {
  const said = describeScene(raster, name);
  const grid = gridOf(raster, place);
  const transform = place?.transform ?? raster.transform ?? null;
  const noPosition = place ? NO_SYSTEM : (raster.noPosition?.message ?? "");
  const unplaced = { noPosition, transform };
  return {
    ...said,
    form: "raster",
    width: raster.width,
    height: raster.height,
    sampleType: raster.sampleType,
    nodata: raster.nodata === null ? null : String(raster.nodata),
    grid,
    ...(grid ? {} : unplaced),
    items: raster.items,
    palette: raster.palette,
    missing: grid ? said.missing : [...said.missing, transform ? "crs" : "position"],
  };
}

/**
 * A picture and the files beside it that give its position: a world file, and a .prj where there is
 * one.
 * @returns with the file that the picture is
 * @throws FormatError where the picture or the world file is missing, or cannot be read
 */
export async function inspectPlaced(
  db: Lender,
  blobs: UploadedFiles["blobs"],
): Promise<RasterInspection & { blobId: string }> {
  const sourceOf = ({ id, size }: UploadedFiles["blobs"][number]) => new BlobSource(db, id, size);
  const textOf = async (blob: UploadedFiles["blobs"][number]) =>
    new TextDecoder().decode(await sourceOf(blob).read(0, Math.min(blob.size, MOST_TEXT)));
  const world = blobs.find(({ path }) => looksLikeWorldFile(path));
  const prj = blobs.find(({ path }) => looksLikePrj(path));
  const image = blobs.find((blob) => blob !== world && blob !== prj);
  if (!world || !image) {
    throw new FormatError(
      "incomplete",
      world ? `${nameOf(world)} has no image beside it` : "There is no world file here",
      "Pick the image together with its world file.",
    );
  }
  const raster = await openRaster(sourceOf(image));
  const transform = readWorldFile(await textOf(world), nameOf(world));
  const places = cornersOf({ ...raster, transform });
  const place: Place = {
    transform,
    crs: prj ? await readPrj(await textOf(prj), nameOf(prj), places) : null,
  };
  return { ...inspectRaster(raster, nameOf(image), place), blobId: image.id };
}
