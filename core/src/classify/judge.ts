import { plainName } from "../change/twinNames";
import type { TrainingCells } from "./gather";
import type { Method, Model } from "./model";
import { type Places, joined, placesByClass, valuesAt } from "./places";
import { rankInputs } from "./rankInputs";
import type { LegendClass } from "./settings";
import { type Signature, signatureOf } from "./signature";
import { type HeldCheck, type Trained, checkOn, deviations, pairsOf } from "./train";

/** Signatures of a model's classes: its own, else those of the cells of each; null where it has none. */
function signaturesOf(model: Model, cells: TrainingCells, own: readonly Places[]) {
  if (model.kind === "signatures") {
    return [...model.signatures];
  }
  const inputs = model.inputs.length;
  return own.map((places): Signature | null => {
    const values = valuesAt(cells, places, inputs);
    return places.length > 0 ? signatureOf({ values, d: inputs }) : null;
  });
}

/** How a model is applied, as far as its classes depend on it. */
interface Applied {
  method: Method;
  priors: readonly number[];
}

/** Cells of areas by the classes of a model that have the same names. */
function byName({ classes }: Model, legend: readonly LegendClass[], cells: TrainingCells) {
  const nameOf = new Map(legend.map(({ label, name }) => [label, plainName(name)]));
  const classOf = cells.areas.map(({ label }) =>
    classes.findIndex(({ name }) => nameOf.get(label) === plainName(name)),
  );
  return { classOf, own: placesByClass(cells, classOf, classes.length) };
}

/**
 * How often a model takes the cells of areas for what they are; null where there is none of a class that
 * it knows. Areas belong to the class of the same name.
 */
export function checkIn(
  model: Model,
  { method, priors }: Applied,
  legend: readonly LegendClass[],
  cells: TrainingCells,
): HeldCheck | null {
  const questions = joined(byName(model, legend, cells).own);
  return questions.places.length > 0 ? checkOn(model, method, priors, cells, questions) : null;
}

/**
 * What a model that was trained elsewhere comes to on a date: its classes, and how often cells of the
 * areas that are there are taken for what they are. Areas belong to the class of the same name. Of a
 * forest the means and spreads are those of the date's own cells; a class without any has none, and
 * then nothing is said of how far classes lie apart.
 */
export function judged(
  model: Model,
  applied: Applied,
  legend: readonly LegendClass[],
  cells: TrainingCells,
): Omit<Trained, "model"> {
  const { classes } = model;
  const { own, classOf } = byName(model, legend, cells);
  const signatures = signaturesOf(model, cells, own);
  const known = signatures.filter((one) => one !== null);
  const isWhole = known.length === classes.length;
  return {
    classes: classes.map(({ label }, k) => {
      const signature = signatures[k];
      return {
        label,
        areas: classOf.filter((place) => place === k).length,
        cells: own[k]!.length,
        held: own[k]!.length,
        mean: signature ? [...signature.mean] : [],
        deviation: signature ? deviations(signature) : [],
        covariance: signature ? [...signature.covariance] : [],
        sample: [],
        lent: 0,
      };
    }),
    pairs: isWhole ? pairsOf(classes, known) : [],
    ranked: isWhole ? rankInputs(known) : [],
    check: checkIn(model, applied, legend, cells),
    outOfBag: null,
    importance: model.kind === "forest" ? [...model.forest.importance] : null,
    warnings: [],
  };
}
