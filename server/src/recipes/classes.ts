import { changesBetween } from "@hindglance/contract/changes";
import { classifyRoutes } from "@hindglance/contract/classify";
import { fromToRoutes } from "@hindglance/contract/fromTo";
import type { Scene } from "@hindglance/contract/scenes";
import {
  type Transitions,
  type TransitionsShown,
  transitionsThere,
} from "@hindglance/core/change/transitions";
import { fromToTable } from "@hindglance/core/cover/fromToTable";
import { proposedClasses } from "@hindglance/core/cover/pairLegends";
import { proposedUnlikely } from "@hindglance/core/cover/unlikely";
import { AppError } from "../errors";
import { type Stage, type StageContext, pairIds, said, scenesOf } from "./stage";

/** Classifies both dates, where the recipe asks what became of what. Classified dates are so already. */
export const classified: Stage = async (context) => {
  const { api, run } = context;
  const { classes } = run.recipe;
  const { pair } = await scenesOf(context);
  if (!classes || pair.every(({ kind }) => kind === "classes")) {
    return {};
  }
  const params = { id: run.studyId };
  const { settings } = await api.call(classifyRoutes.find, { params });
  const changes = settings ? changesBetween(settings, { ...settings, ...classes.by }) : [];
  if (changes.length > 0) {
    await api.call(classifyRoutes.change, { params, body: { changes } });
  }
  const sceneIds = pair.map(({ id }) => id);
  const { scenes } = await api.call(classifyRoutes.write, { params, body: { sceneIds } });
  const [before, after] = scenes;
  return {
    waits: scenes.map(({ runId }) => runId),
    notes: { covers: { beforeId: before!.sceneId, afterId: after!.sceneId } },
    lines: [said("Both dates are being classified.")],
  };
};

/** The classified scenes that a map of transitions is made of. @throws AppError where one is gone */
function coversOf({ run }: StageContext, all: readonly Scene[]): [Scene, Scene] {
  const ids = run.notes.covers ?? pairIds(run);
  const [before, after] = [ids.beforeId, ids.afterId].map((id) =>
    all.find((scene) => scene.id === id),
  );
  if (!before || !after) {
    throw new AppError(404, "notFound", "A classified date is no longer in the study");
  }
  return [before, after];
}

const classesIn = ({ info }: Scene) => info?.classes ?? [];

/**
 * Settings of a map of what became of what: transitions that there is ground of; a run that measures them
 * is waited for first.
 */
export async function transitionsFound(
  context: StageContext,
  all: readonly Scene[],
  wanted: { show: TransitionsShown; leastCells: number },
): Promise<{ transitions: Transitions } | { waits: string[] }> {
  const { api, run } = context;
  const [before, after] = coversOf(context, all);
  const classes = proposedClasses(classesIn(before), classesIn(after));
  const pair = { beforeId: before.id, afterId: after.id, classes };
  const { tally, runId } = await api.call(fromToRoutes.make, {
    ...{ params: { id: run.studyId }, body: pair },
  });
  if (!tally) {
    return { waits: runId ? [runId] : [] };
  }
  const table = fromToTable(tally, classes.length);
  const unlikely = proposedUnlikely(classes);
  return { transitions: transitionsThere(pair, table, { ...wanted, unlikely }) };
}
