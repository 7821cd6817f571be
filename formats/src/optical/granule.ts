import type { BandInfo } from "@hindglance/core/graph/image";
import type { Grid } from "@hindglance/core/grid/grid";
import { crsOfEpsg } from "../crs/epsg";
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
  set.files.some((file) => ROOT.test(file.path));

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

/**
 * Reads everything but the cells of a granule product, level 1C (reflectance at the top of the
 * atmosphere, by the height of the sun already) or 2A (surface
 * reflectance). Reflectance = (number + offset) / quantification; the offset came with processing
 * baseline 04.00 and is 0 before.
 * @throws FormatError naming what is missing or contradictory
 */
export async function readGranule(set: FileSet): Promise<Granule> {
  const roots = set.files.filter((file) => ROOT.test(file.path));
  const tiles = set.files.filter((file) => TILE.test(file.path));
  const name = (path: string) => path.split("/").pop()!;
  if (roots.length > 1 || tiles.length > 1) {
    throw new FormatError(
      "contradictory",
      `There are ${Math.max(roots.length, tiles.length)} granules here`,
      "Drop one product at a time.",
    );
  }
  if (!tiles[0]) {
    throw new FormatError(
      "incomplete",
      `${name(roots[0]!.path)} is there, MTD_TL.xml of its granule is not`,
      "Fetch the product again.",
    );
  }
  const level = /L2A/i.test(name(roots[0]!.path)) ? 2 : 1;
  const root = parseXml(await readAll(set, roots[0]!.path, MAX_XML), name(roots[0]!.path));
  const tile = parseXml(await readAll(set, tiles[0].path, MAX_XML), "MTD_TL.xml");
  const info = root.get("General_Info");
  const product = info.get("Product_Info");
  const image =
    info.find("Product_Image_Characteristics") ??
    fail("General_Info/Product_Image_Characteristics");
  const quantity =
    level === 1
      ? image.number("QUANTIFICATION_VALUE")
      : image.number("QUANTIFICATION_VALUES_LIST/BOA_QUANTIFICATION_VALUE");
  const warnings: string[] = [];
  if (!(quantity > 0)) {
    throw new FormatError(
      "damaged",
      `${name(roots[0]!.path)}: the quantification value is ${quantity}`,
    );
  }
  const baseline = product.find("PROCESSING_BASELINE")?.text() ?? null;
  const offsets = new Map(
    (level === 1
      ? image.all("Radiometric_Offset_List/RADIO_ADD_OFFSET")
      : image.all("BOA_ADD_OFFSET_VALUES_LIST/BOA_ADD_OFFSET")
    ).map((element) => [
      ORDER[Number(element.attribute("band_id"))] ?? bandId(element.attribute("band_id") ?? ""),
      element.number(),
    ]),
  );
  if (offsets.size === 0 && baseline && Number(baseline) >= 4) {
    warnings.push(
      `Processing baseline ${baseline} comes with an offset, and the metadata give none: it is taken as 0.`,
    );
  }
  const wave = new Map(
    image.all("Spectral_Information_List/Spectral_Information").flatMap((element) => {
      const c = element.find("Wavelength/CENTRAL");
      return c && element.attribute("physicalBand")
        ? [[bandId(element.attribute("physicalBand")!), c.number()] as const]
        : [];
    }),
  );
  const code = /EPSG:(\d{4,6})/.exec(
    tile.text("Geometric_Info/Tile_Geocoding/HORIZONTAL_CS_CODE"),
  )?.[1];
  if (!code) {
    throw new FormatError("noCrs", "MTD_TL.xml does not name a coordinate system by its EPSG code");
  }
  const crs = await crsOfEpsg(Number(code));
  const places = new Map(
    tile
      .all("Geometric_Info/Tile_Geocoding/Geoposition")
      .map((element) => [Number(element.attribute("resolution")), element]),
  );
  const sizes = new Map(
    tile
      .all("Geometric_Info/Tile_Geocoding/Size")
      .map((element) => [Number(element.attribute("resolution")), element]),
  );
  const gridAt = (m: number): Grid => {
    const element = places.get(m);
    const s = sizes.get(m);
    if (!element || !s) {
      throw new FormatError(
        "incomplete",
        `MTD_TL.xml does not say where cells of ${m} m lie`,
        "Fetch the product again.",
      );
    }
    return {
      crs,
      transform: [
        element.number("ULX"),
        element.number("XDIM"),
        0,
        element.number("ULY"),
        0,
        element.number("YDIM"),
      ],
      width: s.number("NCOLS"),
      height: s.number("NROWS"),
    };
  };
  const bands: StackBand[] = [];
  for (const file of set.files) {
    const match = /_(B\d[\dA]|SCL)(?:_(10|20|60)m)?\.jp2$/i.exec(file.path);
    if (!match || !/(^|\/)IMG_DATA\//i.test(file.path)) {
      continue;
    }
    const id = match[1]!.toUpperCase();
    const cellM = match[2] ? Number(match[2]) : NATIVE[id];
    if (!cellM) {
      continue;
    }
    const infoOf: BandInfo =
      id === "SCL"
        ? { name: "quality", unit: "", role: "quality" }
        : {
            name: id,
            unit: "DN",
            role: "dn",
            wavelengthNm: wave.get(id) ?? NM[id],
            gain: { multiply: 1 / quantity, add: (offsets.get(id) ?? 0) / quantity },
          };
    bands.push({ id, file: file.path, grid: gridAt(cellM), info: infoOf });
  }
  if (!bands.some((band) => band.info.role === "dn")) {
    throw new FormatError(
      "incomplete",
      "There is no band under IMG_DATA: the product holds its metadata alone",
      "Fetch the product again.",
    );
  }
  const lost = ORDER.filter(
    (id) => !(level === 2 && id === "B10") && !bands.some((band) => band.id === id),
  );
  if (lost.length) {
    warnings.push(
      `${lost.length === 1 ? `Band ${lost[0]} is` : `Bands ${lost.join(", ")} are`} not there: the scene is made without ${lost.length === 1 ? "it" : "them"}.`,
    );
  }
  if (level === 1) {
    warnings.push("There is no quality band in a level 1C product: cloud is found by brightness.");
  }
  const zenith =
    tile.find("Geometric_Info/Tile_Angles/Mean_Sun_Angle/ZENITH_ANGLE")?.number() ?? null;
  const sensing =
    tile.find("General_Info/SENSING_TIME")?.text() ?? product.text("PRODUCT_START_TIME");
  const at = new Date(sensing);
  if (Number.isNaN(at.getTime())) {
    throw new FormatError(
      "damaged",
      `MTD_TL.xml: the sensing time is "${sensing.slice(0, 40)}", which is no date`,
    );
  }
  const cloud = root.find("Quality_Indicators_Info/Cloud_Coverage_Assessment")?.number() ?? null;
  return {
    product:
      product
        .find("PRODUCT_URI")
        ?.text()
        .replace(/\.SAFE$/i, "") ||
      roots[0]!.path
        .split("/")
        .slice(-2, -1)[0]
        ?.replace(/\.SAFE$/i, "") ||
      name(roots[0]!.path),
    mission: product.find("Datatake/SPACECRAFT_NAME")?.text() ?? "",
    sensor: "MSI",
    level,
    baseline,
    acquiredAt: at.toISOString().replace(/\.\d+Z$/, "Z"),
    sunElevationDeg: zenith === null ? null : 90 - zenith,
    sunAzimuthDeg:
      tile.find("Geometric_Info/Tile_Angles/Mean_Sun_Angle/AZIMUTH_ANGLE")?.number() ?? null,
    cloudCoverPercent: cloud,
    bands: bands.sort(
      (stackBand, b) =>
        (stackBand.info.wavelengthNm ?? 1e9) - (b.info.wavelengthNm ?? 1e9) ||
        stackBand.grid.transform[1] - b.grid.transform[1],
    ),
    warnings,
  };
  function fail(path: string): XmlElement {
    throw new FormatError(
      "incomplete",
      `${name(roots[0]!.path)} has no ${path}`,
      "The product is not complete; fetch it again.",
    );
  }
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
