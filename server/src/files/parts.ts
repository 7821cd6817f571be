import type { FileFormat } from "@hindglance/contract/changeMaps";
import { cog } from "./cog";
import { geojson } from "./geojson";
import type { FileKind } from "./kind";
import { kmz } from "./kmz";
import { shapefile } from "./shapefile";
import { csv, provenance } from "./table";

/** Files that can be made of a map one by one. */
export const PARTS: Record<Exclude<FileFormat, "bundle">, FileKind> = {
  cog,
  geojson,
  shapefile,
  kmz,
  csv,
  provenance,
};
