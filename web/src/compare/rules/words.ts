import type { Layer, Operator } from "@hindglance/core/change/rules";

/** What a layer is called in a sentence. */
export const WORD: Record<Layer, string> = {
  before: "before",
  after: "after",
  measure: "change",
  slope: "slope",
  elevation: "elevation",
  drainage: "height above drainage",
  cover: "land cover",
};

/** How a comparison is written. */
export const SIGN: Record<Operator, string> = {
  "<": "<",
  "<=": "≤",
  ">": ">",
  ">=": "≥",
  "=": "is",
  "!=": "is not",
};

/** Comparisons of layers that hold numbers. */
export const OF_NUMBERS: readonly Operator[] = ["<", "<=", ">", ">="];
/** Comparisons of layers that hold classes. */
export const OF_LABELS: readonly Operator[] = ["=", "!="];
