import { FormatError } from "../errors";
import { type Rational, rationalFrom } from "./rational";

/** Whether a file is named as the rational polynomial of the image beside it. */
export const looksLikeRational = (name: string): boolean => /(_rpc\.txt|\.rpb)$/i.test(name);

/** Names of the numbers without what differs from one way to write them to the next. */
const OFFSETS = ["LINEOFF", "SAMPOFF", "LATOFF", "LONGOFF", "HEIGHTOFF"];
const SCALES = ["LINESCALE", "SAMPSCALE", "LATSCALE", "LONGSCALE", "HEIGHTSCALE"];
const POLYNOMIALS = ["LINENUMCOEF", "LINEDENCOEF", "SAMPNUMCOEF", "SAMPDENCOEF"];
const TERMS = 20;

const plain = (name: string): string =>
  name.toUpperCase().replaceAll("_", "").replace("OFFSET", "OFF").replace("COEFF", "COEF");

/** Numbers of a text, without the units that stand behind them. */
const numbersIn = (text: string): number[] =>
  text
    .split(/[\s,()]+/)
    .filter(Boolean)
    .map(Number)
    .filter(Number.isFinite);

/**
 * A rational polynomial from its numbers by name: LINE_OFF or lineOffset, twenty factors under one
 * name or each under its own with its place behind; null where one is missing.
 */
export function rationalOf(
  entries: Iterable<readonly [name: string, text: string]>,
): Rational | null {
  const said = new Map([...entries].map(([name, text]) => [plain(name), numbersIn(text)] as const));
  const one = (name: string): number => said.get(name)?.[0] ?? NaN;
  const terms = (name: string): number[] =>
    Array.from(
      { length: TERMS },
      (_v, k) => said.get(name)?.[k] ?? said.get(`${name}${k + 1}`)?.[0] ?? NaN,
    );
  // How far it may be off comes first, and is not used.
  return rationalFrom([0, 0, ...[...OFFSETS, ...SCALES].map(one), ...POLYNOMIALS.flatMap(terms)]);
}

/**
 * The rational polynomial of a text: a line "name: value unit" for each number, or "name = value;"
 * with lists in brackets.
 * @throws FormatError where a number is missing
 */
export function readRational(text: string, name: string): Rational {
  const pairs = [...text.matchAll(/(\w+)\s*[:=]\s*(\([^)]*\)|[^\n;]*)/g)];
  const model = rationalOf(pairs.map(([, key = "", value = ""]) => [key, value] as const));
  if (!model) {
    throw new FormatError(
      "damaged",
      `${name} does not hold the numbers of a rational polynomial`,
      "Fetch or copy the file again, or leave it away.",
    );
  }
  return model;
}
