import { type FileFormat, FILE_FORMAT_NAMES, lackOf } from "@hindglance/contract/files";
import { account } from "./account";
import { classTable } from "./classTable";
import { cog } from "./cog";
import { flatGeobuf } from "./flatGeobuf";
import { geoPackage } from "./geoPackage";
import { geojson } from "./geojson";
import type { FileKind, FileSource } from "./kind";
import { kmz } from "./kmz";
import { depth, measure, probability } from "./mapImages";
import { sample } from "./sample";
import { shapefile } from "./shapefile";
import { sheetPages, sheetPdf, sheetPng, sheetSvg, slidePictures, slides } from "./sheets";
import { csv, provenance } from "./table";
import { xlsx } from "./xlsx";

/** A format of a file that is made by itself. */
export type PartFormat = Exclude<FileFormat, "stac" | "bundle">;

/** Files that can be made of a map by themselves, but for what tells of the others. */
export const PARTS: Record<PartFormat, FileKind> = {
  ...{ sheetPdf, sheetPng, sheetSvg, sheetPages, slides, slidePictures },
  ...{ cog, classTable, measure, probability, depth },
  ...{ geojson, geoPackage, flatGeobuf, shapefile, kmz },
  ...{ csv, xlsx, sample, provenance, account },
};

const isPart = (format: FileFormat): format is PartFormat => format in PARTS;

/** Formats that a map can be made a file of now, in the order in which they are offered. */
export async function makeable(source: FileSource): Promise<PartFormat[]> {
  const formats: PartFormat[] = [];
  for (const format of FILE_FORMAT_NAMES.filter(isPart)) {
    if (!lackOf(format, source.map) && !(await PARTS[format].lacks?.(source))) {
      formats.push(format);
    }
  }
  return formats;
}
