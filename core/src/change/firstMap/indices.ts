import { addToHistogram, emptyHistogram } from "../../raster/histogram";
import { gainLossRules, openWaterRules } from "../presets";
import type { ClassRule } from "../rules";
import { type Spot, spotsOf } from "./bodies";
import type { FirstMap } from "./firstMap";
import { type Unchanged, unchangedOf } from "./unchanged";
import { type Looked, type Note, areaText, missedText, note } from "./words";

/** Layers of a window that a first map of an index is decided on: means of 3 x 3 cells. */
export interface IndexSample {
  width: number;
  height: number;
  before: Float32Array;
  after: Float32Array;
  measure: Float32Array;
}

/** What the numbers are. */
export interface IndexWords {
  /** Whether they are an index between −1 and 1, for which a usual break is known. */
  isIndex: boolean;
  /** Whether loss counts upwards. */
  lossUp: boolean;
}

/** A change of an index that counts, where unchanged ground does not spread farther. */
const USUAL_BREAK = 0.2;
/** Deviations under which a change is noise. */
const NOISE = 3;
/** Share of the usual break that the season may take before it is said. */
const SEASON = 0.25;
const BINS = 600;

/** Root mean squares from nought within which nearly all changes lie. */
const ROOT_MEANS = 5;

/** How far from nought nearly all changes lie. */
function endOf(samples: readonly IndexSample[]): number {
  let squares = 0;
  let n = 0;
  for (const { measure } of samples) {
    for (const value of measure) {
      if (value === value) {
        squares += value * value;
        n++;
      }
    }
  }
  return n > 0 && squares > 0 ? ROOT_MEANS * Math.sqrt(squares / n) : 1;
}

function unchangedIn(samples: readonly IndexSample[]): Unchanged {
  const end = endOf(samples);
  const histogram = emptyHistogram(-end, end, BINS);
  for (const { measure } of samples) {
    addToHistogram(histogram, measure);
  }
  return unchangedOf(histogram, { core: end / 3, none: end / 10 });
}

/** Spots in which something holds. */
const spotsWhere = (
  samples: readonly IndexSample[],
  leastCells: number,
  holds: (sample: IndexSample, i: number) => boolean,
): Spot[] =>
  samples.flatMap((sample, k) => {
    const marked = Uint8Array.from(sample.measure, (_, i) => (holds(sample, i) ? 1 : 0));
    return spotsOf(sample, k, marked, leastCells);
  });

const cellsIn = (spots: readonly Spot[]): number =>
  spots.reduce((sum, { at }) => sum + at.length, 0);

const withEvidence = (rule: ClassRule, isFound: boolean): ClassRule =>
  isFound ? rule : { ...rule, off: true };

/** A number in as many digits as tell it from its neighbours on a scale. */
const roundedOn = (scale: number, value: number): number => {
  const decimals = Math.max(2, Math.ceil(-Math.log10(scale)) + 2);
  return Number(value.toFixed(Math.min(12, decimals)));
};

/**
 * Gain and loss of an index or of any number. What the season did to all of a scene is no change:
 * break points lie beyond what unchanged ground did, never on the wrong side of nought.
 */
export function firstGainLossMap(
  samples: readonly IndexSample[],
  { isIndex, lossUp }: IndexWords,
  looking: Looked,
): FirstMap {
  const still = unchangedIn(samples);
  const at = Math.max(isIndex ? USUAL_BREAK : 0, NOISE * still.deviation);
  const down = roundedOn(at, Math.min(0, still.middle) - at);
  const up = roundedOn(at, Math.max(0, still.middle) + at);
  const fell = spotsWhere(samples, looking.leastCells, ({ measure }, i) => measure[i]! < down);
  const rose = spotsWhere(samples, looking.leastCells, ({ measure }, i) => measure[i]! > up);
  const rules = gainLossRules(null, lossUp, isIndex).map((rule) => {
    const isUp = rule.all[0]!.op === ">";
    const placed = { ...rule, all: [{ ...rule.all[0]!, value: isUp ? up : down }] };
    return withEvidence(placed, (isUp ? rose : fell).length > 0);
  });
  const [lost, gained] = lossUp ? [rose, fell] : [fell, rose];
  const isFound = lost.length + gained.length > 0;
  const notes: Note[] = [changeNote(lost, gained, at, looking)];
  if (isIndex && Math.abs(still.middle) > SEASON * USUAL_BREAK) {
    notes.push(
      note(
        "doubt",
        `All of the scene changed by about ${still.middle.toFixed(2)}, as seasons make it: only what goes beyond that by ${at.toFixed(2)} is taken for change.`,
      ),
    );
  }
  return { rules, limits: {}, evidence: evidenceOf(isFound, still, at, notes, looking) };
}

function changeNote(
  lost: readonly Spot[],
  gained: readonly Spot[],
  at: number,
  looking: Looked,
): Note {
  const missed = missedText(looking, `changed by less than ${at.toPrecision(2)}`);
  const said = [
    ...(lost.length > 0 ? [`${areaText(cellsIn(lost), looking)} lost`] : []),
    ...(gained.length > 0 ? [`${areaText(cellsIn(gained), looking)} gained`] : []),
  ].join(", ");
  return said
    ? note("found", `About ${said}. ${missed}`)
    : note("none", `No sign of gain or loss in this pair. ${missed}`);
}

const evidenceOf = (
  found: boolean,
  unchanged: Unchanged,
  weakest: number,
  notes: Note[],
  { leastCells, cellM }: Looked,
): FirstMap["evidence"] => ({
  ...{ found, unchanged, weakest, notes },
  heaps: null,
  unit: "",
  smallestM2: leastCells * cellM ** 2,
});

/** How far on either side of nought an index must lie for water to have come or gone. */
const WATER_STEP = 0.1;

/** New, standing and receded water by a water index, over nought on water. */
export function firstOpenWaterMap(samples: readonly IndexSample[], looking: Looked): FirstMap {
  const still = unchangedIn(samples);
  const step = Math.max(WATER_STEP, NOISE * still.deviation);
  const find = (holds: (sample: IndexSample, i: number) => boolean) =>
    spotsWhere(samples, looking.leastCells, holds);
  const hasChanged = ({ before, after }: IndexSample, i: number) =>
    Math.abs(after[i]! - before[i]!) > step;
  const found = [
    find((one, i) => one.before[i]! <= 0 && one.after[i]! > 0 && hasChanged(one, i)),
    find(({ before, after }, i) => before[i]! > 0 && after[i]! > 0),
    find((one, i) => one.before[i]! > 0 && one.after[i]! <= 0 && hasChanged(one, i)),
  ] as const;
  const [came, , went] = found;
  const missed = missedText(looking, `changed by less than ${step.toFixed(2)} of the index`);
  const said = [
    ...(came.length > 0 ? [`${areaText(cellsIn(came), looking)} became open water`] : []),
    ...(went.length > 0 ? [`${areaText(cellsIn(went), looking)} of open water fell dry`] : []),
  ].join(", ");
  const notes = [
    said
      ? note("found", `About ${said}. ${missed}`)
      : note("none", `No sign of open water change in this pair. ${missed}`),
    ...(came.length > 0
      ? [
          note(
            "doubt",
            "The shadow of a cloud or of a hill can look like water by an index alone: mask cloud in Prepare.",
          ),
        ]
      : []),
  ];
  return {
    rules: openWaterRules().map((rule, k) => withEvidence(rule, found[k]!.length > 0)),
    limits: {},
    evidence: evidenceOf(said !== "", still, step, notes, looking),
  };
}
