import type { Operator } from "@hindglance/core/change/rules";

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
