import { plainName } from "../change/twinNames";
import { InputError } from "../errors";
import { isRecord } from "../values";
import { multiPolygonFrom } from "../vector/polygons";
import { newClass, withAreas, withClass } from "./legend";
import type { ClassifySettings, TrainingArea } from "./settings";

/** A feature with the name of its class. */
interface Named {
  name: string;
  feature: unknown;
}

/** What the areas of a file are for, and for which dates they hold. */
export type ImportedAs = Pick<TrainingArea, "isTest" | "sceneId">;

/** Properties that say the class, the first that is there. */
const CLASS_KEYS = ["class", "class_name", "classname", "label", "name", "type", "cover"];

/** The class that a feature says; null where it says none. */
function classNameOf(properties: unknown): string | null {
  if (!isRecord(properties)) {
    return null;
  }
  const keys = Object.keys(properties);
  const key = CLASS_KEYS.map((wanted) => keys.find((one) => one.toLowerCase() === wanted)).find(
    (found) => found !== undefined,
  );
  const value = key === undefined ? null : properties[key];
  return typeof value === "string" || typeof value === "number" ? String(value).trim() : null;
}

/** @throws InputError naming the file and what it lacks */
function featuresOf(text: string, file: string): unknown[] {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new InputError(`${file} is not JSON`, "file", "Areas come as GeoJSON.");
  }
  const features = isRecord(json) ? json.features : null;
  if (!Array.isArray(features) || features.length === 0) {
    throw new InputError(
      `${file} holds no features`,
      "file",
      "Areas come as a GeoJSON collection of polygons, in longitude and latitude.",
    );
  }
  return features;
}

function named(features: readonly unknown[], file: string): Named[] {
  return features.map((feature, k) => {
    const name = isRecord(feature) ? classNameOf(feature.properties) : null;
    if (!name) {
      throw new InputError(
        `Feature ${k + 1} of ${file} says no class`,
        "file",
        `Give every polygon a property "class" with the name of its class.`,
      );
    }
    return { name, feature };
  });
}

/** @throws InputError where a feature has no polygons */
function polygonsIn(feature: unknown, which: string): TrainingArea["polygons"] {
  try {
    return multiPolygonFrom(feature, "file");
  } catch (error) {
    if (!(error instanceof InputError)) {
      throw error;
    }
    throw new InputError(
      `${which} is no area: ${error.message[0]!.toLowerCase()}${error.message.slice(1)}`,
      "file",
      "Areas are polygons.",
    );
  }
}

/** @throws InputError where a feature has no polygons, or a place is no longitude and latitude */
function polygonsOf(feature: unknown, k: number, file: string): TrainingArea["polygons"] {
  const polygons = polygonsIn(feature, `Feature ${k + 1} of ${file}`);
  const off = polygons.flat(2).find(([x, y]) => Math.abs(x) > 180 || Math.abs(y) > 90);
  if (off) {
    throw new InputError(
      `Feature ${k + 1} of ${file} lies at ${off.join(", ")}: no longitude and latitude`,
      "file",
      "Write the areas in longitude and latitude (WGS 84).",
    );
  }
  return polygons;
}

/** An area of a file with the name of its class. */
export interface NamedArea {
  name: string;
  polygons: TrainingArea["polygons"];
}

/**
 * Areas of a GeoJSON file with the names of their classes.
 * @throws InputError naming the file, the feature and what helps
 */
export const namedAreas = (text: string, file: string): NamedArea[] =>
  named(featuresOf(text, file), file).map(({ name, feature }, k) => ({
    ...{ name, polygons: polygonsOf(feature, k, file) },
  }));

/**
 * Settings with the areas of a GeoJSON file; classes that the legend lacks come with them.
 * @param newId gives an id that no area has
 * @throws InputError naming the file, the feature and what helps
 */
export function withImported(
  settings: ClassifySettings,
  { text, file, newId, as }: { text: string; file: string; newId(): string; as: ImportedAs },
): ClassifySettings {
  let next = settings;
  const areas: Record<string, TrainingArea> = {};
  for (const { name, polygons } of namedAreas(text, file)) {
    let known = next.legend.find((one) => plainName(one.name) === plainName(name));
    if (!known) {
      known = newClass(next.legend, name.slice(0, 60));
      next = withClass(known)(next);
    }
    areas[newId()] = { label: known.label, ...as, polygons };
  }
  return withAreas(areas)(next);
}
