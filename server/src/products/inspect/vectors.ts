import { MOST_VECTOR_BYTES } from "@hindglance/formats/vector/openVectors";
import { BlobSource } from "../../db/blobs";
import type { UploadedFiles, VectorsInspection } from "../../db/inspection";
import type { Lender } from "../../db/pool";
import { AppError } from "../../errors";
import type { VectorFiles, VectorReader } from "../../vectors/tasks";

/** @throws AppError 413 where files are more than are read in memory */
function requireSmall({ blobs }: UploadedFiles, name: string): void {
  const size = blobs.reduce((sum, blob) => sum + blob.size, 0);
  if (size > MOST_VECTOR_BYTES) {
    throw new AppError(
      413,
      "tooLarge",
      `${name} is larger than ${MOST_VECTOR_BYTES >> 20} MB, the most that a file of features can be`,
      "file",
      "Simplify it, or cut out the part that is needed.",
    );
  }
}

/** The bytes of uploaded files of features. @throws AppError 413 where they are too large */
export async function vectorFilesOf(
  db: Lender,
  files: UploadedFiles,
  name: string,
): Promise<VectorFiles> {
  requireSmall(files, name);
  const read = files.blobs.map(async ({ id, size, path }) => ({
    name: path,
    bytes: await new BlobSource(db, id, size).read(0, size),
  }));
  return { name, files: await Promise.all(read) };
}

/**
 * What the features of a file say, layer by layer.
 *
 * @param name of the file, or of the one that names the parts of a Shapefile
 * @throws FormatError, AppError where it cannot be read, or none of its layers can be used
 * @throws AppError 413 where it is too large
 */
export async function inspectVectors(
  db: Lender,
  vectors: VectorReader,
  files: UploadedFiles,
  name: string,
): Promise<VectorsInspection> {
  const layers = await vectors.run("look", () => vectorFilesOf(db, files, name));
  return { form: "vectors", name, files, layers };
}
