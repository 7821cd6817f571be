/** What a file of a map is about. */
export type FileGroup = "sheets" | "images" | "patches" | "tables" | "whole";

interface FileWords {
  group: FileGroup;
  name: string;
  text: string;
  /** Whether it tells what may be said or counted after the map was written: it is old then. */
  isTold: boolean;
  /** What has to be counted or measured before. */
  needs?: "doubt" | "depth";
}

const LACKS = {
  doubt: "The doubt of this map is not counted yet",
  depth: "The depth of this map is not measured: measure it in Tally",
} as const;

/** Why a map has no file of its samples. */
export const NO_SAMPLE = "No sample was drawn from this map: draw one in Review, under Accuracy";

/** Formats that a map can be made a file of, in the order in which they are offered. */
export const FILES = {
  sheetPdf: {
    group: "sheets",
    name: "Sheet, PDF",
    text: "Words and lines as such, pictures at 300 dots an inch",
    isTold: true,
  },
  sheetPng: {
    group: "sheets",
    name: "Sheet, PNG",
    text: "The first page at 300 dots an inch",
    isTold: true,
  },
  sheetSvg: {
    group: "sheets",
    name: "Sheet, SVG",
    text: "The first page, to go on working with",
    isTold: true,
  },
  sheetPages: {
    group: "sheets",
    name: "Sheet, every page",
    text: "Of a sheet of several pages each as PNG and SVG, zipped",
    isTold: true,
  },
  slides: {
    group: "sheets",
    name: "Slides, PDF",
    text: "Each map by itself, then the numbers; 16 to 9",
    isTold: true,
  },
  slidePictures: {
    group: "sheets",
    name: "Slides, PNG",
    text: "The same one by one, 1920 x 1080, zipped",
    isTold: true,
  },
  cog: {
    group: "images",
    name: "Classes, GeoTIFF",
    text: "Cloud-optimised; class names, colours, system, provenance",
    isTold: false,
  },
  classTable: {
    group: "images",
    name: "Classes, attribute table",
    text: "Names, colours and areas, to lie beside the GeoTIFF",
    isTold: false,
  },
  measure: {
    group: "images",
    name: "Measure, GeoTIFF",
    text: "Before, after and measure as compared, where counted",
    isTold: false,
  },
  probability: {
    group: "images",
    name: "Probability, GeoTIFF",
    text: "How likely each cell is of its class, 0 to 1",
    isTold: true,
    needs: "doubt",
  },
  depth: {
    group: "images",
    name: "Depth, GeoTIFF",
    text: "Depth of the water over each cell, metres",
    isTold: true,
    needs: "depth",
  },
  geojson: {
    group: "patches",
    name: "Patches, GeoJSON",
    text: "Outlines with class, area, verdict, doubt; provenance",
    isTold: true,
  },
  geoPackage: {
    group: "patches",
    name: "Patches, GeoPackage",
    text: "With index, colours of the classes, provenance",
    isTold: true,
  },
  flatGeobuf: {
    group: "patches",
    name: "Patches, FlatGeobuf",
    text: "With the index by which a box is read over the net",
    isTold: true,
  },
  shapefile: {
    group: "patches",
    name: "Patches, Shapefile",
    text: "Zipped; the same columns, named in ten letters",
    isTold: true,
  },
  kmz: {
    group: "patches",
    name: "Patches, KMZ",
    text: "The same columns, in the colours of the classes",
    isTold: true,
  },
  csv: {
    group: "tables",
    name: "Table, CSV",
    text: "Areas by class and zone, what was said of them, inputs",
    isTold: true,
  },
  xlsx: {
    group: "tables",
    name: "Workbook, XLSX",
    text: "Areas with totals that recount, inputs, patches",
    isTold: true,
  },
  sample: {
    group: "tables",
    name: "Sample, GeoJSON",
    text: "Places of every sample, with what each person saw",
    isTold: true,
  },
  provenance: {
    group: "tables",
    name: "Provenance, JSON",
    text: "Inputs with checksums, every parameter, the table",
    isTold: false,
  },
  account: {
    group: "whole",
    name: "Account, JSON",
    text: "What it takes to make the map again, to the same bytes",
    isTold: false,
  },
  bundle: {
    group: "whole",
    name: "All files, ZIP",
    text: "Every file that can be made, with a list of checksums",
    isTold: true,
  },
  stac: {
    group: "whole",
    name: "Item, STAC",
    text: "What the map is and where it lies, for catalogues",
    isTold: true,
  },
} as const satisfies Record<string, FileWords>;

/** A format that a map can be made a file of. */
export type FileFormat = keyof typeof FILES;

const isFormat = (name: string): name is FileFormat => name in FILES;
/** Names of the formats that a map can be made a file of. */
export const FILE_FORMAT_NAMES = Object.keys(FILES).filter(isFormat);

/** Formats that tell what may be said or counted later. */
export const TOLD_FORMATS = FILE_FORMAT_NAMES.filter((format) => FILES[format].isTold);

/** Formats that tell how the sheet of a map is set. */
export const SHEET_FORMATS = FILE_FORMAT_NAMES.filter((format) => FILES[format].group === "sheets");

/** What is said of a format. */
export const fileWords = (format: FileFormat): FileWords => FILES[format];

/** Why a map cannot be made a file of a format yet, or null. */
export function lackOf(
  format: FileFormat,
  map: { doubt: object | null; depth: object | null },
): string | null {
  const { needs } = fileWords(format);
  return needs && !map[needs] ? LACKS[needs] : null;
}
