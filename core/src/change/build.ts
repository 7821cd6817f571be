import { sharpened } from "../chain/smoothing";
import type { DoubtFrom } from "../doubt/mapDoubt";
import { InputError } from "../errors";
import { nameInFormula } from "../formula/datedNames";
import type { BandInfo } from "../graph/image";
import { type NodeSpec, node, sourceNode } from "../graph/node";
import { onGrid } from "../graph/onGrid";
import { type Grid, squareNorthUp } from "../grid/grid";
import { type Colour, colourOf } from "../optical/wavelengths";
import { usualBands } from "./bands";
import { type Comparing, comparingOf } from "./comparing";
import { type BuildContext, RULE_LAYERS, needsElevation } from "./layers";
import { limitsSet } from "./limits/all";
import type { AskedOfSecond, LimitWork } from "./limits/limit";
import { type AnyMeasure, anyWords, measureOf, wordsFor, wordsOn } from "./measures/all";
import { FEWEST_NORMAL } from "../normal/departure";
import type { BandUse, DateNodes, SeriesNodes, SeveralBands } from "./measures/measure";
import { type Layer, rulesOn } from "./rules";
import { isSharp } from "./speckle";
import {
  type ChangeInputs,
  type ChangeNodes,
  type ChangeSetup,
  type ChangeSide,
  type Grouping,
  type StoredClasses,
  sameBand,
} from "./setup";
import { type Transitions, classesOfTransitions } from "./transitions";

/**
 * Bands of before that take part, and those of after that are the same. @throws InputError when
 * after lacks one that was picked
 */
function severalBands(
  inputs: ChangeInputs,
  setup: ChangeSetup,
  use: BandUse,
): { before: number[]; after: number[] } {
  const { bands } = inputs.before.info;
  const own = use !== "formula" && setup.bands?.length ? setup.bands : null;
  const picked = own ?? usualBands(bands, setup.band, use);
  const before: number[] = [];
  const after: number[] = [];
  for (const k of picked) {
    const band = bands[k];
    if (!band) {
      throw new InputError(`The before scene has no band ${k + 1}`, "bands");
    }
    try {
      const a = sameBand(band, inputs.after.info);
      before.push(k);
      after.push(a);
    } catch (error) {
      if (own) {
        throw error;
      }
    }
  }
  if (!before.length) {
    throw new InputError("Both dates have no band in common", "bands");
  }
  return { before, after };
}

/** A date on the grid of a map: see `dateNodes`. */
interface DateOnGrid extends DateNodes {
  /** What of it is drawn. */
  shown: NodeSpec;
}

/**
 * Bands of one date on a grid, without what blurs banks in its chain unless the settings keep it: as
 * they are, with speckle filtered where they are power, and in decibels then; classes as their numbers.
 * Bands of one kind only.
 */
export function dateNodes(
  side: ChangeSide,
  bands: readonly number[],
  grid: Grid,
  speckle: ChangeSetup["speckle"],
): DateOnGrid {
  const comparing = comparingOf(side.info.bands[bands[0]!]!);
  if (comparing === "class") {
    const raw = onGrid(side.node, side.info, grid);
    const numbers = node("classes.numbers", {}, raw);
    return { raw, power: numbers, db: numbers, shown: raw };
  }
  const image = isSharp(speckle) ? sharpened(side.node) : side.node;
  const raw = onGrid(node("bands.select", { bands }, image), side.info, grid);
  if (comparing === "value") {
    return { raw, power: raw, db: raw, shown: raw };
  }
  let power: NodeSpec;
  if (speckle.filter === "lee") {
    power = node("radar.lee", { windowCells: speckle.windowCells, looks: speckle.looks }, raw);
  } else if (speckle.filter === "refinedLee") {
    power = node("radar.refinedLee", { looks: speckle.looks }, raw);
  } else {
    power = raw;
  }
  const db = node("radar.decibel", {}, power);
  return { raw, power, db, shown: db };
}

/** Bands of both dates that are compared. */
interface Pair {
  /** Whether they are pictures, and not classes. */
  hasPictures: boolean;
  before: DateOnGrid;
  after: DateOnGrid;
  /** The same band of another date. @throws InputError */
  other(side: ChangeSide): DateOnGrid;
  /** Several bands of both dates. @throws InputError */
  several(use: BandUse): SeveralBands;
  series(): SeriesNodes;
  /** Reflectance of both dates in a colour; null where they have none in common. */
  colour(colour: Colour): { before: NodeSpec; after: NodeSpec } | null;
  /** The other polarisation of both dates; null where they have none in common. */
  cross(): { before: NodeSpec; after: NodeSpec } | null;
}

const HELD: Record<Comparing, string> = {
  power: "radar power",
  value: "plain numbers",
  class: "classes",
};

/** What a measure is taken of, in words. */
const takenOf = (part: AnyMeasure): string =>
  (["power", "value", "class"] as const)
    .filter((one) => wordsFor(part, one) !== null)
    .map((one) => HELD[one])
    .join(" or ");

/** @throws InputError when the band cannot be compared, or not by the measure */
function requireBand(inputs: ChangeInputs, setup: ChangeSetup): BandInfo {
  const band = inputs.before.info.bands[setup.band];
  if (!band) {
    throw new InputError(`The before scene has no band ${setup.band + 1}`, "band");
  }
  const comparing = comparingOf(band);
  if (!comparing) {
    throw new InputError(
      `Band ${band.name} of the before scene is ${band.role}: it cannot be compared`,
      "band",
      "Change is measured on calibrated linear power, on reflectance or on an index.",
    );
  }
  const part = measureOf(setup.measure);
  if (!wordsOn(part, band)) {
    throw new InputError(
      `${anyWords(part).name} is taken of ${takenOf(part)}, and ${band.name} holds ${HELD[comparing]}`,
      "measure",
      "Pick another measure.",
    );
  }
  return band;
}

/** Dates of the series as they are compared. @throws InputError where too few tell what is normal */
function seriesOf({ series }: ChangeInputs, of: (side: ChangeSide) => NodeSpec): SeriesNodes {
  const { normal, watched } = series ?? { normal: [], watched: [] };
  if (normal.length < FEWEST_NORMAL || watched.length === 0) {
    throw new InputError(
      `${normal.length} prepared dates up to before tell what is normal: it takes ${FEWEST_NORMAL} or more, and one after`,
      "measure",
      "Import and prepare earlier dates of the same view, or widen the time of year.",
    );
  }
  return {
    normal: normal.map(of),
    watched: watched.map(({ side, day }) => ({ node: of(side), day })),
  };
}

/** Places of the first other polarisation that both dates have; null where there is none. */
export function otherPolarisation(
  { before, after }: Record<"before" | "after", Pick<ChangeSide, "info">>,
  band: BandInfo,
): { before: number; after: number } | null {
  for (const [k, one] of before.info.bands.entries()) {
    const isOther = one.role === "power" && one.polarisation !== band.polarisation;
    const there = after.info.bands.findIndex(
      ({ role, polarisation }) => role === "power" && polarisation === one.polarisation,
    );
    if (band.polarisation && one.polarisation && isOther && there >= 0) {
      return { before: k, after: there };
    }
  }
  return null;
}

/** Places of the band of reflectance in a colour; null where a date has none. */
export function bandsOfColour(
  { before, after }: Record<"before" | "after", Pick<ChangeSide, "info">>,
  colour: Colour,
): { before: number; after: number } | null {
  const placeIn = ({ info }: Pick<ChangeSide, "info">) =>
    info.bands.findIndex((band) => band.role === "reflectance" && colourOf(band) === colour);
  const found = { before: placeIn(before), after: placeIn(after) };
  return found.before >= 0 && found.after >= 0 ? found : null;
}

function pairOf(inputs: ChangeInputs, setup: ChangeSetup, grid: Grid): Pair {
  const first = requireBand(inputs, setup);
  const dateOf = (side: ChangeSide, bands: number[]) => dateNodes(side, bands, grid, setup.speckle);
  const alike = (side: ChangeSide, what: string, k: number) => {
    const band = side.info.bands[k]!;
    if (comparingOf(band) !== comparingOf(first)) {
      throw new InputError(
        `Band ${band.name} of the ${what} scene is ${band.role}, that of before is ${first.role}`,
        "band",
        "Compare the same kind of image on both dates.",
      );
    }
    return dateOf(side, [k]);
  };
  return {
    hasPictures: comparingOf(first) !== "class",
    before: alike(inputs.before, "before", setup.band),
    after: alike(inputs.after, "after", sameBand(first, inputs.after.info)),
    other: (side) => alike(side, "other", sameBand(first, side.info)),
    colour(colour) {
      const found = bandsOfColour(inputs, colour);
      return (
        found && {
          before: dateOf(inputs.before, [found.before]).raw,
          after: dateOf(inputs.after, [found.after]).raw,
        }
      );
    },
    cross() {
      const found = otherPolarisation(inputs, first);
      return (
        found && {
          before: dateOf(inputs.before, [found.before]).db,
          after: dateOf(inputs.after, [found.after]).db,
        }
      );
    },
    series: () => seriesOf(inputs, (side) => alike(side, "other", sameBand(first, side.info)).db),
    several(use) {
      const picked = severalBands(inputs, setup, use);
      const before = dateOf(inputs.before, picked.before);
      const after = dateOf(inputs.after, picked.after);
      return {
        before: before.db,
        after: after.db,
        raw: { before: before.raw, after: after.raw },
        names: picked.before.map((k) => nameInFormula(inputs.before.info.bands[k]!)),
      };
    },
  };
}

type Layers = ChangeNodes["layers"];
/**
 * Layers beside both dates and their measure: those that rules can ask for, then those that limits
 * bring along. @throws InputError where one that is asked for cannot be had
 */
function layersOf(context: BuildContext): Layers {
  const layers: Layers = RULE_LAYERS.flatMap(({ name, node: layer }) => {
    const found = layer(context);
    return found ? [{ name, node: found }] : [];
  });
  for (const { part, own } of limitsSet(context.setup.limits)) {
    if (part.work.on === "layer") {
      const { layer, node: made } = part.work;
      if (made) {
        layers.push({ name: layer, node: made(own, context) });
      } else if (!layers.some(({ name }) => name === layer)) {
        needsElevation(
          `The ${part.name.toLowerCase()} limit`,
          `limits.${Object.keys(part.shape)[0]}`,
        );
      }
    }
  }
  return layers;
}

const masked = (image: NodeSpec, masks: readonly NodeSpec[]): NodeSpec =>
  masks.length > 0 ? node("bands.mask", {}, image, ...masks) : image;

/**
 * The map as its classes come about, and after each limit of what is looked at.
 * @param made the map inside some masks
 */
function stagesInside(
  masks: ChangeNodes["masks"],
  made: (inside: readonly NodeSpec[]) => NodeSpec,
): ChangeNodes["stages"] {
  const inside = masks.map((mask) => mask.node);
  return ["rules" as const, ...masks.map(({ name }) => name)].map((name, k) => ({
    name,
    node: made(inside.slice(0, k)),
  }));
}

/** Layers of rules that say something of their own: those of the cells around say what the cells say. */
const LOOKED_AT: readonly Layer[] = [
  "crossBefore",
  "crossAfter",
  "redChange",
  "nirChange",
  "swirChange",
];

/** What classes by rules are looked at in: both dates, the measure, and colours that rules ask for. */
function lookedAt(setup: ChangeSetup, { before, after }: Pair, measure: NodeSpec, layers: Layers) {
  const isRound = measureOf(setup.measure).circular ?? false;
  const asked = layers.filter(({ name }) => LOOKED_AT.some((one) => one === name));
  const values = [before.db, after.db, ...(isRound ? [] : [measure])];
  return node("bands.join", {}, ...values, ...asked.map((layer) => layer.node));
}

/** Classes as the rules give them, and the map after each limit of what is looked at. */
function classesByRule(
  setup: ChangeSetup,
  { stack, masks, values }: { stack: NodeSpec; masks: ChangeNodes["masks"]; values: NodeSpec },
) {
  const stages = stagesInside(masks, (inside) =>
    node("change.classes", { rules: rulesOn(setup.rules) }, masked(stack, inside)),
  );
  const doubtFrom: DoubtFrom = { kind: "cells", values };
  return { raw: stages.at(-1)!.node, stages, groups: null, doubtFrom };
}

/** Classes that were picked from groups of like cells. */
function classesByGroups(
  { of, classes, ...params }: Grouping,
  measure: NodeSpec,
  pair: Pair,
  masks: ChangeNodes["masks"],
) {
  const both = pair.several(of === "measure" ? "measure" : "groups");
  const images: Record<Grouping["of"], () => NodeSpec> = {
    measure: () => measure,
    before: () => both.before,
    after: () => both.after,
    both: () => node("bands.join", {}, both.before, both.after),
    differences: () => node("change.differences", {}, both.before, both.after),
  };
  const values = images[of]();
  const image = masked(
    values,
    masks.map((mask) => mask.node),
  );
  const groups = node("classify.groups", params, image);
  const raw = node("classify.pick", { classes }, groups);
  const stages: ChangeNodes["stages"] = [{ name: "rules", node: raw }];
  const doubtFrom: DoubtFrom = { kind: "cells", values };
  return { raw, stages, groups: { groups, before: both.before, after: both.after }, doubtFrom };
}

/** @throws InputError where a classified date is not there */
function coversOf({ covers }: ChangeInputs, grid: Grid): { before: NodeSpec; after: NodeSpec } {
  if (!covers) {
    throw new InputError(
      "A classified date of this map is not in the study, or not ready",
      "transitions",
      "Pick two classified dates under Tally, From–to.",
    );
  }
  const on = ({ id, info }: StoredClasses) => onGrid(sourceNode(id), info, grid);
  return { before: on(covers.before), after: on(covers.after) };
}

/** Classes that are transitions between two classified dates, after each limit of what is looked at. */
function classesByTransitions(
  transitions: Transitions,
  { before, after }: { before: NodeSpec; after: NodeSpec },
  masks: ChangeNodes["masks"],
  pair: Pair,
) {
  const classes = classesOfTransitions(transitions);
  const become = (inside: readonly NodeSpec[]) =>
    node(
      "cover.fromTo",
      { classes: transitions.classes, unpairedOut: true },
      before,
      after,
      ...inside,
    );
  const stages = stagesInside(masks, (inside) =>
    node("classify.pick", { classes }, become(inside)),
  );
  const groups = become(masks.map((mask) => mask.node));
  const seen = pair.hasPictures ? pair.several("groups") : null;
  const doubtFrom: DoubtFrom | null = seen && {
    kind: "dates",
    transitions,
    before: { labels: before, values: seen.before },
    after: { labels: after, values: seen.after },
  };
  return { raw: stages.at(-1)!.node, stages, groups: { groups, before, after }, doubtFrom };
}

const layerNamed = (layers: Layers, wanted: string): NodeSpec =>
  layers.find(({ name }) => name === wanted)!.node;

/** What the second sensor says of the classes; null where nothing is asked of it. */
function confirmedNode(
  { second }: ChangeSetup,
  classes: NodeSpec,
  layers: Layers,
): NodeSpec | null {
  if (!second?.confirms) {
    return null;
  }
  const { layer, ...params } = second.confirms;
  return node("change.confirmed", params, classes, layerNamed(layers, layer));
}

/** The map after each limit that works on classes, from the classes before them. */
function limited(
  raw: NodeSpec,
  { limits, second }: ChangeSetup,
  layers: Layers,
): ChangeNodes["stages"] {
  const confirms = second?.confirms;
  const asked = confirms ? { ...confirms, node: layerNamed(layers, confirms.layer) } : null;
  const stages: ChangeNodes["stages"] = [];
  let classes = raw;
  for (const { part, own } of limitsSet(limits)) {
    const next = limitedBy(part.work, own, classes, { layers, asked });
    if (next) {
      classes = next;
      stages.push({ name: part.key, node: classes });
    }
  }
  return stages;
}

/** Classes after one limit; null where it does not work on classes, or drops nothing. */
function limitedBy(
  work: LimitWork<object>,
  own: object,
  classes: NodeSpec,
  { layers, asked }: { layers: Layers; asked: AskedOfSecond | null },
): NodeSpec | null {
  if (work.on === "classes") {
    return work.node(own, classes, asked);
  }
  const bound = work.on === "layer" ? work.bound(own) : null;
  if (work.on === "mask" || !bound) {
    return null;
  }
  const { min, max, labels } = bound;
  const params = {
    layer: work.layer,
    ...(min != null ? { min } : {}),
    ...(max != null ? { max } : {}),
    ...(labels ? { labels } : {}),
  };
  return node("limit.layer", params, classes, layerNamed(layers, work.layer));
}

/** Classes by what the settings say that they come from. */
function classesBy(
  inputs: ChangeInputs,
  setup: ChangeSetup,
  made: {
    grid: Grid;
    measure: NodeSpec;
    pair: Pair;
    stack: NodeSpec;
    masks: ChangeNodes["masks"];
    layers: Layers;
  },
): Pick<ChangeNodes, "raw" | "stages" | "groups" | "doubtFrom"> {
  const { grid, measure, pair, stack, masks, layers } = made;
  if (setup.transitions) {
    return classesByTransitions(setup.transitions, coversOf(inputs, grid), masks, pair);
  }
  if (setup.groups) {
    return classesByGroups(setup.groups, measure, pair, masks);
  }
  const values = lookedAt(setup, pair, measure, layers);
  return classesByRule(setup, { stack, masks, values });
}

/**
 * The graph of a comparison. before and after are in decibels where they are power, else in their
 * own unit; rules see them under those names.
 * @throws InputError when a band is missing or a limit needs what is not there
 */
export function buildChange(inputs: ChangeInputs, setup: ChangeSetup): ChangeNodes {
  const grid = squareNorthUp(inputs.before.info.grid);
  const pair = pairOf(inputs, setup, grid);
  const { before, after, several, series } = pair;
  const measure = measureOf(setup.measure).node({ before, after, several, series }, setup);
  const context: BuildContext = {
    inputs,
    setup,
    grid,
    before: before.raw,
    after: after.raw,
    seen: { before: before.db, after: after.db, measure },
    cross: pair.cross(),
    colour: pair.colour,
    dateOf: (side) => pair.other(side).db,
  };
  const layers = layersOf(context);
  const stack = node(
    "bands.stack",
    { names: ["before", "after", "measure", ...layers.map((layer) => layer.name)] },
    before.db,
    after.db,
    measure,
    ...layers.map((layer) => layer.node),
  );
  const masks = limitsSet(setup.limits).flatMap(({ part, own }) =>
    part.work.on === "mask" ? [{ name: part.key, node: part.work.node(own, context) }] : [],
  );
  const made = { grid, measure, pair, stack, masks, layers };
  const { raw, stages, groups, doubtFrom } = classesBy(inputs, setup, made);
  const all = [...stages, ...limited(raw, setup, layers)];
  const named = (name: string) => layers.find((layer) => layer.name === name)?.node ?? null;
  const classes = all.at(-1)!.node;
  return {
    before: before.shown,
    after: after.shown,
    measure,
    slope: named("slope"),
    elevation: named("elevation"),
    layers,
    stack,
    masks,
    gated: masked(
      stack,
      masks.map((mask) => mask.node),
    ),
    groups,
    doubtFrom,
    raw,
    classes,
    confirmed: confirmedNode(setup, classes, layers),
    stages: all,
  };
}

/** The node by whose hash the areas of a map are kept: what a second sensor says of it, where one is asked. */
export const countedNode = ({ confirmed, classes }: ChangeNodes): NodeSpec => confirmed ?? classes;

/** All stages of a map as one image, so that what each limit does is counted in one go. */
export const stagesNode = (changeNodes: ChangeNodes): NodeSpec =>
  node(
    "limit.stages",
    { names: changeNodes.stages.map((stage) => stage.name) },
    ...changeNodes.stages.map((stage) => stage.node),
  );
