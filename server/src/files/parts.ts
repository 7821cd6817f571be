import type { FileFormat } from "@hindglance/contract/files";
import { classTable } from "./classTable";
import { cog } from "./cog";
import { flatGeobuf } from "./flatGeobuf";
import { geoPackage } from "./geoPackage";
import { geojson } from "./geojson";
import type { FileKind } from "./kind";
import { kmz } from "./kmz";
import { depth, measure, probability } from "./mapImages";
import { sample } from "./sample";
import { shapefile } from "./shapefile";
import { csv, provenance } from "./table";
import { xlsx } from "./xlsx";

/** Files that can be made of a map by themselves, but for what tells of the others. */
export const PARTS: Record<Exclude<FileFormat, "stac" | "bundle">, FileKind> = {
  ...{ cog, classTable, measure, probability, depth },
  ...{ geojson, geoPackage, flatGeobuf, shapefile, kmz },
  ...{ csv, xlsx, sample, provenance },
};
