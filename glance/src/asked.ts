import { existsSync, readFileSync } from "node:fs";
import { parseArgs } from "node:util";
import { FILE_FORMAT_NAMES, type FileFormat } from "@hindglance/contract/files";
import { messageOf } from "@hindglance/core/errors";
import type { VerticalDatum } from "@hindglance/core/graph/image";
import { FIRST_RECIPES, type Recipe, recipeFrom } from "@hindglance/core/recipe/recipe";
import papaparse from "papaparse";
import { datumIn, momentIn, requireTaught } from "./said";
import { UsageError } from "./usageError";

/** Two products, and what lies beside them. */
export interface AskedPair {
  before: string;
  after: string;
  name: string | null;
  elevation: string | null;
  area: string | null;
  zones: string | null;
  event: string | null;
  orbits: string[];
  /** Products that lie beside the pair: earlier dates, a second sensor. */
  beside: string[];
  /** What files do not say. */
  heights: VerticalDatum | null;
  beforeDate: string | null;
  afterDate: string | null;
  /** Files of ground of known cover: that of both dates, of the one before, of the one after. */
  known: { both: string | null; before: string | null; after: string | null };
  /** A trained model, as JSON, that dates are classified by. */
  model: string | null;
  /** Whether both products are classified already. */
  isClassified: boolean;
}

/** What a call asks for. */
export interface Asked {
  recipe: Recipe;
  pairs: AskedPair[];
  /** Whether the pairs come from a list: each gets a folder of its own. */
  isList: boolean;
  out: string;
  files: FileFormat[];
  server: string;
  /** Whether nothing is done but to see whether the call is understood. */
  isCheck: boolean;
}

const USUAL_FILES: FileFormat[] = [
  ...(["sheetPdf", "sheetPng"] as const),
  ...(["cog", "classTable", "geojson", "geoPackage"] as const),
  ...(["csv", "xlsx", "provenance", "stac"] as const),
];

const text = { type: "string" } as const;
const OPTIONS = {
  ...{ before: text, after: text, out: text, elevation: text, heights: text, area: text },
  orbit: { type: "string", multiple: true },
  beside: { type: "string", multiple: true },
  ...{ zones: text, event: text, recipe: text, files: text, name: text, server: text },
  ...{ "before-date": text, "after-date": text },
  ...{ known: text, "known-before": text, "known-after": text, model: text },
  classified: { type: "boolean" },
  /** Whether the call is only looked at. */
  check: { type: "boolean" },
} as const;

/** A path that is there. @throws UsageError */
function there(option: string, path: string): string {
  if (!existsSync(path)) {
    throw new UsageError(`--${option}: there is no file ${path}`);
  }
  return path;
}
const thereOrNull = (option: string, path: string | undefined): string | null =>
  path ? there(option, path) : null;

/** A recipe out of a file. @throws UsageError naming file and field */
function recipeIn(path: string): Recipe {
  try {
    return recipeFrom(JSON.parse(readFileSync(there("recipe", path), "utf8")));
  } catch (error) {
    if (error instanceof UsageError) {
      throw error;
    }
    throw new UsageError(`--recipe: ${path} is no recipe: ${messageOf(error)}`);
  }
}

const isFirst = (kind: string): kind is keyof typeof FIRST_RECIPES => kind in FIRST_RECIPES;
const isFormat = (name: string): name is FileFormat =>
  FILE_FORMAT_NAMES.some((format) => format === name);

/** Formats of a list with commas in it. @throws UsageError for one that there is not */
export function formatsIn(list: string): FileFormat[] {
  const names = list.split(",").map((name) => name.trim());
  return names.map((name) => {
    if (!isFormat(name)) {
      const all = FILE_FORMAT_NAMES.join(", ");
      throw new UsageError(`--files: there is no file “${name}”; there are ${all}`);
    }
    return name;
  });
}

type Values = ReturnType<typeof valuesIn>["values"];
function valuesIn(args: string[]) {
  try {
    return parseArgs({ args, options: OPTIONS, allowPositionals: true, strict: true });
  } catch (error) {
    throw new UsageError(messageOf(error));
  }
}

const restOf = (values: Values) => ({
  zones: thereOrNull("zones", values.zones),
  orbits: (values.orbit ?? []).map((path) => there("orbit", path)),
  beside: (values.beside ?? []).map((path) => there("beside", path)),
  heights: datumIn(values.heights),
  beforeDate: momentIn("before-date", values["before-date"]),
  afterDate: momentIn("after-date", values["after-date"]),
  known: {
    both: thereOrNull("known", values.known),
    before: thereOrNull("known-before", values["known-before"]),
    after: thereOrNull("known-after", values["known-after"]),
  },
  model: thereOrNull("model", values.model),
  isClassified: values.classified ?? false,
});

function onePair(values: Values): AskedPair {
  const { before, after } = values;
  if (!before || !after) {
    throw new UsageError(`--${before ? "after" : "before"} is missing: the product of that date`);
  }
  return {
    ...restOf(values),
    ...{ before: there("before", before), after: there("after", after) },
    elevation: thereOrNull("elevation", values.elevation),
    area: thereOrNull("area", values.area),
    ...{ event: momentIn("event", values.event), name: values.name ?? null },
  };
}

/** Pairs of a list. Files are looked for when their turn comes: one that is missing stops no other. */
function listedPairs(path: string, values: Values): AskedPair[] {
  const { data, meta } = papaparse.parse<Record<string, string>>(
    readFileSync(path, "utf8").trim(),
    {
      header: true,
      skipEmptyLines: "greedy",
      transformHeader: (head) => head.trim().toLowerCase(),
    },
  );
  for (const column of ["before", "after"]) {
    if (!meta.fields?.includes(column)) {
      throw new UsageError(`${path} has no column “${column}” in its first line`);
    }
  }
  const own = (value: string | undefined, usual: string | undefined): string | null =>
    value?.trim() || usual || null;
  return data.map((row) => ({
    ...restOf(values),
    ...{ before: row.before?.trim() ?? "", after: row.after?.trim() ?? "" },
    elevation: own(row.elevation, values.elevation),
    area: own(row.area, values.area),
    event: own(row.event, values.event),
    name: own(row.name, undefined),
  }));
}

/** What is looked for, and the list of pairs where there is one. @throws UsageError */
function wanted(positionals: readonly string[]): { kind: string; list: string | null } {
  const [kind, ...more] = positionals;
  if (!kind) {
    throw new UsageError("What to look for is missing: flood, fire, greenness, from-to, or pairs");
  }
  const list = kind === "pairs" ? (more.shift() ?? null) : null;
  if (more.length > 0) {
    throw new UsageError(`“${more.join(" ")}” is not understood`);
  }
  if (kind === "pairs" && !list) {
    throw new UsageError("The list is missing: bin/glance pairs LIST.csv");
  }
  return { kind, list };
}

/** The recipe that is followed: out of a file, or of a kind. @throws UsageError */
function followed(kind: string, path: string | undefined): Recipe {
  if (path) {
    return recipeIn(path);
  }
  if (kind === "pairs") {
    return FIRST_RECIPES.flood;
  }
  if (!isFirst(kind)) {
    throw new UsageError(
      `“${kind}” is none of flood, fire, greenness, from-to, pairs, and there is no --recipe`,
    );
  }
  return FIRST_RECIPES[kind];
}

/** @throws UsageError where dates are to be classified, and nothing tells by what */
function requireKnown({ classes }: Recipe, values: Values): void {
  const hints = [
    ...[values.known, values["known-before"], values["known-after"]],
    ...[values.model, values.classified],
  ];
  if (classes && !hints.some(Boolean)) {
    throw new UsageError(
      "What the dates are classified by is missing: --known (areas of known cover), --model, or --classified",
    );
  }
}

/** What a call asks for. @throws UsageError */
export function askedIn(args: string[]): Asked {
  const { values, positionals } = valuesIn(args);
  const { kind, list } = wanted(positionals);
  if (!values.out) {
    throw new UsageError("--out is missing: the folder that everything is written to");
  }
  const recipe = followed(kind, values.recipe);
  requireKnown(recipe, values);
  const pairs = list ? listedPairs(there("pairs", list), values) : [onePair(values)];
  requireTaught(restOf(values));
  return {
    recipe,
    pairs,
    ...{
      isList: list !== null,
      out: values.out,
      files: values.files ? formatsIn(values.files) : USUAL_FILES,
    },
    server: values.server ?? "",
    isCheck: values.check ?? false,
  };
}
