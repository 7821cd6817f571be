import { changesBetween } from "@hindglance/contract/changes";
import { type PrepareAnswer, prepareRoutes } from "@hindglance/contract/prepare";
import type { Scene } from "@hindglance/contract/scenes";
import { type Chain, FAMILIES, type Family } from "@hindglance/core/chain/family";
import { measureOf } from "@hindglance/core/change/measures/all";
import { chainBy } from "@hindglance/core/recipe/apply";
import type { Recipe } from "@hindglance/core/recipe/recipe";
import { AppError } from "../errors";
import { type Stage, type StageContext, requireFor, said, scenesOf } from "./stage";

const DAY_MS = 86_400_000;

/** Sets the chain of a family and prepares dates by it; the run that does so, or null where all are there. */
async function prepareDates(
  { api, run }: StageContext,
  board: PrepareAnswer,
  { chain, sceneIds }: { chain: Chain; sceneIds: string[] },
): Promise<string | null> {
  const params = { id: run.studyId };
  const query = { family: board.family };
  const heldOut = board.heldOut.filter((sceneId) => !sceneIds.includes(sceneId));
  const { exceptions } = board;
  const now = { chain: board.chain, exceptions, heldOut: board.heldOut };
  const body = { chain, exceptions, heldOut };
  // What is set already is not set again: nothing was done then that could be told.
  if (changesBetween(now, body).length > 0) {
    await api.call(prepareRoutes.set, { params, query, body });
  }
  return (await api.call(prepareRoutes.run, { params, query, body: { sceneIds } })).runId;
}

const boardOf = ({ api, run }: StageContext, family: Family): Promise<PrepareAnswer> =>
  api.call(prepareRoutes.board, { params: { id: run.studyId }, query: { family } });

const isOfSeries = ({ compare }: Recipe): boolean =>
  compare !== null && (measureOf(compare.measure).ofSeries ?? false);

/** Dates of the pair's own family that are prepared: both, and all others where a series is looked at. */
function datesOf(
  board: PrepareAnswer,
  { recipe, beforeId, afterId }: StageContext["run"],
): string[] {
  const rows = board.rows.map(({ sceneId }) => sceneId);
  const pair = [beforeId, afterId].filter((sceneId) => rows.includes(sceneId));
  return pair.length > 0 && isOfSeries(recipe) ? rows : pair;
}

/** Prepares dates of other sensors near the pair, as the study proposes, where the recipe asks one of them. */
async function prepareSecond(
  context: StageContext,
  pair: readonly Scene[],
): Promise<(string | null)[]> {
  const { compare, family: own } = context.run.recipe;
  const within = compare?.second?.withinDays;
  if (within === undefined) {
    return [];
  }
  const times = pair.flatMap(({ acquiredAt }) => (acquiredAt ? [Date.parse(acquiredAt)] : []));
  const isNear = (at: string) =>
    times.some((time) => Math.abs(Date.parse(at) - time) <= within * DAY_MS);
  const runs: (string | null)[] = [];
  for (const family of FAMILIES.filter((one) => one !== own)) {
    const board = await boardOf(context, family);
    const near = board.rows.filter(({ acquiredAt }) => isNear(acquiredAt));
    if (near.length > 0) {
      const sceneIds = near.map(({ sceneId }) => sceneId);
      runs.push(await prepareDates(context, board, { chain: board.chain, sceneIds }));
    }
  }
  return runs;
}

/** Sets the chain of the study by the recipe and prepares the dates that it looks at. */
export const prepared: Stage = async (context) => {
  const { recipe } = context.run;
  const { pair } = await scenesOf(context);
  requireFor(recipe, pair);
  for (const { name, imageId } of pair) {
    if (!imageId) {
      throw new AppError(409, "notReady", `${name} was not taken in`);
    }
  }
  const runs = await prepareSecond(context, pair);
  const { family } = recipe;
  const board = family && (await boardOf(context, family));
  const sceneIds = board ? datesOf(board, context.run) : [];
  if (family && board && sceneIds.length > 0) {
    const chain = chainBy(recipe, family, board.chain);
    runs.push(await prepareDates(context, board, { chain, sceneIds }));
  }
  const waits = runs.filter((run) => run !== null);
  return { waits, lines: [said(preparingSaid(family, sceneIds.length, waits.length > 0))] };
};

function preparingSaid(family: Family | null, dates: number, isRunning: boolean): string {
  if (!family) {
    return "Both dates are compared as they were taken in.";
  }
  if (dates === 0) {
    return "Both dates came prepared.";
  }
  const which = dates > 2 ? `${dates} dates` : "Both dates";
  return isRunning ? `${which} are being prepared.` : `${which} were prepared already.`;
}
