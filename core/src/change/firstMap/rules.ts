import { WATER_COLORS } from "../colors";
import type { ClassRule, Condition, Layer, Operator } from "../rules";
import type { Decided } from "./decide";
import type { Signs } from "./signs";
import type { WaterThresholds } from "./thresholds";
import type { Vegetation } from "./vegetation";

const tenth = (value: number): number => Math.round(value * 10) / 10;
const when = (layer: Layer, op: Operator, value: number): Condition => ({
  layer,
  op,
  value: tenth(value),
});

/** Labels of the classes of water. */
export const WATER_LABELS = {
  newWater: 1,
  standing: 2,
  receded: 3,
  vegetation: 4,
  rough: 5,
  unsure: 6,
  perhapsNew: 7,
} as const;

/** Decibels under `dark` that ground must have to be called dark, and its middle. */
const UNSURE = 1;
const UNSURE_NEAR = 1.5;

interface Found {
  signs: Signs;
  decided: Decided;
  vegetation: Vegetation | null;
  at: WaterThresholds;
  /** Whether new water may as well be water that was rough before, and nothing tells which. */
  isPerhapsWind: boolean;
}

/** A class; one without evidence is there, but off. */
const classOf = (
  key: keyof typeof WATER_LABELS,
  name: string,
  isOn: boolean,
  all: Condition[],
): ClassRule => ({
  label: WATER_LABELS[key],
  name,
  color: WATER_COLORS[key],
  all,
  ...(isOn ? {} : { off: true }),
});

/** Whether water was rough on a date, and the other polarisation tells it. */
const isRough = (bodies: readonly unknown[], at: WaterThresholds): boolean =>
  bodies.length > 0 && at.cross !== null;

function newWater({ signs, decided, at, isPerhapsWind }: Found): ClassRule[] {
  const became = [
    when("measure", "<", at.change),
    when("after", "<", at.dark),
    when("before", ">", at.dryBefore),
    when("measureNear", "<", at.changeNear),
    when("afterNear", "<", Math.max(at.nearAfter, at.dryAfter)),
    ...(isRough(signs.roughBefore, at) ? [when("crossBefore", ">", at.cross!)] : []),
  ];
  return [
    classOf("newWater", "New water", decided.newWater.length > 0 && !isPerhapsWind, became),
    ...(isPerhapsWind
      ? [classOf("perhapsNew", "New water, or rough before: unsure", true, became)]
      : []),
  ];
}

/** Degrees and metres by which smooth ground must differ from water for a rule to part them. */
const PARTED = { slope: 0.8, drainage: 1.5 } as const;

/** A condition that parts standing water from smooth ground, and whether it does so cell by cell. */
interface Parting {
  condition: Condition | null;
  isClean: boolean;
}

/**
 * What parts standing water from smooth ground that is as dark: slope, or height above drainage,
 * where the means of both differ; clean where four fifths of the cells of either lie on its own side.
 */
function parting({ decided, at }: Found): Parting {
  const alike = decided.unsure.filter(
    ({ before, after }) => before.mean < at.nearBefore && after.mean < at.nearAfter,
  );
  if (alike.length === 0 || decided.standing.length === 0) {
    return { condition: null, isClean: true };
  }
  for (const layer of ["slope", "drainage"] as const) {
    const most = Math.max(...decided.standing.map((body) => body[layer]?.mean ?? Infinity));
    const least = Math.min(...alike.map((body) => body[layer]?.mean ?? -Infinity));
    if (least - most > PARTED[layer]) {
      const middle = (least + most) / 2;
      return {
        condition: when(layer, "<", middle),
        isClean:
          decided.standing.every((body) => body[layer]!.high < middle) &&
          alike.every((body) => body[layer]!.low > middle),
      };
    }
  }
  return { condition: null, isClean: false };
}

/** What standing water is called where smooth ground is as dark and nothing parts the two. */
export const MIXED = "Standing water or smooth ground";

function standing(found: Found): ClassRule {
  const { decided, at } = found;
  const { condition, isClean } = parting(found);
  const name = isClean ? "Standing water" : MIXED;
  return classOf("standing", name, decided.standing.length > 0, [
    when("before", "<", at.dark),
    when("after", "<", at.dark),
    when("beforeNear", "<", at.nearBefore),
    when("afterNear", "<", at.nearAfter),
    ...(condition ? [condition] : []),
  ]);
}

function receded({ signs, decided, at }: Found): ClassRule {
  return classOf("receded", "Receded water", decided.receded.length > 0, [
    when("measure", ">", at.rise),
    when("before", "<", at.dark),
    when("after", ">", at.dryAfter),
    when("measurePeak", ">", at.risePeak),
    when("beforeNear", "<", at.nearBefore),
    ...(isRough(signs.roughAfter, at) ? [when("crossAfter", ">", at.cross!)] : []),
  ]);
}

function floodedPlants({ vegetation, at }: Found): ClassRule[] {
  if (!vegetation) {
    return [];
  }
  return [
    classOf("vegetation", "Flooded vegetation, likely", vegetation.bodies.length > 0, [
      when("measureWide", ">", vegetation.change),
      ...(vegetation.apart === null ? [] : [when("apart", ">", vegetation.apart)]),
      when("before", ">", at.dark),
    ]),
  ];
}

function roughWater({ signs, at }: Found): ClassRule[] {
  const wasRough = isRough(signs.roughBefore, at);
  if (!wasRough && !isRough(signs.roughAfter, at)) {
    return [];
  }
  return [
    classOf("rough", "Water, rough on one date", true, [
      when("crossBefore", "<", at.cross!),
      when("crossAfter", "<", at.cross!),
      wasRough ? when("afterNear", "<", at.nearAfter) : when("beforeNear", "<", at.nearBefore),
    ]),
  ];
}

function unsure({ decided, at }: Found): ClassRule[] {
  if (decided.unsure.length === 0) {
    return [];
  }
  return [
    classOf("unsure", "Dark on both dates, unsure", true, [
      when("before", "<", at.dark - UNSURE),
      when("after", "<", at.dark - UNSURE),
      when("beforeNear", "<", at.dark - UNSURE_NEAR),
      when("afterNear", "<", at.dark - UNSURE_NEAR),
    ]),
  ];
}

/**
 * Classes of water of a pair, with thresholds that it shows. Open water, standing and receded, is
 * always there, off where the pair shows no evidence of it; the others come where there is
 * something of them.
 */
export const waterRules = (found: Found): ClassRule[] => [
  ...newWater(found),
  standing(found),
  receded(found),
  ...floodedPlants(found),
  ...roughWater(found),
  ...unsure(found),
];
