import { openArchive } from "@hindglance/formats/archive";
import { withChecksums } from "@hindglance/formats/checksums";
import { FormatError } from "@hindglance/formats/errors";
import { looksLikeGranule } from "@hindglance/formats/optical/granule";
import { looksLikeMtl } from "@hindglance/formats/optical/mtl";
import { openRaster } from "@hindglance/formats/raster/open";
import { looksLikeMask } from "@hindglance/formats/raster/mask";
import { looksLikeSafe } from "@hindglance/formats/product/safe";
import { holdsVectors, looksLikeVectors } from "@hindglance/formats/vector/openVectors";
import { folderIn, productFolders } from "@hindglance/formats/folders";
import type { FileSet } from "@hindglance/formats/zip";
import { type Blob, BlobSource } from "../../db/blobs";
import type { Inspection, UploadedFiles } from "../../db/inspection";
import type { Lender } from "../../db/pool";
import type { VectorReader } from "../../vectors/tasks";
import { inspectProduct } from "./product";
import { inspectBeside, isBesideAnImage } from "./beside";
import { inspectRaster } from "./raster";
import { inspectStack, inspectStackIn } from "./stack";
import { nameOf, openUploaded } from "./uploaded";
import { inspectVectors } from "./vectors";

/** What files are looked into with. */
export interface Inspecting {
  db: Lender;
  vectors: VectorReader;
}

/** An archive holds several products, each in a folder of its own. */
export class SeveralProducts extends Error {
  constructor(readonly folders: readonly string[]) {
    super(`The archive holds ${folders.length} products`);
  }
}

/** Looks into an archive. @throws FormatError where it holds nothing that can be used */
function inspectArchive(
  { db, vectors }: Inspecting,
  set: FileSet,
  files: UploadedFiles,
  name: string,
): Promise<Inspection> {
  if (set.files.some(({ path }) => looksLikeMtl(path))) {
    return inspectStackIn(set, files);
  }
  const isProduct = looksLikeSafe(set) || looksLikeGranule(set);
  return !isProduct && holdsVectors(set)
    ? inspectVectors(db, vectors, files, name)
    : inspectProduct(set, files);
}

/**
 * Looks into an uploaded file: what it is, what it says of itself, what must be asked for. @throws
 * FormatError when it cannot be used @throws SeveralProducts when it holds more than one
 */
export async function inspect(inspecting: Inspecting, blob: Blob): Promise<Inspection> {
  const { db, vectors } = inspecting;
  const { id, name, size } = blob;
  const source = new BlobSource(db, id, size);
  const archive = await openArchive(source);
  if (archive) {
    const folders = blob.within === null ? productFolders(archive) : [];
    if (folders.length > 1) {
      throw new SeveralProducts(folders);
    }
    const blobs = [{ id, path: name, size }];
    const { within } = blob;
    return inspectArchive(
      inspecting,
      await withChecksums(within === null ? archive : folderIn(archive, within)),
      { zip: true, ...(within === null ? {} : { within }), blobs },
      name,
    );
  }
  if (/\.(zip|tar|tgz|gz)$/i.test(name)) {
    throw new FormatError(
      "damaged",
      `This is not a ${/\.zip$/i.test(name) ? "zip" : "tar"} archive: it does not begin like one`,
      "Fetch or copy the file again.",
    );
  }
  if (looksLikeVectors(name)) {
    return inspectVectors(db, vectors, { zip: false, blobs: [{ id, path: name, size }] }, name);
  }
  if (looksLikeMask(name)) {
    throw new FormatError(
      "incomplete",
      "This is the mask of an image, and the image is not there",
      "Pick the image together with its mask.",
    );
  }
  return inspectRaster(await openRaster(source), name);
}

/**
 * Looks into files that came together: bands with their metadata text, parts of a Shapefile, an image with its world
 * file, coordinate system or mask (with which of them the image is), or a product's folder.
 * @throws FormatError when they cannot be used
 */
export async function inspectTogether(
  { db, vectors }: Inspecting,
  blobs: UploadedFiles["blobs"],
): Promise<Inspection & { blobId?: string }> {
  if (blobs.some(({ path }) => looksLikeMtl(path))) {
    return inspectStack(db, blobs);
  }
  const shp = blobs.find(({ path }) => /\.shp$/i.test(path));
  if (shp) {
    return inspectVectors(db, vectors, { zip: false, blobs }, nameOf(shp));
  }
  if (blobs.some(isBesideAnImage)) {
    return inspectBeside(db, blobs);
  }
  const files: UploadedFiles = { zip: false, blobs };
  const set = await openUploaded(db, files);
  const folders = productFolders(set);
  if (folders.length > 1) {
    throw new FormatError(
      "contradictory",
      `The folder holds ${folders.length} products: ${folders.join(", ")}`,
      "Drop the folder of one product at a time, or several of them as files.",
    );
  }
  return inspectProduct(set, files);
}
