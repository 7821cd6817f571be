import { isGranuleMetadata } from "./optical/granule";
import { looksLikeMtl } from "./optical/mtl";
import { isManifest } from "./product/safe";
import type { FileSet } from "./zip";

/** The files of a folder of an archive alone. @param folder with a stroke at its end; "": all */
export const folderIn = (set: FileSet, folder: string): FileSet => ({
  ...set,
  files: set.files.filter(({ path }) => path.startsWith(folder)),
  stream: (path) => set.stream(path),
  ...(set.head ? { head: (path: string) => set.head!(path) } : {}),
});

const folderOf = (path: string): string => path.slice(0, path.lastIndexOf("/") + 1);

/** Whether a file makes its folder a product: a manifest, or metadata of an optical scene. */
const isHead = (path: string): boolean =>
  isManifest(path) || isGranuleMetadata(path) || looksLikeMtl(path);

/**
 * Folders of an archive that each hold a product, in order: radar products by their manifest, granules
 * and stacks of bands by their metadata. A folder inside another product's folder is part of that.
 */
export function productFolders({ files }: FileSet): string[] {
  const folders = [
    ...new Set(files.filter(({ path }) => isHead(path)).map(({ path }) => folderOf(path))),
  ].sort((first, second) => (first < second ? -1 : 1));
  return folders.filter(
    (folder, k) => !folders.slice(0, k).some((outer) => folder.startsWith(outer)),
  );
}
