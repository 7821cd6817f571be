import type { Router } from "express";
import {
  type PrepareAnswer,
  type PrepareState,
  prepareRoutes as routes,
  prepareStateSchema,
} from "@hindglance/contract/prepare";
import {
  type Family,
  STEPS_OF,
  checkedExceptions,
  stepOfChain,
  whyApart,
} from "@hindglance/core/chain/family";
import { sharpened } from "@hindglance/core/chain/smoothing";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { levelCount } from "@hindglance/core/grid/grid";
import { createImage, sweepImages } from "../db/images";
import { findNode } from "../db/nodes";
import type { Client } from "../db/pool";
import { deleteKept, listKept, listOrbits } from "../db/products";
import { requireOwnScenes } from "../products/ownScenes";
import { addToLedger, lockStudy, touchStudy, updateStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { board } from "../products/board";
import { HOUSES } from "../products/families";
import { leftToRun } from "../products/leftToRun";
import { inSpan, overTimeScene } from "../products/overTime";
import type { PrepareItem, PrepareParams } from "../products/plans";
import { preparedLooks } from "../products/comparison";
import { type Preparation, preparation } from "../products/preparation";
import { sideNode, studySides } from "../products/sides";
import { iso } from "../products/time";
import { changedSettings } from "./changes";
import { checked } from "./http";
import { nodeView, register, shown } from "./nodes";
import { Reply, serve } from "./serve";
import type { Services } from "./services";

/** Bytes that a cell of a kept result takes, with its overviews. */
const BYTES_A_CELL = 5.4;

/** Routes of Prepare: the board of a family, its settings, its runs, its pictures. */
export function prepareRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.board, ({ params, query }) => boardOf(services, params.id, query.family));
  serve(api, routes.set, async ({ params, query, body }) => {
    await db.withTransaction(async (client) => {
      await lockStudy(client, params.id);
      await setChain(client, params.id, query.family, body);
    });
    return boardOf(services, params.id, query.family);
  });
  serve(api, routes.change, async ({ params, query, body }) => {
    await db.withTransaction(async (client) => {
      await lockStudy(client, params.id);
      const { state } = await preparation(client, params.id, query.family);
      await setChain(
        client,
        params.id,
        query.family,
        changedSettings(state, body.changes, "chain"),
      );
    });
    return boardOf(services, params.id, query.family);
  });
  serve(api, routes.run, async ({ params, query, body }) => {
    const begun = await db.withTransaction((client) =>
      beginRun(services, client, params.id, query.family, body.sceneIds),
    );
    return new Reply(begun.runId ? 202 : 200, begun);
  });
  serve(api, routes.deleteOld, ({ params, query }) => deleteOld(services, params.id, query.family));
  serve(api, routes.overTime, async ({ params, query, body }) => {
    const { scene, runId } = await db.withTransaction((client) =>
      overTime(services, client, params.id, query.family, body),
    );
    return new Reply(202, { sceneId: scene.id, runId });
  });
  lookRoutes(api, services);
}

/** Routes that show what a step makes. */
function lookRoutes(api: Router, services: Services): void {
  const { db, previews } = services;
  serve(api, routes.nodes, async ({ params, query, body }) => {
    const prepared = await db.withClient((client) => preparation(client, params.id, query.family));
    return stepNodes(services, prepared, body.sceneId, body.step);
  });
  serve(api, routes.report, async ({ params, query, body }) => {
    const prepared = await db.withClient((client) => preparation(client, params.id, query.family));
    const cell = prepared.nodes.get(body.sceneId)?.cells.find((one) => one.step === body.step);
    if (!cell) {
      throw notFound("step of this scene");
    }
    const parts = await Promise.all((cell.tells ?? []).map((node) => previews.report({ node })));
    return {
      lines: parts.flatMap((part) => part?.lines ?? []),
      warnings: parts.flatMap((part) => part?.warnings ?? []),
    };
  });
  serve(api, routes.field, async ({ body }) => {
    const row = await db.withClient((client) => findNode(client, body.hash));
    if (!row) {
      throw notFound("image");
    }
    const bands = row.info.bands.length;
    if (body.band >= bands) {
      throw new AppError(422, "invalid", `The image has ${bands} bands`, "band");
    }
    return previews.field({ node: row.spec, window: body.window, band: body.band });
  });
}

/** The board of a family with its settings, and what is kept that they do not use. */
async function boardOf(
  { db, sources }: Services,
  studyId: string,
  family: Family,
): Promise<PrepareAnswer> {
  return db.withClient(async (client) => {
    const prepared = await preparation(client, studyId, family);
    const rows = await board(client, prepared, sources.within(client));
    const live = liveHashes(prepared);
    const mine = new Set(prepared.scenes.map((scene) => scene.id));
    const kept = await listKept(client, studyId);
    return {
      family,
      ...prepared.state,
      rows,
      elevations: prepared.elevations.map(({ id, name }) => ({ id, name })),
      orbits: (await listOrbits(client, studyId)).map(({ id, fileName, kind }) => ({
        id,
        fileName,
        kind,
      })),
      old: kept
        .filter((image) => mine.has(image.sceneId) && !live.has(image.hash))
        .map((image) => ({
          hash: image.hash,
          sceneId: image.sceneId,
          createdAt: iso(image.createdAt),
          bytes: image.cells * BYTES_A_CELL,
        })),
    };
  });
}

/** Identities of everything that the chain as it stands makes, on the way too. */
function liveHashes(prepared: Preparation): Set<string> {
  const nodes = [...prepared.nodes.values()].flatMap((chainResult) => [
    chainResult.result,
    ...chainResult.cells.map((cell) => cell.output),
  ]);
  const whole = [...nodes, ...nodes.map(sharpened)];
  return new Set(whole.map((node) => nodeHash(node, versionOf)));
}

/** Sets a chain whole. @throws AppError when an exception or the elevation does not fit */
async function setChain(
  client: Client,
  studyId: string,
  family: Family,
  given: unknown,
): Promise<void> {
  const { chain, heldOut, ...rest } = checked(prepareStateSchema(family), given, "body");
  const exceptions = checkedExceptions(family, chain, rest.exceptions);
  const state: PrepareState = { chain, exceptions, heldOut };
  await requireOwnScenes(client, studyId, { heldOut, exceptions: Object.keys(exceptions) });
  requireElevations(await preparation(client, studyId, family, state));
  await updateStudy(client, studyId, { [HOUSES[family].field]: state });
  await addToLedger(client, studyId, "Chain set", { family, ...state });
}

/** @throws AppError where a step picks an elevation that is not in the study */
function requireElevations({ family, state, elevations }: Preparation): void {
  for (const step of STEPS_OF[family]) {
    const own: Record<string, unknown> = { ...state.chain[step.key] };
    for (const field of step.fields(state.chain[step.key]!, state.chain)) {
      const picked = field.kind === "scene" && field.among === "elevation" ? own[field.at] : null;
      if (picked && !elevations.some((elevation) => elevation.id === picked)) {
        throw new AppError(
          422,
          "invalid",
          "This elevation is not in the study",
          `chain.${step.key}.${"at" in field ? field.at : ""}`,
          "Pick another one.",
        );
      }
    }
  }
}

/** Begins a run of what is not kept yet; nothing that is unchanged is computed again. */
async function beginRun(
  { engine, sources }: Services,
  client: Client,
  studyId: string,
  family: Family,
  sceneIds: readonly string[] | null,
): Promise<{ runId: string | null; items: number }> {
  const prepared = await preparation(client, studyId, family);
  const { field } = HOUSES[family];
  if (prepared.study[field] === null) {
    await updateStudy(client, studyId, { [field]: prepared.state });
  }
  const items: PrepareItem[] = [];
  for (const item of await leftToRun(client, prepared, sources.within(client), sceneIds)) {
    const { width, height } = item.info.grid;
    const imageId = await createImage(client, item.info, levelCount(width, height));
    items.push({ ...item, imageId });
  }
  if (items.length === 0) {
    return { runId: null, items: 0 };
  }
  const names = [...new Set(items.map((item) => item.sceneName))];
  const params: PrepareParams = { items };
  const runId = await engine.submit(client, {
    studyId,
    kind: "prepareDates",
    title: names.length === 1 ? `Prepare ${names[0]}` : `Prepare ${names.length} dates`,
    params,
  });
  await touchStudy(client, studyId);
  return { runId, items: items.length };
}

/** One statistic over the prepared dates of a span, as a scene of its own. */
async function overTime(
  { engine, sources }: Services,
  client: Client,
  studyId: string,
  family: Family,
  ask: Parameters<typeof inSpan>[1],
): ReturnType<typeof overTimeScene> {
  const prepared = await preparation(client, studyId, family);
  const inside = inSpan(
    prepared.scenes.filter((scene) => prepared.nodes.has(scene.id)),
    ask,
  );
  for (const scene of inside) {
    const { error } = prepared.nodes.get(scene.id)!;
    if (error) {
      throw new AppError(422, "invalid", `${scene.name}: ${error.message}`, error.field);
    }
  }
  const apart = whyApart(family, prepared.state.chain);
  if (apart) {
    throw new AppError(
      422,
      "invalid",
      `Every date ${apart}`,
      "chain",
      "Switch that step on first.",
    );
  }
  const all = await studySides(client, studyId);
  const looks = await preparedLooks(client, family === "radar" ? prepared : undefined);
  const dates = await Promise.all(
    inside.map(async (scene) => ({
      ...{ scene, looks: looks.get(scene.id) ?? null },
      node: (await sideNode(sources.within(client), all, scene)).node,
    })),
  );
  return overTimeScene(
    { sources: sources.within(client) },
    (run) => engine.submit(client, run),
    client,
    studyId,
    family,
    dates,
    ask,
  );
}

/** What goes into a step and what comes out, for looking at. */
async function stepNodes(services: Services, prepared: Preparation, sceneId: string, step: string) {
  const chainResult = prepared.nodes.get(sceneId);
  if (!chainResult) {
    throw notFound("scene in this chain");
  }
  const { cells, error, failedAt } = chainResult;
  const cell = cells.find((one) => one.step === step);
  if (!cell || (error && step === failedAt)) {
    throw new AppError(
      422,
      "invalid",
      error?.message ?? "This step cannot run",
      "step",
      error?.hint,
    );
  }
  const view = async (node: NodeSpec) => {
    const { info } = await register(services, node);
    return nodeView(await register(services, shown(node, info)));
  };
  const output = await view(cell.output);
  const picture = stepOfChain(prepared.family, step).picture?.(cell.output, output.info) ?? null;
  const { detail } = prepared.scenes.find((scene) => scene.id === sceneId)!;
  return {
    input: await view(cell.input),
    output,
    levels: picture ? nodeView(await register(services, picture)) : null,
    sensor: typeof detail.pass === "string" ? detail.pass : null,
  };
}

/** Takes results away that the chain as it stands does not use. */
async function deleteOld(
  services: Services,
  studyId: string,
  family: Family,
): Promise<{ deleted: number }> {
  const { old } = await boardOf(services, studyId, family);
  const results = old.map((result) => result.hash);
  await services.db.withTransaction(async (client) => {
    await deleteKept(client, results);
    await sweepImages(client);
    if (results.length > 0) {
      await addToLedger(client, studyId, "Old results deleted", { results });
    }
  });
  return { deleted: results.length };
}
