import { type FileSet, openZip } from "@hindglance/formats/zip";
import { FormatError } from "@hindglance/formats/errors";
import { BlobSource } from "../db/blobs";
import type { Database } from "../db/pool";

/** The uploaded bytes of a product: one zip, or the files of a folder with their paths. */
export interface UploadedFiles {
  zip: boolean;
  blobs: { id: string; path: string; size: number }[];
}

/** The files of an upload, whether they came as a zip or one by one. */
export async function openUploaded(db: Database, uploadedFiles: UploadedFiles): Promise<FileSet> {
  if (uploadedFiles.zip) {
    return openZip(new BlobSource(db, uploadedFiles.blobs[0]!.id, uploadedFiles.blobs[0]!.size));
  }
  return {
    files: uploadedFiles.blobs.map(({ path, size }) => ({ path, size })),
    async stream(path) {
      const blob = uploadedFiles.blobs.find((x) => x.path === path);
      if (!blob) {
        throw new FormatError("incomplete", `${path} is not in the folder`);
      }
      return new BlobSource(db, blob.id, blob.size).stream();
    },
  };
}
