import { FormatError } from "../errors";
import { parseXml } from "../xml";

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
  /** Of a thermal band whose gains give radiance (level 1). */ planck?: { k1: number; k2: number };
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
}

const MAX_BYTES = 8 << 20;

/** Whether a file is named as metadata text of optical bands. */
export const looksLikeMtl = (name: string): boolean => /_MTL\.(txt|json|xml)$/i.test(name);

/**
 * All "KEY = value" pairs of a metadata text, whatever their groups; keys of the later collections
 * and the earlier ones alike.
 */
function pairsOf(bytes: Uint8Array, name: string): Map<string, string> {
  if (bytes.length > MAX_BYTES) {
    throw new FormatError("absurdSize", `${name} is too large to be a metadata text`);
  }
  const out = new Map<string, string>();
  const text = new TextDecoder("utf-8").decode(bytes);
  const put = (k: string, value: unknown) => {
    if (
      value !== null &&
      value !== undefined &&
      typeof value !== "object" &&
      !out.has(k.toUpperCase())
    ) {
      out.set(k.toUpperCase(), String(value).trim());
    }
  };
  if (/\.json$/i.test(name)) {
    let root: unknown;
    try {
      root = JSON.parse(text);
    } catch {
      throw new FormatError("damaged", `${name} is not valid JSON`);
    }
    const visit = (value: unknown): void => {
      if (typeof value === "object" && value !== null) {
        for (const [k, x] of Object.entries(value)) {
          if (typeof x === "object") {
            visit(x);
          } else {
            put(k, x);
          }
        }
      }
    };
    visit(root);
  } else if (/\.xml$/i.test(name)) {
    const visit = (element: ReturnType<typeof parseXml>): void => {
      for (const c of element.children()) {
        if (c.children().length) {
          visit(c);
        } else {
          put(c.name, c.text());
        }
      }
    };
    visit(parseXml(bytes, name));
  } else {
    for (const line of text.split(/\r?\n/)) {
      const match = /^\s*([A-Z0-9_]+)\s*=\s*(.*?)\s*$/i.exec(line);
      if (match && !/^(BEGIN_|END_)?GROUP$/i.test(match[1]!)) {
        put(match[1]!, match[2]!.replace(/^"(.*)"$/, "$1"));
      }
    }
  }
  return out;
}

/**
 * The metadata text beside the bands of a scene, as text, JSON or XML: date, sun, and for each band
 * its file and its gains.
 * @throws FormatError naming what is missing or cannot be right
 */
export function readMtl(bytes: Uint8Array, name: string): Mtl {
  const path = pairsOf(bytes, name);
  const need = (k: string): string => {
    const value = path.get(k);
    if (!value) {
      throw new FormatError(
        "incomplete",
        `${name} does not say ${k}`,
        "Take the metadata file that came with the bands.",
      );
    }
    return value;
  };
  const number = (k: string): number | null => {
    const value = path.get(k);
    if (value === undefined) {
      return null;
    }
    const n = Number(value);
    if (!Number.isFinite(n)) {
      throw new FormatError("damaged", `${name}: ${k} is "${value}", which is no number`);
    }
    return n;
  };
  const date = need("DATE_ACQUIRED");
  const clock = (path.get("SCENE_CENTER_TIME") ?? "00:00:00").replace(/Z$/i, "");
  const acquiredAt = `${date}T${/^\d\d:\d\d:\d\d/.exec(clock)?.[0] ?? "00:00:00"}Z`;
  if (!/^\d{4}-\d\d-\d\d$/.test(date) || Number.isNaN(Date.parse(acquiredAt))) {
    throw new FormatError("damaged", `${name}: DATE_ACQUIRED is "${date}", which is no date`);
  }
  const level = /^L2/i.test(path.get("PROCESSING_LEVEL") ?? "") ? 2 : 1;
  const sun = number("SUN_ELEVATION");
  if (sun !== null && !(sun > -90 && sun <= 90)) {
    throw new FormatError("damaged", `${name}: SUN_ELEVATION is ${sun}°, which cannot be`);
  }
  const bands: MtlBand[] = [];
  for (const [k, file] of path) {
    const b = /^FILE_NAME_BAND_(\w+)$/.exec(k)?.[1] ?? null;
    const quality = /^FILE_NAME_QUALITY_L1_PIXEL$|^FILE_NAME_BAND_QUALITY$/.test(k);
    if (quality) {
      bands.push({ id: "QA", file, multiply: null, add: null, kind: "quality" });
      continue;
    }
    if (!b) {
      continue;
    }
    const reflectance = number(`REFLECTANCE_MULT_BAND_${b}`);
    const kelvin =
      number(`TEMPERATURE_MULT_BAND_${b}`) ??
      number(`TEMPERATURE_MULT_BAND_ST_B${b.replace(/\D/g, "")}`);
    const k1 = number(`K1_CONSTANT_BAND_${b}`);
    const k2 = number(`K2_CONSTANT_BAND_${b}`);
    if (reflectance === null && (kelvin !== null || k1 !== null || /^(10|11|ST_B)/.test(b))) {
      const of = (k: "MULT" | "ADD") =>
        kelvin !== null
          ? (number(`TEMPERATURE_${k}_BAND_${b}`) ??
            number(`TEMPERATURE_${k}_BAND_ST_B${b.replace(/\D/g, "")}`))
          : number(`RADIANCE_${k}_BAND_${b}`);
      const radiant = kelvin === null && k1 !== null && k2 !== null;
      if (radiant && !(k1 > 0 && k2 > 0)) {
        throw new FormatError(
          "damaged",
          `${name}: the constants of thermal band ${b} are ${k1} and ${k2}, which cannot be`,
        );
      }
      bands.push({
        id: b,
        file,
        kind: "temperature",
        multiply: kelvin !== null || radiant ? of("MULT") : null,
        add: of("ADD"),
        ...(radiant ? { planck: { k1, k2 } } : {}),
      });
    } else {
      bands.push({
        id: b,
        file,
        kind: "reflectance",
        multiply: reflectance,
        add: number(`REFLECTANCE_ADD_BAND_${b}`),
      });
    }
  }
  if (bands.length === 0) {
    throw new FormatError(
      "incomplete",
      `${name} names no band files`,
      "Take the metadata file that came with the bands.",
    );
  }
  return {
    spacecraft: path.get("SPACECRAFT_ID") ?? "",
    sensor: path.get("SENSOR_ID") ?? "",
    product:
      path.get("LANDSAT_PRODUCT_ID") ?? path.get("PRODUCT_ID") ?? name.replace(/_MTL\.\w+$/i, ""),
    level,
    acquiredAt,
    sunElevationDeg: sun,
    sunAzimuthDeg: number("SUN_AZIMUTH"),
    cloudCoverPercent: number("CLOUD_COVER"),
    bands,
  };
}
