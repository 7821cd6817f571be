import type { GroundPoint } from "@hindglance/core/align/groundPoint";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import type { Affine } from "@hindglance/core/grid/grid";
import { crsOfWkt } from "../crs/match";
import { type XmlElement, parseXml } from "../xml";
import type { Rational } from "./rational";
import { rationalOf } from "./rationalText";

/** Whether a file is named as the description that geospatial software leaves beside an image. */
export const looksLikeAuxXml = (name: string): boolean => /\.aux\.xml$/i.test(name);

/** What is said of a band beside its file; null where nothing is. */
export interface BandSaid {
  nodata: number | null;
  scale: number | null;
  offset: number | null;
}

/** What a description beside an image says of it. */
export interface AuxSaid {
  transform: Affine | null;
  /** Coordinate system as WKT. */
  wkt: string | null;
  /** Control points on the ground. */
  points: GroundPoint[];
  rational: Rational | null;
  /** By band, counted from 0. */
  bands: Map<number, BandSaid>;
}

const ENTITIES: Record<string, string> = { quot: '"', apos: "'", lt: "<", gt: ">", amp: "&" };
const plain = (text: string): string =>
  text.replace(/&(quot|apos|lt|gt|amp);/g, (_whole, name: string) => ENTITIES[name]!);

function transformIn(root: XmlElement): Affine | null {
  const element = root.find("GeoTransform");
  const numbers = element
    ? element
        .text()
        .split(/[\s,]+/)
        .filter(Boolean)
        .map(Number)
    : [];
  const [x, columnX, rowX, y, columnY, rowY] = numbers;
  const isOne = numbers.length === 6 && numbers.every(Number.isFinite);
  return isOne ? [x!, columnX!, rowX!, y!, columnY!, rowY!] : null;
}

/** Control points on the ground. @throws FormatError where their system is not known */
async function pointsIn(root: XmlElement): Promise<GroundPoint[]> {
  const list = root.find("GCPList");
  const wkt = list && plain(list.attribute("Projection") ?? "");
  if (!list || !wkt) {
    return [];
  }
  const all = list.all("GCP").map((point) => {
    const [col, row, x, y] = ["Pixel", "Line", "X", "Y"].map((name) =>
      Number(point.attribute(name) ?? NaN),
    );
    return { from: [col!, row!] as [number, number], at: [x!, y!] as [number, number] };
  });
  const whole = all.filter(({ from, at }) => [...from, ...at].every(Number.isFinite));
  const globe = transformer(
    await crsOfWkt(
      wkt,
      whole.map(({ at }) => at),
    ),
    LONLAT,
  );
  return whole.map(({ from, at }) => ({ from, to: globe(...at) }));
}

function rationalIn(root: XmlElement): Rational | null {
  const domain = root.all("Metadata").find((one) => one.attribute("domain") === "RPC");
  return domain
    ? rationalOf(domain.all("MDI").map((one) => [one.attribute("key") ?? "", one.text()] as const))
    : null;
}

function bandsIn(root: XmlElement): Map<number, BandSaid> {
  const bands = new Map<number, BandSaid>();
  for (const element of root.all("PAMRasterBand")) {
    const numberIn = (name: string): number | null => {
      const text = element.find(name)?.text() ?? "";
      return text !== "" && Number.isFinite(Number(text)) ? Number(text) : null;
    };
    const said = {
      nodata: numberIn("NoDataValue"),
      scale: numberIn("Scale"),
      offset: numberIn("Offset"),
    };
    bands.set(Number(element.attribute("band") ?? 1) - 1, said);
  }
  return bands;
}

/**
 * Reads the description beside an image: its position, its control points or its rational
 * polynomial, and what its numbers stand for. Statistics, histograms and colours are passed over.
 * @throws FormatError naming the file, where it is no XML or its points are in no known system
 */
export async function readAuxXml(bytes: Uint8Array, name: string): Promise<AuxSaid> {
  const root = parseXml(bytes, name);
  const wkt = plain(root.find("SRS")?.text() ?? "").trim();
  return {
    transform: transformIn(root),
    wkt: wkt === "" ? null : wkt,
    points: await pointsIn(root),
    rational: rationalIn(root),
    bands: bandsIn(root),
  };
}
