import type { Router } from "express";
import {
  type ClassifyView,
  type SmoothingCounts,
  classifyRoutes as routes,
} from "@hindglance/contract/classify";
import type { Application } from "@hindglance/core/classify/application";
import { METHOD_NAMES } from "@hindglance/core/classify/model";
import { classifySchema } from "@hindglance/core/classify/settings";
import { transitionLabel } from "@hindglance/core/cover/coverClass";
import type { ClassInfo } from "@hindglance/core/graph/image";
import type { LabelsResult } from "../preview/tasks";
import { whenLeft } from "./shared";
import { findClassification, saveClassification } from "../db/classification";
import { addToLedger, lockStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import {
  type ClassifiedDate,
  classified,
  classifyDate,
  datesToClassify,
} from "../products/classification";
import { computedScene } from "../products/computedScene";
import { requireOwnScenes } from "../products/ownScenes";
import { studySides } from "../products/sides";
import { iso } from "../products/time";
import { changedSettings } from "./changes";
import { checked } from "./http";
import { nodeView, register, shown } from "./nodes";
import { Reply, serve } from "./serve";
import type { Services } from "./services";

/** What the dates of a study are classified by, with the dates. */
async function viewOf(services: Services, studyId: string): Promise<ClassifyView> {
  const { db, sources } = services;
  const { all, found } = await db.withClient(async (client) => ({
    all: await studySides(client, studyId),
    found: await findClassification(client, studyId),
  }));
  const dates = [];
  for (const scene of datesToClassify(all)) {
    const { facts, node } = await classifyDate(sources, all, scene);
    const row = node && (await register(services, node));
    const picture = row && nodeView(await register(services, shown(row.spec, row.info)));
    dates.push({ ...facts, picture });
  }
  return { version: found?.version ?? 0, settings: found?.settings ?? null, dates };
}

/** Cells that are looked at to count what smoothing changes, at the most. */
const SAMPLE_CELLS = 4e6;

/** What smoothing changes, by class, from the counts of a map of from–to. */
function countsOf(
  classes: readonly ClassInfo[],
  { counts, cells, cellsOfImage }: LabelsResult,
): SmoothingCounts {
  const places = classes.map((_one, k) => k);
  const between = (from: number, to: number) =>
    from === to ? 0 : counts[transitionLabel(from, to, classes.length)]!;
  const sum = (of: (k: number) => number) => places.reduce((all, k) => all + of(k), 0);
  const all = classes.map(({ label }, k) => ({
    label,
    lost: sum((to) => between(k, to)),
    gained: sum((from) => between(from, k)),
  }));
  return {
    classes: all,
    changed: all.reduce((total, { lost }) => total + lost, 0),
    cells,
    sampled: cells < cellsOfImage,
  };
}

/** A date's classes as a scene of their own. @throws AppError, InputError */
async function written(services: Services, date: ClassifiedDate) {
  const { db, engine } = services;
  const { scene, settings, trained, inputs, nodes, clean, applied } = date;
  return db.withTransaction((client) =>
    computedScene(services, (run) => engine.submit(client, run), client, {
      studyId: date.all.study.id,
      kind: "classes",
      name: `Land cover, ${iso(scene.acquiredAt!).slice(0, 10)}`,
      acquiredAt: iso(scene.acquiredAt!),
      node: clean?.labels ?? nodes.labels,
      what: `Classes by ${METHOD_NAMES[applied.method].toLowerCase()}`,
      detail: {
        of: { scene: scene.name, file: scene.fileName, sha256: scene.fileSha256 },
        ...{
          model: trained.model,
          method: applied.method,
          inputs,
          missing: settings.missing ?? "leaveOut",
          smooth: settings.smooth ?? null,
        },
        ...(trained.check ? { heldAside: trained.check } : {}),
        warnings: trained.warnings,
      },
    }),
  );
}

const applicationOf = (
  { method, priors, reject }: ClassifiedDate["applied"],
  extras: Application["extras"] | null | undefined,
): Application => ({ method, priors, reject, extras: extras ?? [] });

/** Routes of what a study's dates are classified by, of training, and of the maps that come of it. */
export function classifyRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.find, ({ params }) => viewOf(services, params.id));
  serve(api, routes.change, async ({ params, body }) => {
    await db.withTransaction(async (client) => {
      if (!(await lockStudy(client, params.id))) {
        throw notFound("study");
      }
      const old = (await findClassification(client, params.id))?.settings ?? null;
      const next = changedSettings<object | null>(old, body.changes, "classification");
      const settings = checked(classifySchema, next, "body");
      const of = Object.values(settings.areas).map(({ sceneId }) => sceneId);
      await requireOwnScenes(client, params.id, { areas: [...new Set(of)] });
      await saveClassification(client, params.id, settings);
    });
    return viewOf(services, params.id);
  });
  serve(api, routes.train, async ({ params, body }) => {
    const { trained, inputs, missing, applied, nodes, clean, settings } = await classified(
      services,
      params.id,
      body.sceneId,
    );
    const view = async (node: (typeof nodes)["labels"]) => nodeView(await register(services, node));
    const { labels: _labels, ...facts } = trained;
    return {
      ...{ ...facts, inputs, missing },
      labels: await view(nodes.labels),
      second: await view(nodes.second),
      confidence: await view(nodes.confidence),
      probabilities: nodes.probabilities && (await view(nodes.probabilities)),
      applied: applicationOf(applied, settings.extras),
      smoothed: clean && {
        labels: await view(clean.labels),
        changes: clean.changes && (await view(clean.changes)),
      },
    };
  });
  serve(api, routes.smoothing, async ({ params, body, res }) => {
    const { clean } = await classified(services, params.id, body.sceneId);
    if (!clean?.changes) {
      throw new AppError(
        422,
        "invalid",
        "Nothing is smoothed",
        "smooth",
        "Set a window or a size.",
      );
    }
    const told = { node: clean.changes, maxCells: SAMPLE_CELLS };
    return countsOf(clean.classes, await services.previews.labels(told, whenLeft(res)));
  });
  serve(api, routes.write, async ({ params, body }) => {
    const scenes = [];
    // One that cannot be trained on refuses all, before anything is written.
    const dates: ClassifiedDate[] = [];
    for (const sceneId of body.sceneIds) {
      dates.push(await classified(services, params.id, sceneId));
    }
    for (const date of dates) {
      const { scene, runId } = await written(services, date);
      scenes.push({ sceneId: scene.id, runId });
    }
    await db.withClient((client) =>
      addToLedger(client, params.id, "Dates classified", {
        dates: dates.map(({ scene, trained }) => ({ scene: scene.name, model: trained.model })),
      }),
    );
    return new Reply(202, { scenes });
  });
}
