import { InputError } from "../../errors";
import type { BandInfo } from "../../graph/image";
import { type Comparing, comparingOf } from "../comparing";
import { MEASURE_PARTS } from "./list";
import type { MeasurePart, MeasureWords } from "./measure";

/** A measure by its key. */
export type Measure = (typeof MEASURE_PARTS)[number]["key"];
/** Any measure, whole. */
export type AnyMeasure = MeasurePart<string>;

/** The keys of all measures. */
export const MEASURES: readonly Measure[] = MEASURE_PARTS.map((part) => part.key);

const byKey = new Map<string, AnyMeasure>(MEASURE_PARTS.map((part) => [part.key, part]));

/** A measure by its key. @throws InputError for one that is not there */
export function measureOf(key: string): AnyMeasure {
  const part = byKey.get(key);
  if (!part) {
    throw new InputError(`There is no measure called "${key}"`, "measure");
  }
  return part;
}

/** Words of a measure on what is compared; null where it is not taken of that. */
export function wordsFor(part: AnyMeasure, comparing: Comparing | null): MeasureWords | null {
  if (comparing === "class") {
    return part.onClasses ?? null;
  }
  return comparing === "power" ? part.onPower : part.onValues;
}

/** Words of a measure on a band; null where it is not taken of such bands. */
export const wordsOn = (part: AnyMeasure, band: BandInfo): MeasureWords | null =>
  wordsFor(part, comparingOf(band));

/** What it is taken of first, for who knows no band. */
export const anyWords = (part: AnyMeasure): MeasureWords =>
  (part.onPower ?? part.onValues ?? part.onClasses)!;

/** Measures that a band can be compared by, the one to begin with first. */
export const measuresOf = (band: BandInfo): Measure[] =>
  MEASURE_PARTS.filter((part) => wordsOn(part, band) !== null)
    .sort((first, second) => first.rank(band) - second.rank(band))
    .map((part) => part.key);

/** What a measure is counted in: its own unit, or that of the bands. */
export const measureUnit = (key: string, bands: string): string =>
  measureOf(key).unit?.unit ?? bands;

/** Whether thresholds of one measure mean the same in another. */
export const sharesThresholds = (first: AnyMeasure, second: AnyMeasure): boolean =>
  !first.rules && !second.rules && first.unit?.unit === second.unit?.unit;
