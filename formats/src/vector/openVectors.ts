import { FormatError } from "../errors";
import { type FileSet, readAll } from "../zip";
import { readCsvTable } from "./csvTable";
import { looksLikeFlatGeobuf, readFlatGeobuf } from "./flatGeobuf";
import { readGeoJson } from "./geoJson";
import { looksLikeGeoPackage, readGeoPackage } from "./geoPackage";
import { readKml, readKmz } from "./kml";
import type { VectorFile, VectorLayer } from "./layer";
import { readShapefile } from "./shapefile";

/** Bytes that the files of a vector upload may have together: they are read in memory. */
export const MOST_VECTOR_BYTES = 50 << 20;

/** Parts of a Shapefile that are read. */
const SHAPE_PART = /\.(shp|shx|dbf|prj|cpg)$/i;
const ONE_BY_ONE = /\.(geojson|json|kml|gpkg|fgb|csv|tsv)$/i;

/** Whether a file is named as one of features, or a part of one. */
export const looksLikeVectors = (name: string): boolean =>
  ONE_BY_ONE.test(name) || /\.(shp|shx|dbf|cpg|kmz)$/i.test(name);

/** Whether an archive holds features: a Shapefile, a KML, or another file of them. */
export const holdsVectors = ({ files }: FileSet): boolean =>
  files.some(({ path }) => !isHidden(path) && (/\.shp$/i.test(path) || ONE_BY_ONE.test(path)));

/** What some programs put beside files in an archive. */
const isHidden = (path: string): boolean => /(^|\/)(__MACOSX\/|\._|\.DS_Store$)/.test(path);

/** A single file by what it begins with, else by its name. @throws FormatError */
async function openOne(file: VectorFile): Promise<VectorLayer[]> {
  const { name, bytes } = file;
  if (looksLikeGeoPackage(bytes)) {
    return readGeoPackage(file);
  }
  if (looksLikeFlatGeobuf(bytes)) {
    return [await readFlatGeobuf(file)];
  }
  switch (name.toLowerCase().split(".").pop()) {
    case "geojson":
    case "json":
      return [readGeoJson(file)];
    case "kml":
      return [readKml(file)];
    case "csv":
    case "tsv":
      return [readCsvTable(file)];
    case "gpkg":
    case "fgb":
      throw new FormatError("damaged", `${name} does not begin like a file of its kind`);
    default:
      if (!looksLikeVectors(name)) {
        throw new FormatError(
          "unsupported",
          `${name} is no file of features`,
          "GeoJSON, Shapefile, KML, GeoPackage, FlatGeobuf or CSV is needed.",
        );
      }
      return [readShapefile([file])];
  }
}

/** Parts of Shapefiles by what their names have in common. */
function shapesIn<File extends { name: string }>(files: readonly File[]): File[][] {
  const groups = new Map<string, File[]>();
  for (const file of files.filter(({ name }) => SHAPE_PART.test(name))) {
    const stem = file.name.replace(SHAPE_PART, "").toLowerCase();
    groups.set(stem, [...(groups.get(stem) ?? []), file]);
  }
  return [...groups.values()].filter((parts) => parts.some(({ name }) => /\.shp$/i.test(name)));
}

/**
 * Layers of features in files that were picked together: a single file, or the loose parts of a
 * Shapefile.
 *
 * @throws FormatError where there are none, or a file is damaged or none of its kind
 */
export async function openVectors(files: readonly VectorFile[]): Promise<VectorLayer[]> {
  const [first, ...others] = files;
  const layers = others.length === 0 ? await openOne(first!) : [readShapefile(files)];
  return withFeatures(layers, first!.name);
}

/** Layers that hold features. @throws FormatError where none does */
function withFeatures(layers: readonly VectorLayer[], name: string): VectorLayer[] {
  const filled = layers.filter(({ features }) => features.length > 0);
  if (filled.length === 0) {
    throw new FormatError("unsupported", `${name} holds no features`);
  }
  return filled;
}

/** @throws FormatError where the files are more than are read in memory */
function requireSmall(files: FileSet["files"], name: string): void {
  const total = files.reduce((sum, { size }) => sum + size, 0);
  if (total > MOST_VECTOR_BYTES) {
    throw new FormatError(
      "absurdSize",
      `${name} holds ${Math.round(total / 2 ** 20)} MB of features; up to ${MOST_VECTOR_BYTES >> 20} MB can be used`,
      "Simplify it, or cut out the part that is needed.",
    );
  }
}

/**
 * Layers of features in an archive: its Shapefiles, a KMZ's KML, and other files of features.
 *
 * @param name of the archive
 * @throws FormatError where it holds none, too much, or a file is damaged
 */
export async function openVectorArchive(set: FileSet, name: string): Promise<VectorLayer[]> {
  if (/\.kmz$/i.test(name)) {
    return readKmz(set, name);
  }
  const files = set.files.filter(({ path }) => !isHidden(path));
  const wanted = files.filter(({ path }) => SHAPE_PART.test(path) || ONE_BY_ONE.test(path));
  requireSmall(wanted, name);
  const read = async ({ path }: { path: string }): Promise<VectorFile> => ({
    name: path,
    bytes: await readAll(set, path, MOST_VECTOR_BYTES),
  });
  const layers: VectorLayer[] = [];
  for (const parts of shapesIn(wanted.map(({ path }) => ({ path, name: path })))) {
    layers.push(readShapefile(await Promise.all(parts.map(read))));
  }
  for (const file of wanted.filter(({ path }) => ONE_BY_ONE.test(path))) {
    layers.push(...(await openOne(await read(file))));
  }
  return withFeatures(layers, name);
}
