import { type FileSet, openZip } from "@hindglance/formats/zip";
import { FormatError } from "@hindglance/formats/errors";
import { BlobSource } from "../db/blobs";
import type { Database } from "../db/pool";

/** The uploaded bytes of a product: one zip, or the files of a folder with their paths. */
export interface UploadedFiles {
  zip: boolean;
  blobs: { id: string; path: string; size: number }[];
}

export async function openUploaded(db: Database, f: UploadedFiles): Promise<FileSet> {
  if (f.zip) {
    return openZip(new BlobSource(db, f.blobs[0]!.id, f.blobs[0]!.size));
  }
  return {
    files: f.blobs.map(({ path, size }) => ({ path, size })),
    async stream(path) {
      const b = f.blobs.find((x) => x.path === path);
      if (!b) {
        throw new FormatError("incomplete", `${path} is not in the folder`);
      }
      return new BlobSource(db, b.id, b.size).stream();
    },
  };
}
