import { checked } from "./http";
import { comparisonRoutes as routes } from "@hindglance/contract/compare";
import { serve } from "./serve";
import type { Router } from "express";
import {
  type CompareAreas,
  type Comparison as Settings,
  type ComparisonView,
  comparisonSchema,
} from "@hindglance/contract/comparison";
import { countedNode } from "@hindglance/core/change/build";
import { InputError } from "@hindglance/core/errors";
import { nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { findTally } from "../db/nodes";
import { AWAY_MS, tried } from "../db/transient";
import { type Study, findStudy, lockStudy, updateStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { type Comparison, comparisonOf, sidesNotRun } from "../products/comparison";
import { requireOwnScenes } from "../products/ownScenes";

import { changedSettings } from "./changes";
import { compareNodes, measureAreasOf } from "./compare";
import type { Services } from "./services";
import { runningMeasure, supersededMeasures } from "../db/runs";

/** Whether exact areas are to be measured where they are not known, and for whom. */
interface Asked {
  measure: "yes" | "no" | "anyway";
  page: string | null;
}

interface Wanted extends Asked {
  /** Whether both dates were prepared as they are set. */
  allRun: boolean;
}

/** Exact areas, where they are wanted and no date would have to be prepared on the way. */
async function areasOf(
  services: Services,
  compared: Comparison,
  { measure, page, allRun }: Wanted,
): Promise<CompareAreas> {
  const hash = nodeHash(countedNode(compared.nodes), versionOf);
  const known = await services.db.withClient((client) => findTally(client, hash));
  if (known) {
    return { state: "known", hash, tally: known };
  }
  const running = await services.db.withClient((client) =>
    runningMeasure(client, compared.study.id, hash),
  );
  if (running && measure === "no") {
    return { state: "measuring", hash, runId: running };
  }
  if (!allRun && measure !== "anyway") {
    return { state: "notRun", hash };
  }
  if (measure === "no") {
    return { state: "notAsked", hash };
  }
  const areas = await measureAreasOf(services, compared, hash, page);
  return "tally" in areas
    ? { state: "known", hash, tally: areas.tally }
    : { state: "measuring", hash, runId: areas.runId };
}

/** Ends measurings of earlier settings: nobody waits for them any more. */
async function cancelSuperseded(
  { db, engine }: Services,
  studyId: string,
  hash: string | null,
): Promise<void> {
  const runs = await db.withClient((client) => supersededMeasures(client, studyId, hash));
  for (const run of runs) {
    await engine.cancel(run);
  }
}

const settingsOf = (study: Study): Settings | null => study.compare;

const EMPTY = { nodes: null, areas: null, notRun: [], problem: null };

/** The comparison of a study as it stands, everything of one version. */
async function viewOf(services: Services, study: Study, asked: Asked): Promise<ComparisonView> {
  const comparison = settingsOf(study);
  const common = { version: study.version, comparison };
  if (!comparison?.beforeId || !comparison.afterId || !comparison.setup) {
    return { ...common, ...EMPTY };
  }
  const { beforeId, afterId, setup } = comparison;
  try {
    const compared = await comparisonOf(services, study.id, { beforeId, afterId, setup });
    const sides = await services.db.withClient((client) => sidesNotRun(client, compared));
    const nodes = await compareNodes(services, compared);
    const areas = await areasOf(services, compared, { ...asked, allRun: sides.length === 0 });
    const notRun = sides.map((side) => ({ sceneId: side.id, name: side.name }));
    return { ...common, nodes, areas, notRun, problem: null };
  } catch (error) {
    if (!(error instanceof AppError || error instanceof InputError) || errorStatus(error) >= 500) {
      throw error;
    }
    const { message, field = null, hint = null } = error;
    return { ...common, ...EMPTY, problem: { message, field, hint } };
  }
}

const errorStatus = (error: AppError | InputError): number =>
  error instanceof AppError ? error.status : 422;

/** Scenes that a comparison names, by the fields that name them. */
const scenesNamed = (compare: Settings | null) => ({
  beforeId: [compare?.beforeId],
  afterId: [compare?.afterId],
  ...settingsNamed(compare?.setup ?? null),
});

const settingsNamed = (setup: Settings["setup"]) => ({
  "setup.coverId": [setup?.coverId],
  "setup.second": [setup?.second?.beforeId, setup?.second?.afterId],
  "setup.transitions": [setup?.transitions?.beforeId, setup?.transitions?.afterId],
});

/**
 * Routes of the one comparison that a study holds: read as a whole, and changed by what was changed,
 * so that two pages do not overwrite each other.
 */
export function comparisonRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.find, async ({ params }) => {
    const study = await db.withClient((client) => findStudy(client, params.id));
    if (!study) {
      throw notFound("study");
    }
    return viewOf(services, study, { measure: "no", page: null });
  });
  serve(api, routes.change, async ({ params, body }) => {
    const { id } = params;
    const { changes, measure, page = null } = body;
    const study = await db.withTransaction(async (client) => {
      const old = await lockStudy(client, id);
      if (!old) {
        throw notFound("study");
      }
      if (changes.length === 0) {
        return old;
      }
      const next = changedSettings(settingsOf(old), changes, "comparison");
      const compare = next === null ? null : checked(comparisonSchema, next, "body");
      await requireOwnScenes(client, id, scenesNamed(compare));
      return (await updateStudy(client, id, { compare }))!;
    });
    // The change stands: that the areas are ordered must not be lost with a connection.
    return tried(
      async () => {
        const view = await viewOf(services, study, { measure, page });
        await cancelSuperseded(services, id, view.areas?.hash ?? null);
        return view;
      },
      { forMs: AWAY_MS },
    );
  });
}
