import type { ServerClient } from "@hindglance/contract/client";
import type { RecipeLine } from "@hindglance/contract/recipes";
import { type Scene, sceneRoutes } from "@hindglance/contract/scenes";
import { type Recipe, notForPair } from "@hindglance/core/recipe/recipe";
import type { KeptRecipeRun, RecipeStep } from "../db/recipes";
import { AppError } from "../errors";

/** What a stage works with. */
export interface StageContext {
  api: ServerClient;
  run: KeptRecipeRun;
  signal: AbortSignal;
}

/** What a stage does and gives: what is written, and the runs that are waited for before the next one. */
export type Stage = (context: StageContext) => Promise<RecipeStep>;

/** A line of what was done. */
export const said = (text: string): Omit<RecipeLine, "at"> => ({ tone: "said", text });
/** A line of what is not sure. */
export const doubtful = (text: string): Omit<RecipeLine, "at"> => ({ tone: "doubt", text });

/** @throws AppError where a date of a pair is of another sensor than the recipe is for */
export function requireFor(
  recipe: Pick<Recipe, "name" | "family">,
  pair: readonly { name: string; kind: string }[],
): void {
  const wrong = notForPair(recipe, pair);
  if (wrong) {
    const hint = "Pick other dates, or another recipe.";
    throw new AppError(422, "invalid", wrong, "beforeId", hint);
  }
}

/** The scenes of the study, and those of the pair. @throws AppError where one is gone */
export async function scenesOf({
  api,
  run,
}: StageContext): Promise<{ all: Scene[]; pair: [Scene, Scene] }> {
  const scenes = await api.call(sceneRoutes.list, { params: { id: run.studyId } });
  const [before, after] = [run.beforeId, run.afterId].map((id) =>
    scenes.find((scene) => scene.id === id),
  );
  if (!before || !after) {
    throw new AppError(404, "notFound", "A date of the pair is no longer in the study");
  }
  return { all: scenes, pair: [before, after] };
}

/** The dates of a pair. */
export interface Pair {
  beforeId: string;
  afterId: string;
}

/** Both dates of a run by their ids. */
export const pairIds = ({ beforeId, afterId }: KeptRecipeRun): Pair => ({ beforeId, afterId });
