/** Path of a file inside the folder that was picked or dropped. */
export const pathOf = (file: File): string =>
  (file.webkitRelativePath || (file as File & { path?: string }).path || file.name).replace(
    /^\.?\//,
    "",
  );

/**
 * What files belong together: a product's folder, or the bands of an optical scene with its
 * metadata text; all others come one by one, under ''.
 */
export function byFolder(files: File[]): Map<string, File[]> {
  const roots = files
    .map(pathOf)
    .filter((path) => /(^|\/)(manifest\.safe|MTD_MSIL(1C|2A)\.xml)$/i.test(path))
    .map((path) => path.slice(0, path.lastIndexOf("/") + 1));
  const stems = files
    .map(pathOf)
    .filter((path) => /_MTL\.(txt|json|xml)$/i.test(path))
    .map((path) => path.replace(/_MTL\.\w+$/i, ""));
  const out = new Map<string, File[]>();
  // A picture goes with the world file of its name, and with the .prj beside it.
  const bare = (path: string) => path.replace(/\.\w+$/, "");
  const worlds = files
    .map(pathOf)
    .filter((path) => WORLD.test(path))
    .map(bare);
  const placed = (path: string) =>
    worlds.includes(bare(path)) && (WORLD.test(path) || /\.(prj|png|jpe?g|tiff?|jp2)$/i.test(path))
      ? bare(path)
      : undefined;
  for (const file of files) {
    const path = pathOf(file);
    const root =
      roots.find((r) => path.startsWith(r)) ??
      stems.find(
        (stem) => path.startsWith(`${stem}_`) && /\.(tiff?|jp2|txt|json|xml)$/i.test(path),
      ) ??
      placed(path);
    // Of a scene's other texts only the metadata are read.
    if (
      root !== undefined &&
      stems.includes(root) &&
      /\.(txt|json|xml)$/i.test(path) &&
      !/_MTL\.\w+$/i.test(path)
    ) {
      continue;
    }
    out.set(root ?? "", [...(out.get(root ?? "") ?? []), file]);
  }
  // One metadata text is enough: the plain one before the others.
  for (const stem of stems) {
    const list = out.get(stem);
    if (list) {
      out.set(
        stem,
        list.filter(
          (file) =>
            !/_MTL\.\w+$/i.test(file.name) ||
            file ===
              [...list]
                .filter((x) => /_MTL\.\w+$/i.test(x.name))
                .sort((a, b) => RANK(a.name) - RANK(b.name))[0],
        ),
      );
    }
  }
  return out;
}
const WORLD = /\.(pgw|pngw|jgw|jpgw|jpegw|tfw|tifw|j2w|jp2w|wld)$/i;
const RANK = (n: string): number =>
  ["txt", "json", "xml"].indexOf(n.split(".").pop()!.toLowerCase());
