import type { Router } from "express";
import {
  type RecipeRun,
  RECIPE_STAGES,
  recipeRoutes as routes,
} from "@hindglance/contract/recipes";
import { type Family, familyOfChain, gridOf } from "@hindglance/core/chain/family";
import { InputError } from "@hindglance/core/errors";
import { cellSize } from "@hindglance/core/grid/grid";
import { anywhere, compareOf, recipeClasses } from "@hindglance/core/recipe/apply";
import {
  type Recipe,
  type RecipeSheet,
  RECIPE_FORMAT,
  USUAL_LOOK_FIRST,
} from "@hindglance/core/recipe/recipe";
import type { Client } from "../db/pool";
import {
  type KeptRecipeRun,
  createRecipeRun,
  deleteRecipe,
  deleteRecipeRun,
  findRecipeRun,
  keepRecipe,
  listRecipeRuns,
  listRecipes,
  stepRecipeRun,
} from "../db/recipes";
import { createOrder, deleteOrder, listOrders } from "../db/recipeOrders";
import { runProgress } from "../db/runs";
import { listScenes } from "../db/scenes";
import { lastSheet } from "../db/sheets";
import { addToLedger } from "../db/studies";
import { AppError, notFound } from "../errors";
import { chainOfScene } from "../products/preparation";
import { type StudySides, isDate, sideNode, studySides } from "../products/sides";
import { nameFor } from "../recipes/names";
import { pairsIn } from "../recipes/pairList";
import { requireFor } from "../recipes/stage";
import { Reply, serve } from "./serve";
import type { Services } from "./services";

/** A run of a recipe with how far it is: stages that ended, and the share of what it waits for. */
async function view(client: Client, run: KeptRecipeRun): Promise<RecipeRun> {
  const { waits, notes: _notes, files: _files, actor: _actor, ...rest } = run;
  const shares: number[] = [];
  for (const id of waits) {
    shares.push((await runProgress(client, id))?.progress ?? 1);
  }
  const within = shares.length > 0 ? shares.reduce((sum, one) => sum + one, 0) / shares.length : 0;
  const at = RECIPE_STAGES.indexOf(run.stage);
  const progress = run.state === "done" ? 1 : (at + within) / RECIPE_STAGES.length;
  return { ...rest, progress };
}

/** How a study compares its pair, as a recipe. @throws InputError where it compares nothing */
async function recipeOfStudy({ db, sources }: Services, all: StudySides): Promise<Recipe> {
  const { study, scenes, chains } = all;
  const { beforeId, setup } = study.compare ?? { beforeId: null, setup: null };
  const before = scenes.find(({ id }) => id === beforeId);
  if (!before || !setup || !isDate(before)) {
    const hint = "Pick a pair in Compare first.";
    throw new InputError("This study compares nothing yet", "compare", hint);
  }
  const { info } = await sideNode(sources, all, before);
  const preparation = chainOfScene(chains, before.id);
  const chain = preparation?.state.chain ?? null;
  const family: Family | null = chain ? familyOfChain(chain) : null;
  return {
    ...{ format: RECIPE_FORMAT, name: study.name, note: "", hazard: study.hazard, family },
    chain: chain ? anywhere(chain) : null,
    cellSize: chain && family ? cellSize(gridOf(family, chain))[0] : null,
    ...{ align: null, thresholds: "kept" },
    compare: compareOf({ bands: info.bands, setup }),
    classes: recipeClasses(setup),
    lookFirst: USUAL_LOOK_FIRST,
    sheet: await db.withClient((client) => sheetOfStudy(client, study.id)),
  };
}

/** The sheet that was set last in a study; null where none was. */
async function sheetOfStudy(client: Client, study: string): Promise<RecipeSheet | null> {
  const sheet = await lastSheet(client, study);
  if (!sheet) {
    return null;
  }
  const { text, maker, licence } = sheet.texts;
  return { layout: sheet.layout, text, maker, licence };
}

interface Pair {
  beforeId: string;
  afterId: string;
  name: string | null;
}
type Order = Pick<Parameters<typeof createRecipeRun>[1], "recipe" | "files">;

/** Begins a recipe on a pair. @throws AppError where a date is not of the study, or both are one */
async function begin(
  client: Client,
  studyId: string,
  { recipe, files }: Order,
  { beforeId, afterId, name }: Pair,
): Promise<string> {
  const scenes = await listScenes(client, studyId);
  const [before, after] = [beforeId, afterId].map((id) => scenes.find((one) => one.id === id));
  if (!before || !after) {
    const field = before ? "afterId" : "beforeId";
    throw new AppError(422, "invalid", "The study has no such date", field);
  }
  if (before === after) {
    throw new AppError(422, "invalid", "Before and after are one and the same date", "afterId");
  }
  requireFor(recipe, [before, after]);
  const called = name ?? nameFor(recipe, after.acquiredAt);
  const run = { studyId, name: called, recipe, files, beforeId, afterId };
  const id = await createRecipeRun(client, run);
  await addToLedger(client, studyId, "Recipe begun", { name: called, recipe, beforeId, afterId });
  return id;
}

/** Routes of recipes that are run on every new date. */
function orderRoutes(api: Router, { db }: Services): void {
  serve(api, routes.orders, ({ params }) =>
    db.withClient((client) => listOrders(client, params.id)),
  );
  serve(api, routes.addOrder, async ({ params, body }) => {
    const id = await db.withTransaction(async (client) => {
      const scenes = await listScenes(client, params.id);
      if (body.beforeId && !scenes.some((scene) => scene.id === body.beforeId)) {
        throw new AppError(422, "invalid", "The study has no such date", "beforeId");
      }
      const made = await createOrder(client, { studyId: params.id, ...body });
      const { recipe, beforeId } = body;
      await addToLedger(client, params.id, "Standing order given", { recipe, beforeId });
      return made;
    });
    return new Reply(201, { id });
  });
  serve(api, routes.removeOrder, async ({ params }) => {
    await db.withTransaction(async (client) => {
      const gone = await deleteOrder(client, params.id);
      if (!gone) {
        throw notFound("standing order");
      }
      await addToLedger(client, gone.studyId, "Standing order ended", { recipe: gone.recipe });
    });
    return null;
  });
}

/** Routes of recipes: saved in versions, taken from a study, run on pairs. */
export function recipeRoutes(api: Router, services: Services): void {
  const { db, engine } = services;
  serve(api, routes.list, () => db.withClient(listRecipes));
  serve(api, routes.save, async ({ body }) => {
    const kept = await db.withTransaction((client) => keepRecipe(client, body.recipe));
    return new Reply(201, kept);
  });
  serve(api, routes.remove, async ({ params }) => {
    if (!(await db.withTransaction((client) => deleteRecipe(client, params.id)))) {
      throw notFound("recipe");
    }
    return null;
  });
  orderRoutes(api, services);
  serve(api, routes.ofStudy, async ({ params }) =>
    recipeOfStudy(services, await db.withClient((client) => studySides(client, params.id))),
  );
  serve(api, routes.runs, ({ params }) =>
    db.withClient(async (client) => {
      const runs: RecipeRun[] = [];
      for (const run of await listRecipeRuns(client, params.id)) {
        runs.push(await view(client, run));
      }
      return runs;
    }),
  );
  const requireRun = async (client: Client, id: string): Promise<KeptRecipeRun> => {
    const run = await findRecipeRun(client, id);
    if (!run) {
      throw notFound("run of a recipe");
    }
    return run;
  };
  serve(api, routes.findRun, ({ params }) =>
    db.withClient(async (client) => view(client, await requireRun(client, params.id))),
  );
  serve(api, routes.run, async ({ params, body }) => {
    const { beforeId, afterId, name, ...order } = body;
    const id = await db.withTransaction((client) =>
      begin(client, params.id, order, { beforeId, afterId, name }),
    );
    return new Reply(202, { id });
  });
  serve(api, routes.runList, async ({ params, body }) => {
    const { csv, ...order } = body;
    const ids = await db.withTransaction(async (client) => {
      const begun: string[] = [];
      for (const pair of pairsIn(csv, await listScenes(client, params.id))) {
        begun.push(await begin(client, params.id, order, pair));
      }
      return begun;
    });
    return new Reply(202, { ids });
  });
  serve(api, routes.cancelRun, async ({ params }) => {
    const waits = await db.withTransaction(async (client) => {
      const run = await requireRun(client, params.id);
      const lines = [{ tone: "wrong" as const, text: "Cancelled." }];
      const isGoing = await stepRecipeRun(client, run.id, { state: "cancelled", lines });
      return isGoing ? run.waits : [];
    });
    await Promise.all(waits.map((id) => engine.cancel(id)));
    return null;
  });
  serve(api, routes.removeRun, async ({ params }) => {
    if (!(await db.withTransaction((client) => deleteRecipeRun(client, params.id)))) {
      throw new AppError(409, "running", "This run goes on, or is gone: cancel it first");
    }
    return null;
  });
}
