import { type SceneKind, hasDate } from "@hindglance/core/scene/kinds";
import type { BandInfo, BandRole, VerticalDatum } from "@hindglance/core/graph/image";
import type { OpenRaster } from "../raster/raster";

/**
 * What a file says of itself as a scene; what it does not say is null or stands in `missing`, and
 * is asked for.
 */
export interface SceneDescription {
  kind: SceneKind | null;
  acquiredAt: string | null;
  bands: BandInfo[];
  missing: (typeof WHAT_CAN_MISS)[number][];
}

const WHAT_CAN_MISS = ["kind", "acquiredAt", "vertical", "rescale"] as const;

const INDEX_WORDS = ["ndvi", "evi", "savi", "nbr", "mndwi", "ndwi", "ndmi", "lai", "fpar"] as const;

const POLARISATIONS = ["vv", "vh", "hh", "hv"];

/** Words of each kind; the first kind that has one of them wins. */
const KIND_WORDS: readonly [SceneKind, readonly string[]][] = [
  ["elevation", ["elevation", "dem", "dtm", "height"]],
  ["radar", ["sigma0", "gamma0", "beta0", ...POLARISATIONS, "backscatter"]],
  ["classes", ["classes", "landcover"]],
  ["population", ["population", "people"]],
];

const wordsOf = (text: string): string[] => text.toLowerCase().split(/[^a-z0-9]+/);

/** All that a file says in words. */
interface Said {
  /** File name without its ending. */
  stem: string;
  /** Its free items, their names in capitals. */
  items: Record<string, string | undefined>;
  /** Words of its name, its bands and its kind. */
  words: ReadonlySet<string>;
  /** The index that it names. */
  index: string | null;
}

function saidBy(raster: OpenRaster, fileName: string): Said {
  const items: Said["items"] = Object.fromEntries(
    Object.entries(raster.items).map(([name, text]) => [name.toUpperCase(), text]),
  );
  const stem = fileName.replace(/\.[^.]*$/, "");
  const texts = [stem, ...raster.bands.map(({ name }) => name ?? ""), items.KIND ?? ""];
  const words = new Set(texts.flatMap(wordsOf));
  return { stem, items, words, index: INDEX_WORDS.find((word) => words.has(word)) ?? null };
}

/** What the words, or a palette, say it is. */
function kindOf({ palette }: OpenRaster, { words, index }: Said): SceneKind | null {
  const named = KIND_WORDS.find(([, list]) => list.some((word) => words.has(word)))?.[0];
  if (palette && (!named || named === "classes")) {
    return "classes";
  }
  return named ?? (index ? "other" : null);
}

function roleOf(kind: SceneKind | null, isDecibel: boolean): BandRole {
  switch (kind) {
    case "elevation":
      return "elevation";
    case "radar":
      return isDecibel ? "decibel" : "power";
    case "classes":
      return "classes";
    default:
      return "value";
  }
}

/** Units of roles that have one by themselves. */
const USUAL_UNITS: Partial<Record<BandRole, string>> = { elevation: "m", decibel: "dB" };

/** What a band is, by its own words; a single band by those of the file. */
function bandOf(
  { bands }: OpenRaster,
  place: number,
  said: Said,
  kind: SceneKind | null,
  vertical: VerticalDatum | null,
): BandInfo {
  const { name } = bands[place]!;
  const unit = bands[place]!.unit ?? "";
  const isSingle = bands.length === 1;
  const words = wordsOf(name ?? (isSingle ? said.stem : ""));
  const polarisation = POLARISATIONS.find((one) => words.includes(one))?.toUpperCase();
  const role = roleOf(kind, /^db$|decibel/i.test(unit) || words.includes("db"));
  const usual = isSingle && said.index ? said.index.toUpperCase() : `band ${place + 1}`;
  return {
    name: name ?? polarisation ?? usual,
    unit: unit || USUAL_UNITS[role] || "",
    role,
    ...(polarisation ? { polarisation } : {}),
    ...(role === "elevation" && vertical ? { vertical } : {}),
  };
}

/** When it was taken: as an item, the file name or a tag says. */
function acquiredAtOf({ dateTime }: OpenRaster, { items, stem }: Said): string | null {
  const tag = (dateTime ?? "").replace(/^(\d{4}):(\d\d):(\d\d) /, "$1-$2-$3T");
  return (
    timeFrom(items.ACQUIRED ?? items.ACQUISITION_TIME ?? "") ?? timeFrom(stem) ?? timeFrom(tag)
  );
}

/**
 * Indices lie between −1 and 1: whole numbers of more than a byte stand for something else, and
 * only a scale says for what.
 */
const lacksScale = ({ sampleType, bands }: OpenRaster): boolean =>
  /^u?int(16|32)$/.test(sampleType) && bands.every(({ scale }) => scale === 1);

/**
 * Kind, time and polarisations from band names, tags and the file name. Never a guess where the
 * file is silent.
 */
export function describeScene(raster: OpenRaster, fileName: string): SceneDescription {
  const said = saidBy(raster, fileName);
  const { items } = said;
  const kind = kindOf(raster, said);
  const vertical = verticalFrom(raster.verticalCode, items.VERTICAL ?? items.VERTICAL_DATUM ?? "");
  const acquiredAt = acquiredAtOf(raster, said);
  const lacks: Record<SceneDescription["missing"][number], boolean> = {
    kind: !kind,
    acquiredAt: !acquiredAt && (kind === null || hasDate(kind)),
    vertical: kind === "elevation" && !vertical,
    rescale: kind === "other" && lacksScale(raster),
  };
  return {
    kind,
    acquiredAt,
    bands: raster.bands.map((_band, place) => bandOf(raster, place, said, kind, vertical)),
    missing: WHAT_CAN_MISS.filter((what) => lacks[what]),
  };
}

/**
 * First date in a text as ISO 8601 UTC: 2025-05-02, 20250502, with T184110, T18:41:10 or no time of
 * day (midnight); or the day of a year after an A: A2025122.
 */
export function timeFrom(text: string): string | null {
  const byDay = /(?<![A-Za-z0-9])A((?:19|20)\d\d)([0-3]\d\d)(?!\d)/.exec(text);
  if (byDay) {
    return timeOfDay(Number(byDay[1]), Number(byDay[2]));
  }
  const found =
    /(?<!\d)((?:19|20)\d\d)-?(0[1-9]|1[0-2])-?(0[1-9]|[12]\d|3[01])(?:[T_ ]?([01]\d|2[0-3]):?([0-5]\d):?([0-5]\d))?(?![\d])/.exec(
      text,
    );
  if (!found) {
    return null;
  }
  const [, year, month, day, hours = "00", minutes = "00", seconds = "00"] = found;
  const iso = `${year}-${month}-${day}T${hours}:${minutes}:${seconds}Z`;
  const date = new Date(iso);
  // The thirty-first of a month of thirty days is none.
  return Number.isNaN(date.getTime()) || date.getUTCDate() !== Number(day) ? null : iso;
}

/** Midnight of a day of a year; null where the year has no such day. */
function timeOfDay(year: number, day: number): string | null {
  const date = new Date(Date.UTC(year, 0, day));
  return day >= 1 && date.getUTCFullYear() === year
    ? date.toISOString().replace(/\.\d+Z$/, "Z")
    : null;
}

/** EPSG codes of systems of heights. */
const DATUM_CODES: Record<number, VerticalDatum> = {
  4979: "ellipsoid",
  5030: "ellipsoid",
  5773: "egm96",
  5171: "egm96",
  3855: "egm2008",
};
const DATUM_WORDS: readonly [RegExp, VerticalDatum][] = [
  [/egm ?2008/i, "egm2008"],
  [/egm ?(19)?96/i, "egm96"],
  [/ellipsoid/i, "ellipsoid"],
];

/**
 * What heights are counted from, by the vertical reference code of the file (EPSG) or by words in
 * its description; null where it says neither.
 */
export function verticalFrom(code: number | null, words: string): VerticalDatum | null {
  const byCode = code === null ? undefined : DATUM_CODES[code];
  return byCode ?? DATUM_WORDS.find(([pattern]) => pattern.test(words))?.[1] ?? null;
}
