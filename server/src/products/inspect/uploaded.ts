import { openArchive } from "@hindglance/formats/archive";
import { withChecksums } from "@hindglance/formats/checksums";
import { folderIn } from "@hindglance/formats/folders";
import type { FileSet } from "@hindglance/formats/zip";
import { FormatError } from "@hindglance/formats/errors";
import { BlobSource } from "../../db/blobs";
import type { UploadedFiles } from "../../db/inspection";
import type { Lender } from "../../db/pool";

/** The name of a file without the folders before it. */
export const nameOf = ({ path }: { path: string }): string => path.split("/").pop()!;

/**
 * The files of an upload, whether they came as an archive or one by one, held against the checksums
 * that they bring along. @throws FormatError
 */
export const openUploaded = async (db: Lender, files: UploadedFiles): Promise<FileSet> =>
  withChecksums(await filesOf(db, files));

async function filesOf(db: Lender, { zip, within, blobs }: UploadedFiles): Promise<FileSet> {
  if (zip) {
    const set = await openArchive(new BlobSource(db, blobs[0]!.id, blobs[0]!.size));
    if (!set) {
      throw new FormatError("damaged", `${blobs[0]!.path} is no archive any more`);
    }
    return within === undefined ? set : folderIn(set, within);
  }
  return {
    files: blobs.map(({ path, size }) => ({ path, size })),
    async stream(path) {
      const blob = blobs.find((one) => one.path === path);
      if (!blob) {
        throw new FormatError("incomplete", `${path} is not in the folder`);
      }
      return new BlobSource(db, blob.id, blob.size).stream();
    },
  };
}
