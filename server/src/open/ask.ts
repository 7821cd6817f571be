import * as yup from "yup";
import { STANDINGS, type Standing } from "@hindglance/core/review/standing";
import { AppError } from "../errors";

/** Features of a page at the most, and where nobody says how many. */
export const MOST_FEATURES = 10_000;
const USUAL_FEATURES = 100;

/** What is asked of a collection. */
export interface FeatureAsk {
  bbox: [number, number, number, number] | null;
  limit: number;
  offset: number;
  /** Milliseconds since 1970; null: open. */
  from: number | null;
  to: number | null;
  /** Values of properties that are wanted, by their names. */
  properties: Record<string, string>;
}

const wrong = (name: string, message: string): AppError =>
  new AppError(400, "invalid", `${name}: ${message}`, name);

/** Ends of a box, of two axes or three. @throws AppError */
function boxIn(text: string | undefined): FeatureAsk["bbox"] {
  if (text === undefined) {
    return null;
  }
  const numbers = text.split(",").map((part) => (part.trim() === "" ? NaN : Number(part)));
  const isFit = (numbers.length === 4 || numbers.length === 6) && numbers.every(Number.isFinite);
  if (!isFit) {
    throw wrong("bbox", "four numbers, or six with heights, with commas between them");
  }
  const [west, south] = numbers;
  const [east, north] = numbers.length === 4 ? numbers.slice(2) : numbers.slice(3);
  if (south! > north! || Math.abs(south!) > 90 || Math.abs(north!) > 90) {
    throw wrong("bbox", "south lies at or below north, both from -90 to 90");
  }
  // A box over the date line has its west beyond its east.
  return [west!, south!, west! > east! ? east! + 360 : east!, north!];
}

const momentIn = (text: string): number | null => {
  if (text === "" || text === "..") {
    return null;
  }
  const at = /^\d{4}-\d\d-\d\d/.test(text) ? Date.parse(text) : NaN;
  if (!Number.isFinite(at)) {
    throw wrong("datetime", `“${text}” is no day or time such as 2025-05-12T06:00:00Z`);
  }
  return at;
};

/** A time, or a span with its ends on either side of a slash. @throws AppError */
function spanIn(text: string | undefined): Pick<FeatureAsk, "from" | "to"> {
  if (text === undefined) {
    return { from: null, to: null };
  }
  const parts = text.split("/");
  if (parts.length > 2) {
    throw wrong("datetime", "one time, or two with a slash between them");
  }
  const from = momentIn(parts[0]!);
  const to = parts.length === 2 ? momentIn(parts[1]!) : from;
  if (from !== null && to !== null && from > to) {
    throw wrong("datetime", "the span ends before it begins");
  }
  return { from, to };
}

const whole = (name: string, text: string | undefined, usual: number, least: number): number => {
  const value = text === undefined ? usual : Number(text);
  if (!Number.isInteger(value) || value < least) {
    throw wrong(name, `a whole number from ${least} on`);
  }
  return value;
};

const KNOWN = new Set(["bbox", "limit", "offset", "datetime", "f"]);

/**
 * What a query asks for. Source: OGC API – Features, part 1 (17-069r4), 7.15; unknown parameters are
 * refused, larger limits than can be had are cut.
 * @param filters names of properties that can be asked by
 * @throws AppError 400
 */
export function askIn(
  query: Record<string, string | undefined>,
  filters: readonly string[],
): FeatureAsk {
  const unknown = Object.keys(query).find((name) => !KNOWN.has(name) && !filters.includes(name));
  if (unknown !== undefined) {
    const names = [...KNOWN, ...filters].join(", ");
    throw wrong(unknown.slice(0, 40), `there is no such parameter; there are ${names}`);
  }
  const wanted = filters.flatMap((name) => {
    const value = query[name];
    return value === undefined ? [] : [[name, value] as const];
  });
  return {
    bbox: boxIn(query.bbox),
    limit: Math.min(MOST_FEATURES, whole("limit", query.limit, USUAL_FEATURES, 1)),
    offset: whole("offset", query.offset, 0, 0),
    ...spanIn(query.datetime),
    properties: Object.fromEntries(wanted),
  };
}

const texts = yup.object().noUnknown(false);
/** The query of a request as texts. @throws AppError 400 where one is given twice */
export function queryOf(query: unknown): Record<string, string | undefined> {
  const found: Record<string, unknown> = texts.cast(query ?? {}) ?? {};
  return Object.fromEntries(
    Object.entries(found).map(([name, value]) => {
      if (typeof value !== "string") {
        throw wrong(name.slice(0, 40), "is given more than once");
      }
      return [name, value];
    }),
  );
}

/** How patches stand that are asked for by `verdict`. @throws AppError 400 */
export function standingsIn(value: string | undefined): Standing[] | null {
  if (value === undefined) {
    return null;
  }
  return value.split(",").map((part) => {
    const found = STANDINGS.find((standing) => standing === part);
    if (!found) {
      throw wrong("verdict", `one of ${STANDINGS.join(", ")}`);
    }
    return found;
  });
}
