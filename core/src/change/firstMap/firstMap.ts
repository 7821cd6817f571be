import type { Limits } from "../limits/all";
import type { ClassRule } from "../rules";
import type { ChangeSetup } from "../setup";
import { around } from "./around";
import type { Body, Sample } from "./bodies";
import { type Decided, cellsIn, decide, evenBefore } from "./decide";
import { type Heaps, HalvedHistogram, heapsAt } from "./heaps";
import { MIXED, WATER_LABELS, waterRules } from "./rules";
import { type Looking, type Signs, leastChange, signsOf } from "./signs";
import { type WaterThresholds, thresholdsOf } from "./thresholds";
import { type Note, waterNotes } from "./words";
import { besideCells, vegetationOf } from "./vegetation";

/** What a pair is looked at with. */
export interface Asked extends Looking {
  /** Earlier dates of the samples, in their order. */
  otherIds: readonly string[];
  /** Whether the samples are all of the pair, or only a part. */
  isWhole: boolean;
  /** Whether the power is calibrated, so that levels of water are known. */
  isPhysical: boolean;
}

/** What a first map rests on. */
export interface Evidence {
  /** Whether anything is shown that a map could be made of. */
  found: boolean;
  /** New water beside the ground around it; null where there is none. */
  heaps: Heaps | null;
  /** Unit of the change: decibels, or none. */
  unit: "dB" | "";
  /** Middle and spread of the change of unchanged ground, means of the sample's windows. */
  unchanged: { middle: number; deviation: number };
  /** Smallest body, square metres, and weakest change that this pair could have shown. */
  smallestM2: number;
  weakest: number;
  /** In words, the most important first. */
  notes: Note[];
}

/** Classes and limits to begin with, and what they rest on. */
export interface FirstMap {
  rules: ClassRule[];
  limits: Pick<Limits, "standing" | "beside">;
  evidence: Evidence;
}

/** Settings with the classes of a first map, and the limits that they need. */
export const withFirstMap = (
  setup: ChangeSetup,
  { rules, limits }: Pick<FirstMap, "rules" | "limits">,
): ChangeSetup => ({ ...setup, rules, limits: { ...setup.limits, ...limits } });

/** Cells around new water that its heap is held against. */
const BESIDE_CELLS = 8;
const BINS = 240;
const ENDS = [-30, 30] as const;
/** Decibels that a threshold is moved to see what hangs on it. */
const STEP = 0.5;

/** Share of the new water from which on a lake in wind explains it better than a flood. */
const MOSTLY = 0.8;

/**
 * Whether new water may as well be a lake that wind roughened before: nearly all of it was as even
 * as water is, and neither another polarisation nor an earlier date tells.
 */
function isPerhapsWind(
  signs: Signs,
  decided: Decided,
  at: WaterThresholds,
  { otherIds }: Asked,
): boolean {
  const isTold = at.cross !== null || otherIds.length > 0;
  const all = cellsIn(decided.newWater);
  return !isTold && all > 0 && cellsIn(evenBefore(decided, signs)) >= MOSTLY * all;
}

/** How new water stands out from what lies around it. */
function heapsOf(
  samples: readonly Sample[],
  bodies: readonly Body[],
  at: WaterThresholds,
): Heaps | null {
  if (bodies.length === 0) {
    return null;
  }
  const counted = new HalvedHistogram(ENDS[0], ENDS[1], BINS);
  samples.forEach((sample, k) => {
    const own = bodies.filter((body) => body.sample === k).map((body) => body.at);
    const isBeside = around(own, sample, BESIDE_CELLS);
    const { before, after, width } = sample;
    counted.add(
      after.map((value, i) =>
        isBeside[i] && before[i]! > at.dryBefore ? value - before[i]! : NaN,
      ),
      width,
    );
  });
  return heapsAt(counted.whole, at.change, STEP, counted.halves);
}

/** Limits that a first map needs: water known from other dates, and plants only beside the flood. */
function limitsOf(
  signs: Signs,
  at: WaterThresholds,
  hasPlants: boolean,
  newWater: number,
  { otherIds, cellM }: Asked,
): FirstMap["limits"] {
  const isKnownByOthers = signs.roughBefore.length > 0 && otherIds.length > 0;
  return {
    standing: isKnownByOthers
      ? {
          sceneIds: [...otherIds],
          op: "<",
          value: Math.round(at.dark * 10) / 10,
          label: WATER_LABELS.newWater,
        }
      : null,
    beside: hasPlants
      ? {
          label: WATER_LABELS.vegetation,
          of: newWater,
          withinCells: besideCells(cellM),
        }
      : null,
  };
}

/**
 * Classes of open water to begin with, from what a pair of radar dates shows: which of them are
 * there, and thresholds by the levels of land and of water that both dates know. A class for which
 * there is no evidence is off, so that the map of a pair in which nothing happened is empty.
 */
export function firstWaterMap(samples: readonly Sample[], asked: Asked): FirstMap {
  const signs = signsOf(samples, asked);
  const decided: Decided = decide(signs, asked.levels);
  const at = thresholdsOf(signs, decided, asked.levels);
  const vegetation = vegetationOf(samples, decided.newWater, signs, asked);
  const heaps = heapsOf(samples, decided.newWater, at);
  const isPerhaps = isPerhapsWind(signs, decided, at, asked);
  const evidence: Omit<Evidence, "notes"> = {
    found: (decided.newWater.length > 0 && !isPerhaps) || decided.receded.length > 0,
    heaps,
    unit: "dB",
    unchanged: signs.unchanged,
    smallestM2: asked.leastCells * asked.cellM ** 2,
    weakest: leastChange(signs.unchanged),
  };
  const rules = waterRules({ signs, decided, vegetation, at, isPerhapsWind: isPerhaps });
  return {
    rules,
    limits: limitsOf(
      signs,
      at,
      vegetation !== null && vegetation.bodies.length > 0,
      isPerhaps ? WATER_LABELS.perhapsNew : WATER_LABELS.newWater,
      asked,
    ),
    evidence: {
      ...evidence,
      notes: waterNotes({
        ...{ signs, decided, at, asked, evidence, isPerhapsWind: isPerhaps },
        isMixed: rules.some(({ name }) => name === MIXED),
        plants: vegetation ? cellsIn(vegetation.bodies) : 0,
      }),
    },
  };
}
