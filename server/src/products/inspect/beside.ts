import { type GroundPoint, thinned } from "@hindglance/core/align/groundPoint";
import type { Affine } from "@hindglance/core/grid/grid";
import { cornersOf } from "@hindglance/formats/crs/place";
import { FormatError } from "@hindglance/formats/errors";
import { type AuxSaid, looksLikeAuxXml, readAuxXml } from "@hindglance/formats/raster/auxXml";
import { looksLikeMask, withMask } from "@hindglance/formats/raster/mask";
import { openRaster } from "@hindglance/formats/raster/open";
import type { OpenRaster } from "@hindglance/formats/raster/raster";
import { type Rational, pointsOf } from "@hindglance/formats/raster/rational";
import { looksLikeRational, readRational } from "@hindglance/formats/raster/rationalText";
import { statedOf, withStated } from "@hindglance/formats/raster/stated";
import {
  looksLikePrj,
  looksLikeWorldFile,
  readPrj,
  readWorldFile,
} from "@hindglance/formats/raster/worldFile";
import { BlobSource } from "../../db/blobs";
import type { RasterInspection, UploadedFiles } from "../../db/inspection";
import type { Lender } from "../../db/pool";
import { type Place, inspectRaster } from "./raster";
import { nameOf } from "./uploaded";

/** Bytes of a text beside an image that are read at most. */
const MOST_TEXT = 1 << 20;

type Part = UploadedFiles["blobs"][number];

/** What a file beside an image says, by its name. */
const SAYS = {
  world: looksLikeWorldFile,
  prj: looksLikePrj,
  aux: looksLikeAuxXml,
  rational: looksLikeRational,
  mask: looksLikeMask,
} as const;
type What = keyof typeof SAYS;

/** Files that came with an image, by what they say of it. */
type Beside = { image: Part } & { [Each in What]: Part | undefined };

/** Whether a file says something of the image beside it. */
export const isBesideAnImage = ({ path }: Part): boolean =>
  Object.values(SAYS).some((looksLike) => looksLike(path));

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
  const one = (what: What) => blobs.find(({ path }) => SAYS[what](path));
  return {
    image,
    world: one("world"),
    prj: one("prj"),
    aux: one("aux"),
    rational: one("rational"),
    mask: one("mask"),
  };
}

/** What the texts beside an image say, once they are read. */
interface Texts {
  world: Affine | null;
  prj: string | null;
  aux: AuxSaid | null;
  rational: Rational | null;
}

/** @throws FormatError naming the text that cannot be read */
async function textsOf(
  { world, prj, aux, rational }: Beside,
  bytesOf: (part: Part) => Promise<Uint8Array>,
): Promise<Texts> {
  const textOf = async (part: Part) => new TextDecoder().decode(await bytesOf(part));
  const auxSaid = aux ? await readAuxXml(await bytesOf(aux), nameOf(aux)) : null;
  return {
    world: world ? readWorldFile(await textOf(world), nameOf(world)) : null,
    prj: prj ? await textOf(prj) : null,
    aux: auxSaid,
    rational: rational
      ? readRational(await textOf(rational), nameOf(rational))
      : (auxSaid?.rational ?? null),
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

/** A place that a file gives an image, or the image itself. */
interface Given {
  transform: Affine;
  by: Part;
}

/**
 * The one transform that an image has, by itself or by what lies beside it; null without any.
 * @throws FormatError where two of them contradict
 */
function transformOf(
  raster: OpenRaster,
  { image, ...beside }: Beside,
  texts: Texts,
): Affine | null {
  const own = raster.grid?.transform ?? raster.transform ?? null;
  const given: Given[] = [
    { transform: own, by: image },
    { transform: texts.world, by: beside.world },
    { transform: texts.aux?.transform ?? null, by: beside.aux },
  ].filter((one): one is Given => one.transform !== null);
  const [first, ...others] = given;
  const contrary = others.find(
    ({ transform }) => !isSamePlace(first!.transform, transform, raster),
  );
  if (contrary) {
    const said = first!.by === image ? "the image itself" : nameOf(first!.by);
    throw new FormatError(
      "contradictory",
      `${nameOf(contrary.by)} puts ${nameOf(image)} at another place than ${said} says`,
      "Leave away the one that is wrong.",
    );
  }
  return first?.transform ?? null;
}

/**
 * Position that the files beside an image give it; undefined where the image has its own. @throws
 * FormatError where it says another one, or a system is not known
 */
async function placeBeside(
  raster: OpenRaster,
  beside: Beside,
  texts: Texts,
): Promise<Place | undefined> {
  const transform = transformOf(raster, beside, texts);
  if (!transform || raster.grid) {
    return undefined;
  }
  const places = cornersOf({ ...raster, transform });
  const { prj, aux } = texts;
  if (prj !== null) {
    return { transform, crs: await readPrj(prj, nameOf(beside.prj!), places) };
  }
  if (aux?.wkt) {
    return { transform, crs: await readPrj(aux.wkt, nameOf(beside.aux!), places) };
  }
  return raster.transform ? undefined : { transform, crs: null };
}

/** Places on the ground that the files beside an image name, and the file that does. */
function groundPointsOf(
  { width, height }: OpenRaster,
  { aux, rational }: Beside,
  texts: Texts,
): { points: GroundPoint[]; why: string } | null {
  if (texts.aux?.points.length) {
    const { points } = texts.aux;
    return {
      points: thinned(points),
      why: `${nameOf(aux!)} has ${points.length} control points instead of a grid`,
    };
  }
  return (
    texts.rational && {
      points: pointsOf(texts.rational, width, height),
      why: `${nameOf((rational ?? aux)!)} has a rational polynomial instead of a grid`,
    }
  );
}

/** An image with the places on the ground that lie beside it, where it has no grid. */
function withGroundPoints(raster: OpenRaster, beside: Beside, texts: Texts): OpenRaster {
  const found = groundPointsOf(raster, beside, texts);
  const noPosition =
    found && new FormatError("noPosition", found.why, "Align lays it on the map by them.");
  return found ? { ...raster, groundPoints: found.points, noPosition } : raster;
}

/**
 * An image and the files beside it: a world file, a .prj, a description or a rational polynomial that
 * give its position where it has none, a description of what its numbers stand for, and a mask that
 * says which of its cells are valid.
 * @returns with the file that the image is, and its mask
 * @throws FormatError where the image is missing, one of them cannot be read, or they contradict
 */
export async function inspectBeside(
  db: Lender,
  blobs: UploadedFiles["blobs"],
): Promise<RasterInspection & { blobId: string }> {
  const sourceOf = ({ id, size }: Part) => new BlobSource(db, id, size);
  const bytesOf = (part: Part) => sourceOf(part).read(0, Math.min(part.size, MOST_TEXT));
  const beside = besideOf(blobs);
  const { image, mask } = beside;
  const texts = await textsOf(beside, bytesOf);
  const file = await openRaster(sourceOf(image));
  const stated = texts.aux && statedOf(file, texts.aux.bands);
  const described = stated ? withStated(file, stated) : file;
  const raster = withGroundPoints(described, beside, texts);
  const place = await placeBeside(raster, beside, texts);
  if (mask) {
    withMask(raster, await openRaster(sourceOf(mask)), nameOf(mask));
  }
  return {
    ...(await inspectRaster(raster, nameOf(image), place)),
    ...(mask ? { mask: { blobId: mask.id, name: nameOf(mask) } } : {}),
    ...(stated ? { stated } : {}),
    blobId: image.id,
  };
}
