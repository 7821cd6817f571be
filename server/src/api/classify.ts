import { isDeepStrictEqual } from "node:util";
import type { Router } from "express";
import {
  type ClassifyView,
  type DateGroups,
  type SmoothingCounts,
  classifyRoutes as routes,
} from "@hindglance/contract/classify";
import type { Application } from "@hindglance/core/classify/application";
import { METHOD_NAMES } from "@hindglance/core/classify/model";
import { type ClassifySettings, classifySchema } from "@hindglance/core/classify/settings";
import { OVERLAP_HINT, sharedGroundSaid } from "@hindglance/core/classify/testAreas";
import { STACK } from "@hindglance/core/classify/unsupervised";
import { MOST_COVER, transitionLabel } from "@hindglance/core/cover/coverClass";
import { InputError } from "@hindglance/core/errors";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { ontoGrid } from "@hindglance/core/grid/globe";
import type { ClassInfo } from "@hindglance/core/graph/image";
import type { LabelsResult } from "../preview/tasks";
import { whenLeft } from "./shared";
import { findClassification, saveClassification, tellClassification } from "../db/classification";
import { addToLedger, lockStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import {
  type ClassifiedDate,
  type Cleaned,
  type GroupedDate,
  classified,
  classifyDate,
  datesToClassify,
  grouped,
  inputImage,
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

/** Cells by label of the maps before and after smoothing, and of what became of what. */
type SmoothedCounts = Record<"changes" | "before" | "after", LabelsResult>;

/** What smoothing changes, by class: to other classes, to none and from none. */
function countsOf(
  classes: readonly ClassInfo[],
  { changes, before, after }: SmoothedCounts,
): SmoothingCounts {
  const { cells, cellsOfImage } = changes;
  const places = classes.map((_one, k) => k);
  const sum = (of: (k: number) => number) => places.reduce((all, k) => all + of(k), 0);
  const between = (from: number, to: number) =>
    changes.counts[transitionLabel(from, to, classes.length)]!;
  // What is of the class before and of no class after, and the other way round.
  const toNone = classes.map(({ label }, k) => before.counts[label]! - sum((to) => between(k, to)));
  const fromNone = classes.map(
    ({ label }, k) => after.counts[label]! - sum((from) => between(from, k)),
  );
  const all = classes.map(({ label }, k) => ({
    label,
    lost: before.counts[label]! - between(k, k),
    gained: after.counts[label]! - between(k, k),
  }));
  const filled = sum((k) => fromNone[k]!);
  return {
    classes: all,
    changed: filled + all.reduce((total, { lost }) => total + lost, 0),
    filled,
    emptied: sum((k) => toNone[k]!),
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
        ...(trained.tested ? { tested: trained.tested } : {}),
        warnings: trained.warnings,
      },
    }),
  );
}

const applicationOf = (
  { method, priors, reject }: ClassifiedDate["applied"],
  extras: Application["extras"] | null | undefined,
): Application => ({ method, priors, reject, extras: extras ?? [] });

/** What smoothing makes of classes, to be looked at. */
async function cleanedView(services: Services, { labels, changes }: Cleaned) {
  const view = async (spec: NodeSpec) => nodeView(await register(services, spec));
  return { labels: await view(labels), changes: changes && (await view(changes)) };
}

/** Groups of a date with how large they are and what they look like. */
async function groupsView(services: Services, date: GroupedDate): Promise<DateGroups> {
  const { image, groups, classes, clean, inputs } = date;
  const facts = await services.previews.groups({ groups, before: image, after: image });
  const view = async (spec: NodeSpec) => nodeView(await register(services, spec));
  return {
    ...{ groups: await view(groups), classes: classes && (await view(classes)), inputs },
    smoothed: clean && (await cleanedView(services, clean)),
    found: facts.groups.map(({ group, color, share, before: means }) => ({
      ...{ group, color, share, means },
    })),
  };
}

/** Classes of the groups of a date, or of all dates, as a scene. @throws AppError, InputError */
async function writtenGroups(services: Services, date: GroupedDate) {
  const { db, engine } = services;
  const { scene, settings, classes, clean, inputs, all } = date;
  if (!classes) {
    throw new InputError(
      `No group of ${scene.name} was given to a class yet`,
      "unsupervised.given",
      "Give groups to classes of the legend first.",
    );
  }
  const isStack = settings.unsupervised!.of === STACK;
  return db.withTransaction((client) =>
    computedScene(services, (run) => engine.submit(client, run), client, {
      ...{
        studyId: all.study.id,
        kind: "classes",
        acquiredAt: iso(scene.acquiredAt!),
        node: clean?.labels ?? classes,
      },
      name: `Land cover by groups, ${isStack ? "all dates" : iso(scene.acquiredAt!).slice(0, 10)}`,
      what: isStack
        ? "Classes of groups of like cells, all dates"
        : "Classes of groups of like cells",
      detail: {
        of: { scene: scene.name, file: scene.fileName, sha256: scene.fileSha256 },
        ...{ groups: settings.unsupervised!.params, inputs, smooth: settings.smooth ?? null },
      },
    }),
  );
}

/** Writes the classes of groups. @returns what was begun, in the order of the dates */
async function writeGroups(services: Services, studyId: string, sceneIds: readonly string[]) {
  const dates = [];
  for (const sceneId of sceneIds) {
    dates.push(await grouped(services, studyId, sceneId));
  }
  const isStack = dates[0]!.settings.unsupervised!.of === STACK;
  const scenes = [];
  for (const date of isStack ? dates.slice(-1) : dates) {
    const { scene, runId } = await writtenGroups(services, date);
    scenes.push({ sceneId: scene.id, runId });
  }
  return scenes;
}

/** Trains on dates, or takes the kept model, and writes their classes. */
async function writeTrained(services: Services, studyId: string, sceneIds: readonly string[]) {
  // One that cannot be trained on refuses all, before anything is written.
  const dates: ClassifiedDate[] = [];
  for (const sceneId of sceneIds) {
    dates.push(await classified(services, studyId, sceneId));
  }
  const scenes = [];
  for (const date of dates) {
    const { scene, runId } = await written(services, date);
    scenes.push({ sceneId: scene.id, runId });
  }
  return scenes;
}

/** What smoothing changes on a date. @throws AppError where nothing is smoothed, or too much to be counted */
async function smoothingOf(
  services: Services,
  studyId: string,
  sceneId: string,
  signal: AbortSignal,
): Promise<SmoothingCounts> {
  const found = await services.db.withClient((client) => findClassification(client, studyId));
  const classes = found?.settings.unsupervised ? grouped : classified;
  const { clean } = await classes(services, studyId, sceneId);
  if (!clean) {
    throw new AppError(422, "invalid", "Nothing is smoothed", "smooth", "Set a window or a size.");
  }
  if (!clean.changes) {
    throw new AppError(
      422,
      "invalid",
      `What smoothing changes is counted for up to ${MOST_COVER} classes; here are ${clean.classes.length}`,
      "legend",
      "Merge classes, or look at the smoothed map beside the other.",
    );
  }
  const count = (node: NodeSpec) =>
    services.previews.labels({ node, maxCells: SAMPLE_CELLS }, signal);
  const [changes, before, after] = await Promise.all(
    [clean.changes, clean.from, clean.labels].map(count),
  );
  return countsOf(clean.classes, { changes: changes!, before: before!, after: after! });
}

/** @throws AppError where what is trained on would be tested on */
function requireApart(old: ClassifySettings | null, settings: ClassifySettings): void {
  const said = sharedGroundSaid(
    settings,
    (id) => !isDeepStrictEqual(old?.areas[id], settings.areas[id]),
  );
  if (said) {
    throw new AppError(422, "invalid", said, "areas", OVERLAP_HINT);
  }
}

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
      requireApart(old, settings);
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
      smoothed: clean && (await cleanedView(services, clean)),
    };
  });
  serve(api, routes.grow, async ({ params, body: { sceneId, at }, res }) => {
    const { image, grid } = await inputImage(services, params.id, sceneId);
    const place = ontoGrid(grid)(...at);
    const found = await services.previews.grow({ image, at: place }, whenLeft(res));
    return { grid: found.grid, levels: Buffer.from(found.levels).toString("base64") };
  });
  serve(api, routes.smoothing, async ({ params, body, res }) => {
    return smoothingOf(services, params.id, body.sceneId, whenLeft(res));
  });
  serve(api, routes.groups, async ({ params, body }) =>
    groupsView(services, await grouped(services, params.id, body.sceneId)),
  );
  serve(api, routes.write, async ({ params, body: { sceneIds } }) => {
    const found = await db.withClient((client) => findClassification(client, params.id));
    const write = found?.settings.unsupervised ? writeGroups : writeTrained;
    const scenes = await write(services, params.id, sceneIds);
    await db.withTransaction(async (client) => {
      await tellClassification(client, params.id);
      await addToLedger(client, params.id, "Dates classified", {
        scenes: scenes.map((one) => one.sceneId),
      });
    });
    return new Reply(202, { scenes });
  });
}
