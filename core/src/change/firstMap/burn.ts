import { addToHistogram, emptyHistogram, histogramTotal, quantile } from "../../raster/histogram";
import { around } from "./around";
import { severityRules } from "../presets";
import type { ClassRule, Condition } from "../rules";
import { type Spot, spotsOf } from "./bodies";
import type { Evidence, FirstMap } from "./firstMap";
import { type Unchanged, unchangedOf } from "./unchanged";
import { type Looked, type Note, areaText, missedText, note } from "./words";

/** Layers of a window that a first map of a burn is decided on: means of 3 x 3 cells, NaN = nodata. */
export interface BurnSample {
  width: number;
  height: number;
  before: Float32Array;
  /** Before − after of the burn ratio. */
  measure: Float32Array;
  /** Reflectance in near infrared before, where there is one: where it is dark nothing grew. */
  nirBefore?: Float32Array;
  /** After − before of reflectance, where both dates have the band. */
  red?: Float32Array;
  nir?: Float32Array;
  swir?: Float32Array;
}

/** Burn ratio before, under which nothing grew that could burn. */
const GROWN = 0.1;
/** Loss that a burn has at least over that of unburned ground, and deviations of that. */
const LEAST_LOSS = 0.1;
const LEAST_DEVIATIONS = 4;
const MOST_LOSS = 0.2;
/** Reflectance in near infrared before, under which a ratio is of water or deep shade. */
const DARK_NIR = 0.1;
/**
 * Reflectance by which ground that burned may be brighter in red than the scene, must be darker in
 * near infrared, and may be darker in shortwave infrared. Char is dark in red, bare soil and
 * stubble are bright; shadow darkens all.
 */
const RED_ROOM = 0.04;
const NIR_FALL = 0.025;
const SWIR_ROOM = 0.035;
/** Share of a spot's loss that a season may make up before it is said. */
const SEASON = 0.03;

/** What the rules of a burn go by. */
export interface BurnThresholds {
  /** Loss of unburned plants, which the season takes. */
  offset: number;
  loss: number;
  red: number | null;
  nir: number | null;
  swir: number | null;
}

type Colour = "red" | "nir" | "swir";

/** Median of a layer over plants that lost no more than the season takes; null without the layer. */
function middleOf(
  samples: readonly BurnSample[],
  colour: Colour,
  isUnburned: (sample: BurnSample, i: number) => boolean,
): number | null {
  const histogram = emptyHistogram(-1, 1, 4000);
  for (const sample of samples) {
    const layer = sample[colour];
    if (layer) {
      addToHistogram(
        histogram,
        layer.map((value, i) => (isUnburned(sample, i) ? value : NaN)),
      );
    }
  }
  return histogramTotal(histogram) > 0 ? quantile(histogram, 0.5) : null;
}

/** Whether plants stood on a cell before. */
const hasGrown = ({ before, nirBefore }: BurnSample, i: number): boolean =>
  before[i]! >= GROWN && !(nirBefore && nirBefore[i]! < DARK_NIR);

/** Loss of plants that did not burn. */
function unburned(samples: readonly BurnSample[]): Unchanged {
  const losses = emptyHistogram(-1.5, 1.5, 600);
  for (const sample of samples) {
    addToHistogram(
      losses,
      sample.measure.map((value, i) => (hasGrown(sample, i) ? value : NaN)),
    );
  }
  return unchangedOf(losses, { core: 0.15, none: 0.03 });
}

function thresholdsOf(samples: readonly BurnSample[], still: Unchanged): BurnThresholds {
  const loss = Math.max(LEAST_LOSS, Math.min(MOST_LOSS, LEAST_DEVIATIONS * still.deviation));
  const isStill = (sample: BurnSample, i: number) =>
    hasGrown(sample, i) && Math.abs(sample.measure[i]! - still.middle) < loss;
  // Season and haze move a colour as a whole; what they moved the other way is not given back.
  const beyond = (colour: Colour, room: number) => {
    const middle = middleOf(samples, colour, isStill);
    return middle === null ? null : room + (room > 0 ? Math.max(0, middle) : Math.min(0, middle));
  };
  return {
    offset: still.middle,
    loss,
    red: beyond("red", RED_ROOM),
    nir: beyond("nir", -NIR_FALL),
    swir: beyond("swir", -SWIR_ROOM),
  };
}

/** Loss from which a cell may have burned: never less than where nothing grew or withered. */
const leastLoss = ({ offset, loss }: BurnThresholds): number => Math.max(0, offset) + loss;

/** What a cell that lost as much as burned ground does is. */
type Kind = "burned" | "bare" | "shadow";

function kindOf(sample: BurnSample, at: BurnThresholds, i: number): Kind | null {
  if (!(hasGrown(sample, i) && sample.measure[i]! > leastLoss(at))) {
    return null;
  }
  if (at.nir !== null && !(sample.nir![i]! < at.nir)) {
    return null;
  }
  if (at.red !== null && !(sample.red![i]! < at.red)) {
    return "bare";
  }
  return at.swir !== null && !(sample.swir![i]! > at.swir) ? "shadow" : "burned";
}

/** Spots of a kind, of the smallest patch and larger. */
function spotsOfKind(
  samples: readonly BurnSample[],
  at: BurnThresholds,
  kind: Kind,
  leastCells: number,
): Spot[] {
  return samples.flatMap((sample, k) => {
    const marked = sample.measure.map((_, i) => (kindOf(sample, at, i) === kind ? 1 : 0));
    return spotsOf(sample, k, Uint8Array.from(marked), leastCells);
  });
}

/** Cells around bare ground, and the share of a spot there, by which the spot is its rim. */
const RIM_CELLS = 2;
const RIM_SHARE = 0.5;

/** Spots that are not the rims of bare ground, where its cells and those beside it mix. */
function withoutRims(samples: readonly BurnSample[], burned: Spot[], bare: Spot[]): Spot[] {
  const nearBare = samples.map((sample, k) =>
    around(
      bare.filter((spot) => spot.sample === k).map((spot) => spot.at),
      sample,
      RIM_CELLS,
    ),
  );
  return burned.filter(({ sample, at }) => {
    const near = at.reduce((n, i) => n + nearBare[sample]![i]!, 0);
    return near < RIM_SHARE * at.length;
  });
}

const hundredth = (value: number): number => Math.round(value * 100) / 100;
const thousandth = (value: number): number => Math.round(value * 1000) / 1000;

/**
 * Share of the season's change that a break is moved by. Season changes what still grows: all of it
 * at the lowest break, hardly any at the highest, where what grew is char.
 */
function seasonShare(value: number, breaks: readonly number[]): number {
  const lowest = Math.min(...breaks);
  const highest = Math.max(...breaks);
  return highest > lowest ? (highest - value) / (highest - lowest) : 1;
}

/** The published severities, moved by what the season takes, of what is dark in red as char is. */
function burnRules(at: BurnThresholds, isFound: boolean): ClassRule[] {
  const char: Condition[] = [
    ...(at.red === null
      ? []
      : [{ layer: "redChange" as const, op: "<" as const, value: thousandth(at.red) }]),
    ...(at.nir === null
      ? []
      : [{ layer: "nirChange" as const, op: "<" as const, value: thousandth(at.nir) }]),
    ...(at.swir === null
      ? []
      : [{ layer: "swirChange" as const, op: ">" as const, value: thousandth(at.swir) }]),
  ];
  const severities = severityRules();
  const isGrowthRule = (rule: ClassRule) => rule.all[0]!.op === "<";
  const breaks = severities
    .filter((rule) => !isGrowthRule(rule))
    .flatMap(({ all }) => all.filter(({ layer }) => layer === "measure"))
    .map(({ value }) => value);
  return severities.map((rule) => {
    const isGrowth = isGrowthRule(rule);
    const all = rule.all.map((one) => {
      if (one.layer !== "measure") {
        return one;
      }
      const season = isGrowth
        ? Math.min(0, at.offset)
        : Math.max(0, at.offset) * seasonShare(one.value, breaks);
      const moved = one.value + season;
      return { ...one, value: hundredth(isGrowth ? moved : Math.max(leastLoss(at), moved)) };
    });
    return {
      ...rule,
      all: isGrowth ? all : [...all, ...char],
      ...(isFound && !isGrowth ? {} : { off: true }),
    };
  });
}

interface Told {
  burned: Spot[];
  bare: Spot[];
  shadow: Spot[];
  at: BurnThresholds;
  looking: Looked;
}

function burnNotes({ burned, bare, shadow, at, looking }: Told): Note[] {
  const cells = (spots: readonly Spot[]) => spots.reduce((sum, spot) => sum + spot.at.length, 0);
  const area = (spots: readonly Spot[]) => areaText(cells(spots), looking);
  const missed = missedText(looking, `lost less than ${at.loss.toFixed(2)} of the burn ratio`);
  const hasColours = at.red !== null && at.nir !== null;
  return [
    burned.length > 0
      ? note("found", `About ${area(burned)} burned. ${missed}`)
      : note("none", `No sign of a burn in this pair. ${missed}`),
    ...(hasColours
      ? []
      : [
          note(
            "doubt",
            "Without red and near infrared on both dates harvested fields cannot be told from burned ground.",
          ),
        ]),
    ...(bare.length > 0
      ? [
          note(
            "doubt",
            `${area(bare)} lost as much of the burn ratio but are bright in red, as stubble and bare soil are: taken for harvested or cleared, and left out.`,
          ),
        ]
      : []),
    ...(shadow.length > 0
      ? [
          note(
            "doubt",
            `${area(shadow)} became darker in every band, as under the shadow of a cloud, and are left out.`,
          ),
        ]
      : []),
    ...(Math.abs(at.offset) > SEASON
      ? [
          note(
            "doubt",
            `Plants all over the scene changed by ${at.offset.toFixed(2)} of the burn ratio, as seasons and haze make them: the lowest break is moved by that, higher ones by less.`,
          ),
        ]
      : []),
  ];
}

/**
 * Severities of a burn to begin with. The published breaks of dNBR take bare fields, cloud shadow
 * and the season for fire: char is told by staying dark in red while near infrared falls, and the
 * loss of unburned plants is taken off. Where nothing burned every class is off.
 */
export function firstBurnMap(samples: readonly BurnSample[], looking: Looked): FirstMap {
  const still = unburned(samples);
  const at = thresholdsOf(samples, still);
  const spots = (kind: Kind) => spotsOfKind(samples, at, kind, looking.leastCells);
  const bare = spots("bare");
  const told: Told = {
    burned: withoutRims(samples, spots("burned"), bare),
    bare,
    shadow: spots("shadow"),
    ...{ at, looking },
  };
  const isFound = told.burned.length > 0;
  const evidence: Evidence = {
    found: isFound,
    heaps: null,
    unit: "",
    unchanged: still,
    smallestM2: looking.leastCells * looking.cellM ** 2,
    weakest: at.loss,
    notes: burnNotes(told),
  };
  return { rules: burnRules(at, isFound), limits: {}, evidence };
}
