import type { BandInfo } from "@hindglance/core/graph/image";
import type { Grid } from "@hindglance/core/grid/grid";
import { type Places, crsOfEpsg } from "../crs/epsg";
import { FormatError } from "../errors";
import { type XmlElement, parseXml } from "../xml";
import { type FileSet, readAll } from "../zip";
import type { StackBand } from "./stack";

const MAX_XML = 32 << 20;
const ROOT = /(^|\/)MTD_MSIL(1C|2A)\.xml$/i;
const TILE = /(^|\/)MTD_TL\.xml$/i;

/** Middles of bands in nanometres, where the metadata do not give them. */
const NM: Record<string, number> = {
  B01: 443,
  B02: 492,
  B03: 560,
  B04: 665,
  B05: 704,
  B06: 741,
  B07: 783,
  B08: 833,
  B8A: 865,
  B09: 945,
  B10: 1374,
  B11: 1614,
  B12: 2202,
};
/** Bands in the order in which metadata number them. */
const ORDER = [
  "B01",
  "B02",
  "B03",
  "B04",
  "B05",
  "B06",
  "B07",
  "B08",
  "B8A",
  "B09",
  "B10",
  "B11",
  "B12",
];

/** A granule of one JPEG 2000 file a band, without its cells. */
export interface Granule {
  product: string;
  mission: string;
  sensor: string;
  level: 1 | 2;
  baseline: string | null;
  /** UTC text. */
  acquiredAt: string;
  sunElevationDeg: number | null;
  sunAzimuthDeg: number | null;
  cloudCoverPercent: number | null;
  /**
   * Bands by cell size; a band that the product gives in several sizes stands in each. `file`: its
   * path.
   */
  bands: StackBand[];
  warnings: string[];
}

/** Whether a set of files is an optical granule: it has the metadata of one. */
export const looksLikeGranule = (set: FileSet): boolean =>
  set.files.some(({ path }) => isGranuleMetadata(path));

/** Whether a file is the metadata of a granule. */
export const isGranuleMetadata = (path: string): boolean => ROOT.test(path);

const bandId = (s: string): string => {
  const match = /^B?(\d{1,2})(A?)$/i.exec(s.trim());
  if (match) {
    if (match[2]) {
      return `B${match[1]!.replace(/^0/, "")}A`;
    }
    return `B${match[1]!.padStart(2, "0")}`;
  }
  return s;
};

const AGAIN = "Fetch the product again.";

const nameIn = (path: string): string => path.split("/").pop()!;

/** The metadata of a product and of its tile. @throws FormatError where there is not one of each */
async function metadataOf(set: FileSet) {
  const roots = set.files.filter(({ path }) => ROOT.test(path));
  const tiles = set.files.filter(({ path }) => TILE.test(path));
  const count = Math.max(roots.length, tiles.length);
  if (count > 1) {
    throw new FormatError(
      "contradictory",
      `There are ${count} granules here`,
      "Drop one product at a time.",
    );
  }
  const { path } = roots[0]!;
  const name = nameIn(path);
  if (!tiles[0]) {
    throw new FormatError(
      "incomplete",
      `${name} is there, MTD_TL.xml of its granule is not`,
      AGAIN,
    );
  }
  const level: Granule["level"] = /L2A/i.test(name) ? 2 : 1;
  return {
    path,
    name,
    level,
    root: parseXml(await readAll(set, path, MAX_XML), name),
    tile: parseXml(await readAll(set, tiles[0].path, MAX_XML), "MTD_TL.xml"),
  };
}
type Metadata = Awaited<ReturnType<typeof metadataOf>>;

/** What the product says of all of its images. @throws FormatError */
function imagesOf({ root, name }: Metadata): XmlElement {
  const path = "Product_Image_Characteristics";
  const images = root.get("General_Info").find(path);
  if (!images) {
    throw new FormatError(
      "incomplete",
      `${name} has no General_Info/${path}`,
      "The product is not complete; fetch it again.",
    );
  }
  return images;
}

const productOf = ({ root }: Metadata): XmlElement => root.get("General_Info").get("Product_Info");

/** How numbers become reflectance: (number + offset) / quantity; offsets by band. */
interface Radiometry {
  quantity: number;
  offsets: Map<string, number>;
}

/** @throws FormatError where the quantification value cannot be right */
function radiometryOf(metadata: Metadata): Radiometry {
  const images = imagesOf(metadata);
  const isTop = metadata.level === 1;
  const quantity = images.number(
    isTop ? "QUANTIFICATION_VALUE" : "QUANTIFICATION_VALUES_LIST/BOA_QUANTIFICATION_VALUE",
  );
  if (!(quantity > 0)) {
    throw new FormatError("damaged", `${metadata.name}: the quantification value is ${quantity}`);
  }
  const listed = images.all(
    isTop
      ? "Radiometric_Offset_List/RADIO_ADD_OFFSET"
      : "BOA_ADD_OFFSET_VALUES_LIST/BOA_ADD_OFFSET",
  );
  const offsets = listed.map((element): [string, number] => {
    const id = element.attribute("band_id");
    return [ORDER[Number(id)] ?? bandId(id ?? ""), element.number()];
  });
  return { quantity, offsets: new Map(offsets) };
}

/** Middles of bands in nanometres, as far as the metadata give them. */
function wavelengthsOf(metadata: Metadata): Map<string, number> {
  const listed = imagesOf(metadata).all("Spectral_Information_List/Spectral_Information");
  return new Map(
    listed.flatMap((element): [string, number][] => {
      const middle = element.find("Wavelength/CENTRAL");
      const id = element.attribute("physicalBand");
      return middle && id ? [[bandId(id), middle.number()]] : [];
    }),
  );
}

const GEOCODING = "Geometric_Info/Tile_Geocoding";

/** Where cells of a size lie. @throws FormatError where the metadata do not say */
async function gridsOf({ tile }: Metadata): Promise<(cellM: number) => Grid> {
  const code = /EPSG:(\d{4,6})/.exec(tile.text(`${GEOCODING}/HORIZONTAL_CS_CODE`))?.[1];
  if (!code) {
    throw new FormatError("noCrs", "MTD_TL.xml does not name a coordinate system by its EPSG code");
  }
  const origin = tile.find(`${GEOCODING}/Geoposition`);
  const places: Places = origin ? [[origin.number("ULX"), origin.number("ULY")]] : [];
  const crs = await crsOfEpsg(Number(code), places);
  const at = (path: string, cellM: number) =>
    tile
      .all(`${GEOCODING}/${path}`)
      .findLast((element) => Number(element.attribute("resolution")) === cellM);
  return (cellM) => {
    const place = at("Geoposition", cellM);
    const size = at("Size", cellM);
    if (!place || !size) {
      throw new FormatError(
        "incomplete",
        `MTD_TL.xml does not say where cells of ${cellM} m lie`,
        AGAIN,
      );
    }
    const [x, y] = [place.number("ULX"), place.number("ULY")];
    return {
      crs,
      transform: [x, place.number("XDIM"), 0, y, 0, place.number("YDIM")],
      width: size.number("NCOLS"),
      height: size.number("NROWS"),
    };
  };
}

/** Which band a file holds and in which cells; null for files that hold none. */
function bandFile(path: string): { id: string; cellM: number } | null {
  const match = /_(B\d[\dA]|SCL)(?:_(10|20|60)m)?\.jp2$/i.exec(path);
  const id = match?.[1]?.toUpperCase();
  const cellM = match?.[2] ? Number(match[2]) : NATIVE[id ?? ""];
  return id && cellM && /(^|\/)IMG_DATA\//i.test(path) ? { id, cellM } : null;
}

/** Every band by wavelength, those of several cell sizes from the finest. @throws FormatError */
async function bandsOf(
  set: FileSet,
  metadata: Metadata,
  { quantity, offsets }: Radiometry,
): Promise<StackBand[]> {
  const gridAt = await gridsOf(metadata);
  const wavelengths = wavelengthsOf(metadata);
  const infoOf = (id: string): BandInfo =>
    id === "SCL"
      ? { name: "quality", unit: "", role: "quality" }
      : {
          name: id,
          unit: "DN",
          role: "dn",
          wavelengthNm: wavelengths.get(id) ?? NM[id],
          gain: { multiply: 1 / quantity, add: (offsets.get(id) ?? 0) / quantity },
        };
  const bands = set.files.flatMap(({ path }): StackBand[] => {
    const found = bandFile(path);
    return found
      ? [{ id: found.id, file: path, grid: gridAt(found.cellM), info: infoOf(found.id) }]
      : [];
  });
  if (!bands.some(({ info }) => info.role === "dn")) {
    throw new FormatError(
      "incomplete",
      "There is no band under IMG_DATA: the product holds its metadata alone",
      AGAIN,
    );
  }
  return bands.sort(
    (a, b) =>
      (a.info.wavelengthNm ?? 1e9) - (b.info.wavelengthNm ?? 1e9) ||
      a.grid.transform[1] - b.grid.transform[1],
  );
}

/** What is missing and what is taken for granted. */
function warningsOf(
  { level }: Metadata,
  baseline: string | null,
  { offsets }: Radiometry,
  bands: readonly StackBand[],
): string[] {
  const warnings: string[] = [];
  if (offsets.size === 0 && baseline && Number(baseline) >= 4) {
    warnings.push(
      `Processing baseline ${baseline} comes with an offset, and the metadata give none: it is taken as 0.`,
    );
  }
  const lost = ORDER.filter(
    (id) => !(level === 2 && id === "B10") && !bands.some((band) => band.id === id),
  );
  if (lost.length === 1) {
    warnings.push(`Band ${lost[0]} is not there: the scene is made without it.`);
  } else if (lost.length > 1) {
    warnings.push(`Bands ${lost.join(", ")} are not there: the scene is made without them.`);
  }
  if (level === 1) {
    warnings.push("There is no quality band in a level 1C product: cloud is found by brightness.");
  }
  return warnings;
}

/** When it was taken, as UTC text. @throws FormatError where the metadata hold no date */
function acquiredAtOf(metadata: Metadata): string {
  const said =
    metadata.tile.find("General_Info/SENSING_TIME")?.text() ??
    productOf(metadata).text("PRODUCT_START_TIME");
  const at = new Date(said);
  if (Number.isNaN(at.getTime())) {
    throw new FormatError(
      "damaged",
      `MTD_TL.xml: the sensing time is "${said.slice(0, 40)}", which is no date`,
    );
  }
  return at.toISOString().replace(/\.\d+Z$/, "Z");
}

/** What a product is called: by itself, by its folder, else by its metadata. */
function productName(metadata: Metadata): string {
  const own = productOf(metadata).find("PRODUCT_URI")?.text();
  const folder = metadata.path.split("/").at(-2);
  const names = [own, folder].map((name) => name?.replace(/\.SAFE$/i, ""));
  return names.find(Boolean) ?? metadata.name;
}

const SUN = "Geometric_Info/Tile_Angles/Mean_Sun_Angle";

/**
 * Reads everything but the cells of a granule product, level 1C (reflectance at the top of the
 * atmosphere, by the height of the sun already) or 2A (surface reflectance). Reflectance = (number
 * + offset) / quantification; the offset came with processing baseline 04.00 and is 0 before.
 * @throws FormatError naming what is missing or contradictory
 */
export async function readGranule(set: FileSet): Promise<Granule> {
  const metadata = await metadataOf(set);
  const { level, root, tile } = metadata;
  const product = productOf(metadata);
  const radiometry = radiometryOf(metadata);
  const bands = await bandsOf(set, metadata, radiometry);
  const baseline = product.find("PROCESSING_BASELINE")?.text() ?? null;
  const zenith = tile.find(`${SUN}/ZENITH_ANGLE`)?.number() ?? null;
  return {
    product: productName(metadata),
    mission: product.find("Datatake/SPACECRAFT_NAME")?.text() ?? "",
    sensor: "MSI",
    level,
    baseline,
    acquiredAt: acquiredAtOf(metadata),
    sunElevationDeg: zenith === null ? null : 90 - zenith,
    sunAzimuthDeg: tile.find(`${SUN}/AZIMUTH_ANGLE`)?.number() ?? null,
    cloudCoverPercent:
      root.find("Quality_Indicators_Info/Cloud_Coverage_Assessment")?.number() ?? null,
    bands,
    warnings: warningsOf(metadata, baseline, radiometry, bands),
  };
}

/** Cell sizes of bands whose file names do not give them, metres. */
const NATIVE: Record<string, number> = {
  B01: 60,
  B02: 10,
  B03: 10,
  B04: 10,
  B05: 20,
  B06: 20,
  B07: 20,
  B08: 10,
  B8A: 20,
  B09: 60,
  B10: 60,
  B11: 20,
  B12: 20,
};

/**
 * Bits of the quality band (see QUALITY_BITS of core) by class of a scene classification: 1 fill, 2
 * rim of cloud, 4 cirrus, 8 cloud, 16 shadow, 32 snow, 64 clear, 128 water.
 */
export const QUALITY_OF_CLASS: readonly number[] = [
  1,
  64,
  64,
  16,
  64,
  64,
  64 | 128,
  64,
  8,
  8,
  4,
  32,
];
