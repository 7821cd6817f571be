import { FILE_FORMAT_NAMES, fileWords, lackOf } from "@hindglance/contract/files";
import { type ItemAsset, mapItem } from "../products/catalogue/mapItem";
import type { FileKind, FileSource } from "./kind";
import { fileNameOf } from "./names";
import { PARTS } from "./parts";

/** What a file is to a catalogue. */
const rolesOf = (group: string, format: string): string[] => {
  if (format === "cog") {
    return ["data", "classes"];
  }
  return group === "tables" || format === "classTable" ? ["metadata"] : ["data"];
};

/** Files that lie beside the item; all that can be made where it is not known which were. */
async function assetsOf(source: FileSource): Promise<Record<string, ItemAsset>> {
  const assets: Record<string, ItemAsset> = {};
  for (const format of FILE_FORMAT_NAMES) {
    if (format === "bundle" || format === "stac") {
      continue;
    }
    const kind = PARTS[format];
    const name = fileNameOf(source.map, kind.extension);
    const made = source.beside?.find((one) => one.name === name);
    const isThere = source.beside
      ? made !== undefined
      : !lackOf(format, source.map) && !(await kind.lacks?.(source));
    if (isThere) {
      const { group, name: title } = fileWords(format);
      const roles = rolesOf(group, format);
      const { media } = kind;
      assets[format] = { href: `./${name}`, title, media, roles, sha256: made?.sha256 ?? null };
    }
  }
  return assets;
}

/** What a map is, when and where, and the files that lie beside it. */
export const stac: FileKind = {
  extension: "item.json",
  media: "application/geo+json",
  title: "item",
  isPacked: false,
  async *bytes(source) {
    const item = mapItem(source.map, source.info, await assetsOf(source));
    yield Buffer.from(`${JSON.stringify(item, null, 2)}\n`);
  },
};
