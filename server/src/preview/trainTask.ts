import { gatherCells } from "@hindglance/core/classify/gather";
import type { PlacedArea } from "@hindglance/core/classify/gather";
import { type TrainSettings, type Trained, train } from "@hindglance/core/classify/train";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { saveModel } from "../db/classification";
import type { Lender } from "../db/pool";

/** Training on the cells of an image. */
export interface TrainTask {
  kind: "train";
  studyId: string;
  image: NodeSpec;
  /** Names of the image's bands. */
  inputs: string[];
  areas: PlacedArea[];
  settings: TrainSettings;
}
/** What came of it, with the name of the stored model in the model's place. */
export type TrainResult = Omit<Trained, "model"> & { model: string; labels: number[] };

/** Trains, and stores the model. @throws InputError as `train` does */
export async function trainOn(
  evaluator: Evaluator,
  db: Lender,
  { studyId, image, inputs, areas, settings }: TrainTask,
): Promise<TrainResult> {
  const cells = await gatherCells(evaluator, image, areas);
  const { model, ...facts } = train(settings, inputs, cells);
  const id = await db.withClient((client) => saveModel(client, studyId, model));
  return { ...facts, model: id, labels: model.classes.map(({ label }) => label) };
}
