import { FormatError } from "../errors";
import { type XmlElement, parseXml } from "../xml";

/**
 * One band of a scene as its metadata text describes it. Multiply and add give reflectance (before
 * the sun's height), at level 2 surface reflectance; of a thermal band radiance in W/(m² sr µm), at
 * level 2 kelvin.
 */
export interface MtlBand {
  id: string;
  file: string;
  multiply: number | null;
  add: number | null;
  /** Of a thermal band whose gains give radiance (level 1). */
  planck?: { k1: number; k2: number };
  kind: "reflectance" | "temperature" | "quality";
}
export interface Mtl {
  spacecraft: string;
  sensor: string;
  product: string;
  level: 1 | 2;
  /** UTC text of the middle of the scene. */
  acquiredAt: string;
  sunElevationDeg: number | null;
  sunAzimuthDeg: number | null;
  cloudCoverPercent: number | null;
  bands: MtlBand[];
  /** Files of the scene that hold none of its bands: angles of the sun, saturation. */
  others: string[];
}

const MAX_BYTES = 8 << 20;

/** Whether a file is named as metadata text of optical bands. */
export const looksLikeMtl = (name: string): boolean => /_MTL\.(txt|json|xml)$/i.test(name);

/** Keys and values, the first of a key counts; what is empty or no plain value is left out. */
type Pairs = Map<string, string>;

function put(pairs: Pairs, key: string, value: unknown): void {
  const name = key.toUpperCase();
  const isPlain = value !== null && value !== undefined && typeof value !== "object";
  if (isPlain && !pairs.has(name)) {
    pairs.set(name, String(value).trim());
  }
}

function putObject(pairs: Pairs, value: unknown): void {
  if (typeof value !== "object" || value === null) {
    return;
  }
  for (const [key, inner] of Object.entries(value)) {
    if (typeof inner === "object") {
      putObject(pairs, inner);
    } else {
      put(pairs, key, inner);
    }
  }
}

function putElement(pairs: Pairs, element: XmlElement): void {
  for (const child of element.children()) {
    if (child.children().length) {
      putElement(pairs, child);
    } else {
      put(pairs, child.name, child.text());
    }
  }
}

function putLines(pairs: Pairs, text: string): void {
  for (const line of text.split(/\r?\n/)) {
    const [, key, value] = /^\s*([A-Z0-9_]+)\s*=\s*(.*?)\s*$/i.exec(line) ?? [];
    if (key && value !== undefined && !/^(BEGIN_|END_)?GROUP$/i.test(key)) {
      put(pairs, key, value.replace(/^"(.*)"$/, "$1"));
    }
  }
}

/** @throws FormatError where the text is no JSON */
function jsonOf(text: string, name: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    throw new FormatError("damaged", `${name} is not valid JSON`);
  }
}

/**
 * All "KEY = value" pairs of a metadata text, whatever their groups; keys of the later collections
 * and the earlier ones alike.
 */
function pairsOf(bytes: Uint8Array, name: string): Pairs {
  if (bytes.length > MAX_BYTES) {
    throw new FormatError("absurdSize", `${name} is too large to be a metadata text`);
  }
  const pairs: Pairs = new Map();
  const text = new TextDecoder("utf-8").decode(bytes);
  if (/\.json$/i.test(name)) {
    putObject(pairs, jsonOf(text, name));
  } else if (/\.xml$/i.test(name)) {
    putElement(pairs, parseXml(bytes, name));
  } else {
    putLines(pairs, text);
  }
  return pairs;
}

const TAKE_THE_OWN = "Take the metadata file that came with the bands.";

/** A metadata text that is asked for its values by their keys. */
class MetadataText {
  constructor(
    readonly name: string,
    readonly pairs: Pairs,
  ) {}

  text(key: string): string | undefined {
    return this.pairs.get(key);
  }

  /** @throws FormatError where there is none */
  need(key: string): string {
    const value = this.pairs.get(key);
    if (!value) {
      throw new FormatError("incomplete", `${this.name} does not say ${key}`, TAKE_THE_OWN);
    }
    return value;
  }

  /** A number; null where there is none. @throws FormatError where it is no number */
  number(key: string): number | null {
    const value = this.pairs.get(key);
    const number = value === undefined ? null : Number(value);
    if (number !== null && !Number.isFinite(number)) {
      throw this.wrong(`${key} is "${value}", which is no number`);
    }
    return number;
  }

  wrong(why: string): FormatError {
    return new FormatError("damaged", `${this.name}: ${why}`);
  }
}

/** UTC text of the middle of the scene. @throws FormatError where there is no date */
function acquiredAtOf(metadata: MetadataText): string {
  const date = metadata.need("DATE_ACQUIRED");
  const clock = /^\d\d:\d\d:\d\d/.exec(metadata.text("SCENE_CENTER_TIME") ?? "")?.[0];
  const acquiredAt = `${date}T${clock ?? "00:00:00"}Z`;
  if (!/^\d{4}-\d\d-\d\d$/.test(date) || Number.isNaN(Date.parse(acquiredAt))) {
    throw metadata.wrong(`DATE_ACQUIRED is "${date}", which is no date`);
  }
  return acquiredAt;
}

/** Height of the sun in degrees. @throws FormatError where it cannot be */
function sunOf(metadata: MetadataText): number | null {
  const sun = metadata.number("SUN_ELEVATION");
  if (sun !== null && !(sun > -90 && sun <= 90)) {
    throw metadata.wrong(`SUN_ELEVATION is ${sun}°, which cannot be`);
  }
  return sun;
}

/** Gains that give kelvin: their keys differ between collections. */
const kelvin = (metadata: MetadataText, what: "MULT" | "ADD", id: string): number | null =>
  metadata.number(`TEMPERATURE_${what}_BAND_${id}`) ??
  metadata.number(`TEMPERATURE_${what}_BAND_ST_B${id.replace(/\D/g, "")}`);

/** Constants that give kelvin from radiance; null where the text has none. @throws FormatError */
function planckOf(metadata: MetadataText, id: string): { k1: number; k2: number } | null {
  const k1 = metadata.number(`K1_CONSTANT_BAND_${id}`);
  const k2 = metadata.number(`K2_CONSTANT_BAND_${id}`);
  if (k1 === null || k2 === null) {
    return null;
  }
  if (!(k1 > 0 && k2 > 0)) {
    throw metadata.wrong(
      `the constants of thermal band ${id} are ${k1} and ${k2}, which cannot be`,
    );
  }
  return { k1, k2 };
}

/** A thermal band: its gains give kelvin, or radiance that constants turn into kelvin. */
function thermalBand(metadata: MetadataText, id: string, file: string): MtlBand {
  const base = { id, file, kind: "temperature" } as const;
  const multiply = kelvin(metadata, "MULT", id);
  if (multiply !== null) {
    return { ...base, multiply, add: kelvin(metadata, "ADD", id) };
  }
  const planck = planckOf(metadata, id);
  return {
    ...base,
    multiply: planck && metadata.number(`RADIANCE_MULT_BAND_${id}`),
    add: metadata.number(`RADIANCE_ADD_BAND_${id}`),
    ...(planck ? { planck } : {}),
  };
}

const isThermal = (metadata: MetadataText, id: string): boolean =>
  metadata.number(`REFLECTANCE_MULT_BAND_${id}`) === null &&
  (kelvin(metadata, "MULT", id) !== null ||
    metadata.number(`K1_CONSTANT_BAND_${id}`) !== null ||
    /^(10|11|ST_B)/.test(id));

const QUALITY = /^FILE_NAME_QUALITY_L1_PIXEL$|^FILE_NAME_BAND_QUALITY$/;

/** The band that a key names a file of; null for other keys. */
function bandOf(metadata: MetadataText, key: string, file: string): MtlBand | null {
  if (QUALITY.test(key)) {
    return { id: "QA", file, multiply: null, add: null, kind: "quality" };
  }
  const id = /^FILE_NAME_BAND_(\w+)$/.exec(key)?.[1];
  if (!id) {
    return null;
  }
  if (isThermal(metadata, id)) {
    return thermalBand(metadata, id, file);
  }
  const gain = (what: "MULT" | "ADD") => metadata.number(`REFLECTANCE_${what}_BAND_${id}`);
  return { id, file, kind: "reflectance", multiply: gain("MULT"), add: gain("ADD") };
}

/**
 * The metadata text beside the bands of a scene, as text, JSON or XML: date, sun, and for each band
 * its file and its gains.
 * @throws FormatError naming what is missing or cannot be right
 */
export function readMtl(bytes: Uint8Array, name: string): Mtl {
  const metadata = new MetadataText(name, pairsOf(bytes, name));
  const acquiredAt = acquiredAtOf(metadata);
  const sunElevationDeg = sunOf(metadata);
  const bands = [...metadata.pairs].flatMap(([key, file]) => bandOf(metadata, key, file) ?? []);
  if (bands.length === 0) {
    throw new FormatError("incomplete", `${name} names no band files`, TAKE_THE_OWN);
  }
  const named = [...metadata.pairs].filter(([key]) => /^FILE_NAME_/.test(key));
  const product = metadata.text("LANDSAT_PRODUCT_ID") ?? metadata.text("PRODUCT_ID");
  return {
    spacecraft: metadata.text("SPACECRAFT_ID") ?? "",
    sensor: metadata.text("SENSOR_ID") ?? "",
    product: product ?? name.replace(/_MTL\.\w+$/i, ""),
    level: /^L2/i.test(metadata.text("PROCESSING_LEVEL") ?? "") ? 2 : 1,
    acquiredAt,
    sunElevationDeg,
    sunAzimuthDeg: metadata.number("SUN_AZIMUTH"),
    cloudCoverPercent: metadata.number("CLOUD_COVER"),
    bands,
    others: named
      .map(([, file]) => file)
      .filter((file) => !bands.some((band) => band.file === file)),
  };
}
