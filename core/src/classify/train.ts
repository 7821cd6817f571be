import { InputError } from "../errors";
import { growForest, USUAL_FOREST } from "./forest";
import { type GaussianClass, normalPriors, variancesWithin } from "./gaussian";
import type { TrainingCells } from "./gather";
import { type Method, type Model, type ModelClass, gaussiansOf } from "./model";
import { type Held, type Places, joined, placesByClass, valuesAt } from "./places";
import { type RankedInput, rankInputs } from "./rankInputs";
import { lookAtAll } from "./scores";
import { type Separability, separability } from "./separability";
import { type Signature, signatureOf } from "./signature";
import type { ClassifySettings } from "./settings";

/** What a class's training cells come to on a date. */
export interface ClassFacts {
  label: number;
  /** Areas and cells that it is trained on, and how many of those cells the check holds aside. */
  areas: number;
  cells: number;
  held: number;
  /** By input. */
  mean: number[];
  deviation: number[];
  /** By two inputs, row by row. */
  covariance: number[];
  /** Some of its cells, cell after cell, input after input, to be looked at. */
  sample: number[];
  /** Share of its covariance that was lent by all classes, so that it can be inverted. */
  lent: number;
}

/** How often cells that were held aside are taken for what they are. */
export interface HeldCheck {
  cells: number;
  right: number;
  /** Rows: what the areas say; columns: what was found, in the order of the classes; last: none. */
  matrix: number[][];
}

/** What a training comes to. */
export interface Trained {
  model: Model;
  classes: ClassFacts[];
  /** By pair of classes, first by second, above the diagonal. */
  pairs: { first: number; second: number; apart: Separability }[];
  /** Inputs by what each adds to those before it. */
  ranked: RankedInput[];
  check: HeldCheck | null;
  /** Of a forest: share of training cells that trees which have not seen them take for another class. */
  outOfBag: number | null;
  /** Of a forest: by input the share of what its splits gained. */
  importance: number[] | null;
  warnings: string[];
}

/** How a model is made of training cells. */
export type TrainSettings = Pick<
  ClassifySettings,
  "legend" | "method" | "forest" | "priors" | "frequencies" | "reject" | "heldShare"
>;

/**
 * Areas that the check holds aside, by their places: so large a share of the areas of every class, spread
 * over their order; at least one stays to train on. Whole areas, since cells beside each other are
 * alike.
 */
export function heldAreas(
  areas: readonly { label: number; cells: number }[],
  share: number,
): Set<number> {
  const held = new Set<number>();
  const labels = new Set(areas.map(({ label }) => label));
  for (const label of labels) {
    const places = [...areas.keys()].filter(
      (k) => areas[k]!.label === label && areas[k]!.cells > 0,
    );
    const count = Math.min(places.length - 1, Math.round(places.length * share));
    for (let k = 0; k < count; k++) {
      held.add(places[Math.floor(((k + 0.5) * places.length) / count)]!);
    }
  }
  return held;
}

/** Cells of a class that are given to be looked at. */
const SAMPLED = 60;

/** Some cells of a class, evenly over all of them, to five figures. */
function sampleOf(cells: TrainingCells, own: Places, inputs: number): number[] {
  const every = Math.max(1, own.length / SAMPLED);
  const some = Uint32Array.from(
    { length: Math.min(SAMPLED, own.length) },
    (_v, k) => own[Math.floor(k * every)]!,
  );
  return [...valuesAt(cells, some, inputs)].map((value) => Number(value.toPrecision(5)));
}

/** @throws InputError naming what is missing */
function requireTwo(classes: readonly ModelClass[], left: readonly string[]): void {
  if (classes.length < 2) {
    throw new InputError(
      classes.length === 0
        ? "No class has a training cell on this date"
        : `Only ${classes[0]!.name} has training cells on this date`,
      "areas",
      left.length
        ? `Draw areas for ${left.join(", ")} where the image has cells.`
        : "Add classes to the legend, and draw areas for them.",
    );
  }
}

/** @throws InputError naming an input that has one value in all training cells */
function requireSpread(signatures: readonly Signature[], inputs: readonly string[]): void {
  const within = variancesWithin(signatures);
  const constant = within.findIndex((variance) => !(variance > 0));
  if (constant >= 0) {
    throw new InputError(
      `${inputs[constant]} has one value in all training cells of every class`,
      "inputs",
      "Leave it out, or train on ground where it differs.",
    );
  }
}

/** How often cells are taken for what they are. */
export function checkOn(
  model: Model,
  method: Method,
  priors: readonly number[],
  cells: TrainingCells,
  { places, truths }: Held,
): HeldCheck {
  const inputs = model.inputs.length;
  const matrix = model.classes.map(() => model.classes.map(() => 0));
  // What was measured is of single precision: nothing is lost.
  const bands = model.inputs.map((_input, b) =>
    Float32Array.from(places, (place) => cells.values[place * inputs + b]!),
  );
  let right = 0;
  lookAtAll(bands, { model, method, priors }, (cell, { first }) => {
    const truth = truths[cell]!;
    matrix[truth]![first]!++;
    right += first === truth ? 1 : 0;
  });
  return { cells: places.length, right, matrix };
}

/** Priors of classes, in their order. @throws InputError where none is above nought */
function priorsOf(
  { priors, frequencies, legend }: TrainSettings,
  classes: readonly { label: number; cells: number }[],
): number[] {
  const equal = 100 / legend.length;
  const weights = {
    equal: () => 1,
    training: ({ cells }: { cells: number }) => cells,
    given: ({ label }: { label: number }) => frequencies?.[String(label)] ?? equal,
  };
  return normalPriors(classes.map(weights[priors]));
}

/** Deviation of every input. */
export const deviations = ({ covariance, mean }: Signature): number[] =>
  [...mean].map((_value, b) => Math.sqrt(covariance[b * mean.length + b]!));

function warningsOf(
  classes: readonly ModelClass[],
  signatures: readonly Signature[],
  { left, cells, gaussians }: { left: string[]; cells: TrainingCells; gaussians: GaussianClass[] },
): string[] {
  const out: string[] = [];
  if (left.length) {
    out.push(`Left out, without a training cell on this date: ${left.join(", ")}.`);
  }
  classes.forEach(({ name }, k) => {
    const { count } = signatures[k]!;
    const { lent } = gaussians[k]!;
    if (lent > 0) {
      out.push(
        `${name} has ${count} cells, too few or too alike for a spread of its own: ${Math.round(100 * lent)} % of it is lent by all classes.`,
      );
    }
  });
  const outside = cells.areas.filter(
    (area) => area.cells + area.missing + area.contested + area.shared === 0,
  ).length;
  if (outside) {
    out.push(
      `${outside} training ${outside === 1 ? "area holds" : "areas hold"} no cell of the image: outside it, or smaller than a cell.`,
    );
  }
  const contested = cells.areas.reduce((sum, one) => sum + one.contested, 0);
  if (contested) {
    out.push(`Areas of two classes overlap: cells there count for neither.`);
  }
  const missing = cells.areas.reduce((sum, one) => sum + one.missing, 0);
  if (missing) {
    out.push(`${missing} training cells have no number in some input, and do not count.`);
  }
  return out;
}

/** Pairs of classes and how far they lie apart. */
export function pairsOf(
  classes: readonly ModelClass[],
  signatures: readonly Signature[],
): Trained["pairs"] {
  const within = variancesWithin(signatures);
  return classes.flatMap((first, a) =>
    classes.slice(a + 1).map((second, k) => ({
      first: first.label,
      second: second.label,
      apart: separability(signatures[a]!, signatures[a + 1 + k]!, within),
    })),
  );
}

/** A class of the legend with the places of its training cells. */
interface OwnCells {
  known: ModelClass;
  own: Places;
}

/** Classes of a legend with their cells, of those areas that count. */
function cellsByClass(
  { legend }: TrainSettings,
  cells: TrainingCells,
  counts: (area: number) => boolean,
): OwnCells[] {
  const places = new Map(legend.map(({ label }, k) => [label, k]));
  const classOf = cells.areas.map(({ label }, k) => (counts(k) ? (places.get(label) ?? -1) : -1));
  const own = placesByClass(cells, classOf, legend.length);
  return legend.map(({ label, name, color }, k) => ({
    known: { label, name, color },
    own: own[k]!,
  }));
}

/** A model of such cells, and what it rests on. @throws InputError where an input is constant */
function modelOn(
  settings: TrainSettings,
  inputs: readonly string[],
  cells: TrainingCells,
  there: readonly OwnCells[],
) {
  const classes = there.map(({ known }) => known);
  const signatures = there.map(({ own }) =>
    signatureOf({ values: valuesAt(cells, own, inputs.length), d: inputs.length }),
  );
  requireSpread(signatures, inputs);
  const model = modelOf(settings, { classes, inputs, signatures, cells, there });
  const counted = classes.map(({ label }, k) => ({ label, cells: signatures[k]!.count }));
  const priors = settings.method === "likelihood" ? priorsOf(settings, counted) : [];
  return { classes, signatures, model, priors };
}

/**
 * How right a model is that was trained without the areas that are held aside, on those areas; null
 * where none are.
 */
function checked(
  settings: TrainSettings,
  inputs: readonly string[],
  cells: TrainingCells,
  held: ReadonlySet<number>,
): HeldCheck | null {
  const rest = cellsByClass(settings, cells, (area) => !held.has(area)).filter(
    ({ own }) => own.length > 0,
  );
  const aside = cellsByClass(settings, cells, (area) => held.has(area));
  const questions = joined(
    rest.map(({ known }) => aside.find((one) => one.known.label === known.label)!.own),
  );
  if (questions.places.length === 0 || rest.length < 2) {
    return null;
  }
  const { model, priors } = modelOn(settings, inputs, cells, rest);
  return checkOn(model, settings.method, priors, cells, questions);
}

/**
 * Trains on the cells of a date, on all of them; how right that is is told by a model of the same
 * kind that was trained without the areas that are held aside. Classes without a cell are left out,
 * with a warning.
 * @param inputs names of the image's bands
 * @throws InputError where fewer than two classes have cells, or an input is constant
 */
export function train(
  settings: TrainSettings,
  inputs: readonly string[],
  cells: TrainingCells,
): Trained {
  const held = heldAreas(cells.areas, settings.heldShare);
  const all = cellsByClass(settings, cells, () => true);
  const there = all.filter(({ own }) => own.length > 0);
  const left = all.filter(({ own }) => own.length === 0).map(({ known }) => known.name);
  requireTwo(
    there.map(({ known }) => known),
    left,
  );
  const { classes, signatures, model } = modelOn(settings, inputs, cells, there);
  const gaussians = gaussiansOf({ kind: "signatures", classes, inputs, signatures });
  const areasOf = (label: number) =>
    [...cells.areas.keys()].filter((place) => cells.areas[place]!.label === label);
  return {
    model,
    classes: there.map(({ known: { label }, own }, k) => ({
      label,
      areas: areasOf(label).length,
      cells: own.length,
      held: areasOf(label)
        .filter((place) => held.has(place))
        .reduce((sum, place) => sum + cells.areas[place]!.cells, 0),
      mean: [...signatures[k]!.mean],
      deviation: deviations(signatures[k]!),
      covariance: [...signatures[k]!.covariance],
      sample: sampleOf(cells, own, inputs.length),
      lent: gaussians[k]!.lent,
    })),
    pairs: pairsOf(classes, signatures),
    ranked: rankInputs(signatures),
    check: checked(settings, inputs, cells, held),
    outOfBag: model.kind === "forest" ? shareWrong(model.forest.outOfBag) : null,
    importance: model.kind === "forest" ? [...model.forest.importance] : null,
    warnings: warningsOf(classes, signatures, { left, cells, gaussians }),
  };
}

const shareWrong = ({ cells, wrong }: { cells: number; wrong: number }): number | null =>
  cells ? wrong / cells : null;

function modelOf(
  { method, forest }: TrainSettings,
  known: {
    classes: ModelClass[];
    inputs: readonly string[];
    signatures: Signature[];
    cells: TrainingCells;
    there: readonly { own: Places }[];
  },
): Model {
  const { classes, inputs, signatures, cells, there } = known;
  if (method !== "forest") {
    return { kind: "signatures", classes, inputs, signatures };
  }
  const { places, truths: labels } = joined(there.map(({ own }) => own));
  const points = { values: valuesAt(cells, places, inputs.length), d: inputs.length };
  const options = { ...USUAL_FOREST, ...forest };
  return {
    kind: "forest",
    classes,
    inputs,
    forest: growForest(points, labels, classes.length, options),
  };
}

/** Priors of a trained model's classes, as the step `classify.apply` takes them. */
export const appliedPriors = (settings: TrainSettings, classes: readonly ClassFacts[]): number[] =>
  settings.method === "likelihood" ? priorsOf(settings, classes) : [];
