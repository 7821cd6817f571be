import { LRUCache } from "lru-cache";
import {
  type AreaStore,
  type AreaValues,
  type PlacedArea,
  gatherCells,
} from "@hindglance/core/classify/gather";
import {
  type HeldCheck,
  type TrainSettings,
  type Trained,
  appliedPriors,
  train,
} from "@hindglance/core/classify/train";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { Application } from "@hindglance/core/classify/application";
import { checkIn, judged } from "@hindglance/core/classify/judge";
import type { LegendClass } from "@hindglance/core/classify/settings";
import { InputError } from "@hindglance/core/errors";
import { findModel, saveModel } from "../db/classification";
import type { Lender } from "../db/pool";

/** Training on the cells of an image. */
export interface TrainTask {
  kind: "train";
  studyId: string;
  image: NodeSpec;
  /** Names of the image's bands. */
  inputs: string[];
  areas: PlacedArea[];
  /** Areas that it is tested on. */
  tests: PlacedArea[];
  settings: TrainSettings;
}
/** What came of it, with the name of the stored model in the model's place. */
export type TrainResult = Omit<Trained, "model"> & {
  model: string;
  labels: number[];
  /** How right it is in test areas; null where there are none. */
  tested: HeldCheck | null;
};

/** Looking at a date with a model that was trained before. */
export interface JudgeTask {
  kind: "judge";
  model: string;
  applied: Pick<Application, "method" | "priors">;
  image: NodeSpec;
  areas: PlacedArea[];
  tests: PlacedArea[];
  legend: LegendClass[];
}

/** Bytes of the cells of areas that are kept, so that drawing one more reads that one alone. */
const KEPT_BYTES = 64 << 20;

/** Room for the cells of areas that were read. */
export const areaStore = (): AreaStore =>
  new LRUCache<string, AreaValues>({
    maxSize: KEPT_BYTES,
    sizeCalculation: ({ cells, values }, key) =>
      cells.byteLength + values.byteLength + 2 * key.length,
  });

/** What trains, and what it has of areas already. */
interface Trainer {
  evaluator: Evaluator;
  db: Lender;
  areas: AreaStore;
}

/** What a kept model comes to on a date. @throws InputError where it is not there */
export async function judgeWith(
  { evaluator, db, areas: store }: Trainer,
  { model: id, applied, image, areas, tests, legend }: JudgeTask,
): Promise<TrainResult> {
  const model = await db.withClient((client) => findModel(client, id));
  if (!model) {
    throw new InputError("The model is not there any more", "model", "Pick another, or train.");
  }
  const cells = await gatherCells(evaluator, image, areas, store);
  const labels = model.classes.map(({ label }) => label);
  const testCells = await gatherCells(evaluator, image, tests, store);
  const tested = checkIn(model, applied, legend, testCells);
  return { ...judged(model, applied, legend, cells), model: id, labels, tested };
}

/** Trains, and stores the model. @throws InputError as `train` does */
export async function trainOn(
  { evaluator, db, areas: store }: Trainer,
  { studyId, image, inputs, areas, tests, settings }: TrainTask,
): Promise<TrainResult> {
  const cells = await gatherCells(evaluator, image, areas, store);
  const { model, ...facts } = train(settings, inputs, cells);
  const applied = { method: settings.method, priors: appliedPriors(settings, facts.classes) };
  const testCells = await gatherCells(evaluator, image, tests, store);
  const tested = checkIn(model, applied, settings.legend, testCells);
  const id = await db.withClient((client) => saveModel(client, studyId, model));
  return { ...facts, model: id, labels: model.classes.map(({ label }) => label), tested };
}
