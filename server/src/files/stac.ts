import { fileWords } from "@hindglance/contract/files";
import { type ItemAsset, mapItem } from "../products/catalogue/mapItem";
import type { FileKind, FileSource } from "./kind";
import { fileNameOf } from "./names";
import { PARTS, type PartFormat, makeable } from "./parts";

/** What a file is to a catalogue. */
const rolesOf = (group: string, format: string): string[] => {
  if (format === "cog") {
    return ["data", "classes"];
  }
  if (group === "sheets") {
    return ["overview"];
  }
  return group === "tables" || format === "classTable" ? ["metadata"] : ["data"];
};

/** Formats whose files lie beside the item; all that can be made where it is not known which were. */
async function formatsBeside(source: FileSource): Promise<PartFormat[]> {
  const all = await makeable(source);
  const names = source.beside?.map(({ name }) => name);
  return all.filter(
    (format) => names?.includes(fileNameOf(source.map, PARTS[format].extension)) ?? true,
  );
}

/** Files that lie beside the item, by their formats. */
async function assetsOf(source: FileSource): Promise<Record<string, ItemAsset>> {
  const formats = await formatsBeside(source);
  return Object.fromEntries(
    formats.map((format): [string, ItemAsset] => {
      const { extension, media } = PARTS[format];
      const name = fileNameOf(source.map, extension);
      const { group, name: title } = fileWords(format);
      const sha256 = source.beside?.find((one) => one.name === name)?.sha256 ?? null;
      return [format, { href: `./${name}`, title, media, roles: rolesOf(group, format), sha256 }];
    }),
  );
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
