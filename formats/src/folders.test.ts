import { folderIn, productFolders } from "./folders";
import type { FileSet } from "./zip";

const setOf = (...paths: string[]): FileSet => ({
  files: paths.map((path) => ({ path, size: 1 })),
  stream: (path) => Promise.reject(new Error(path)),
});

test("each folder with a manifest or metadata is a product, what lies inside one is part of it", () => {
  const set = setOf(
    "b/LN1.SAFE/manifest.safe",
    "b/LN1.SAFE/annotation/one.xml",
    "b/LN1.SAFE/copy/manifest.safe",
    "a/H2_20250122_MTL.txt",
    "a/H2_20250122_MTL.json",
    "a/H2_20250122_B4.TIF",
    "readme.txt",
  );
  expect(productFolders(set)).toEqual(["a/", "b/LN1.SAFE/"]);
  expect(productFolders(setOf("manifest.safe", "annotation/one.xml"))).toEqual([""]);
  expect(productFolders(setOf("one.tif"))).toEqual([]);
});
test("of a folder only its own files are seen, and not those of one that begins alike", async () => {
  const set = folderIn(setOf("LN1/a.xml", "LN1/deep/b.xml", "LN10/a.xml"), "LN1/");
  expect(set.files.map(({ path }) => path)).toEqual(["LN1/a.xml", "LN1/deep/b.xml"]);
  await expect(set.stream("LN1/a.xml")).rejects.toThrow("LN1/a.xml");
  expect(folderIn(setOf("x", "y/z"), "").files).toHaveLength(2);
});
