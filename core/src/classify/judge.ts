import { plainName } from "../change/twinNames";
import type { TrainingCells } from "./gather";
import type { Method, Model } from "./model";
import { type Places, joined, placesByClass, valuesAt } from "./places";
import { rankInputs } from "./rankInputs";
import type { LegendClass } from "./settings";
import { type Signature, signatureOf } from "./signature";
import { type Trained, checkOn, deviations, pairsOf } from "./train";

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

/**
 * What a model that was trained elsewhere comes to on a date: its classes, and how often cells of the
 * areas that are there are taken for what they are. Areas belong to the class of the same name. Of a
 * forest the means and spreads are those of the date's own cells; a class without any has none, and
 * then nothing is said of how far classes lie apart.
 */
export function judged(
  model: Model,
  { method, priors }: { method: Method; priors: readonly number[] },
  legend: readonly LegendClass[],
  cells: TrainingCells,
): Omit<Trained, "model"> {
  const { classes } = model;
  const nameOf = new Map(legend.map(({ label, name }) => [label, plainName(name)]));
  const isOf = (area: number, k: number) =>
    nameOf.get(cells.areas[area]!.label) === plainName(classes[k]!.name);
  const classOf = cells.areas.map((_area, at) => classes.findIndex((_one, k) => isOf(at, k)));
  const own = placesByClass(cells, classOf, classes.length);
  const questions = joined(own);
  const signatures = signaturesOf(model, cells, own);
  const known = signatures.filter((one) => one !== null);
  const isWhole = known.length === classes.length;
  return {
    classes: classes.map(({ label }, k) => {
      const signature = signatures[k];
      return {
        label,
        areas: [...cells.areas.keys()].filter((area) => isOf(area, k)).length,
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
    check: questions.places.length > 0 ? checkOn(model, method, priors, cells, questions) : null,
    outOfBag: null,
    importance: model.kind === "forest" ? [...model.forest.importance] : null,
    warnings: [],
  };
}
