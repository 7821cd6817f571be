import type { Router } from "express";
import * as yup from "yup";
import { changesSchema } from "@hindglance/contract/changes";
import { FAMILIES, type Family } from "@hindglance/core/chain/family";

import { inSpan, overTimeFields, overTimeScene } from "../products/overTime";
import { type NodeSpec, nodeHash, node } from "@hindglance/core/graph/node";
import { crsOfEpsg } from "@hindglance/formats/crs/epsg";
import { versionOf } from "@hindglance/core/graph/registry";
import { levelCount } from "@hindglance/core/grid/grid";
import { createImage, sweepImages } from "../db/images";
import { findNode } from "../db/nodes";
import { deleteKept, listKept, listOrbits } from "../db/products";
import { addToLedger, lockStudy, touchStudy, updateStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { HOUSES, type PrepareState } from "../products/families";
import { board, leftToRun, preparation } from "../products/prepare";
import { sideNode, studySides } from "../products/sides";
import { changedSettings } from "./changes";
import type { Client } from "../db/pool";
import { checked, idOf } from "./http";
import { nodeView, register, shown } from "./nodes";
import type { Services } from "./services";

const stateOf = (family: Family) =>
  yup
    .object({
      chain: HOUSES[family].schema.required(),
      exceptions: yup.mixed<object>().required(),
      heldOut: yup.array(yup.string().uuid().required()).max(500).required(),
    })
    .noUnknown();
const runSchema = yup
  .object({ sceneIds: yup.array(yup.string().uuid().required()).min(1).nullable().default(null) })
  .noUnknown();
const nodeSchema = yup
  .object({ sceneId: yup.string().uuid().required(), step: yup.string().max(40).required() })
  .noUnknown();
const windowSchema = yup
  .object({
    col: yup.number().integer().min(0).required(),
    row: yup.number().integer().min(0).required(),
    width: yup.number().integer().min(1).max(2000).required(),
    height: yup.number().integer().min(1).max(2000).required(),
  })
  .noUnknown();
const fieldSchema = yup
  .object({
    hash: yup
      .string()
      .matches(/^[0-9a-f]{32}$/)
      .required(),
    window: windowSchema.nullable().default(null),
    band: yup.number().integer().min(0).default(0),
  })
  .noUnknown();

/** Which chain a request is about; radar where it does not say. */
function familyIn(req: { query: Record<string, unknown> }): Family {
  const asked = FAMILIES.find((x) => x === (req.query.family ?? "radar"));
  if (!asked) {
    throw new AppError(422, "invalid", `family must be ${FAMILIES.join(" or ")}`, "family");
  }
  return asked;
}
const stateChangeSchema = yup.object({ changes: changesSchema }).noUnknown();
const overTimeSchema = yup.object(overTimeFields).noUnknown();

/** Sets a chain whole. @throws AppError when an exception or the elevation does not fit */
async function setChain(
  client: Client,
  id: string,
  family: Family,
  next: { chain: PrepareState["chain"]; exceptions: object; heldOut: string[] },
): Promise<void> {
  const { check, field } = HOUSES[family];
  const exceptions = check(next.chain, next.exceptions);
  const state: PrepareState = { chain: next.chain, exceptions, heldOut: next.heldOut };
  const prepared = await preparation(client, id, family, state);
  const terrain: Record<string, unknown> = { ...state.chain.terrain };
  const { elevationId } = terrain;
  if (elevationId && !prepared.elevations.some((elevation) => elevation.id === elevationId)) {
    throw new AppError(
      422,
      "invalid",
      "This elevation is not in the study",
      "chain.terrain.elevationId",
      "Pick another one.",
    );
  }
  await updateStudy(client, id, { [field]: state });
  await addToLedger(client, id, "Chain set", { family, ...state });
}

/** Routes of Prepare: the board of a family, its settings, its runs, its pictures. */
export function prepareRoutes(api: Router, services: Services): void {
  const { db, engine, sources, previews } = services;

  const view = (studyId: string, family: Family) =>
    db.withClient(async (client) => {
      const ownPreparation = await preparation(client, studyId, family);
      const rows = await board(client, ownPreparation, sources);
      const kept = await listKept(client, studyId);
      const live = new Set(rows.map((row) => row.result));
      // What the present chain still uses on the way counts as live too.
      for (const chainResult of ownPreparation.nodes.values()) {
        for (const chainCell of chainResult.cells) {
          live.add(nodeHash(chainCell.output, versionOf));
        }
      }
      const mine = new Set(ownPreparation.scenes.map((scene) => scene.id));
      return {
        family,
        ...ownPreparation.state,
        rows,
        elevations: ownPreparation.elevations.map((elevation) => ({
          id: elevation.id,
          name: elevation.name,
        })),
        orbits: (await listOrbits(client, studyId)).map((orbit) => ({
          id: orbit.id,
          fileName: orbit.fileName,
          kind: orbit.kind,
        })),
        old: kept
          .filter((keptImage) => mine.has(keptImage.sceneId) && !live.has(keptImage.hash))
          .map((keptImage) => ({
            hash: keptImage.hash,
            sceneId: keptImage.sceneId,
            createdAt: keptImage.createdAt,
            bytes: keptImage.cells * 5.4,
          })),
      };
    });

  /** Definition of a coordinate system by its EPSG code. */
  api.get("/crs/:code", async (req, res) => {
    if (!/^\d{4,6}$/.test(String(req.params.code))) {
      throw new AppError(
        422,
        "invalid",
        "A coordinate system is named by its EPSG code, four to six digits",
        "code",
      );
    }
    res.json(await crsOfEpsg(Number(req.params.code)));
  });
  api.get("/studies/:id/prepare", async (req, res) => {
    res.json(await view(idOf(req), familyIn(req)));
  });
  api.put("/studies/:id/prepare", async (req, res) => {
    const id = idOf(req);
    const family = familyIn(req);
    const b = checked(stateOf(family), req.body, "body");
    await db.withTransaction(async (client) => {
      await lockStudy(client, id);
      await setChain(client, id, family, b);
    });
    res.json(await view(id, family));
  });
  /** Changes of a chain's settings, from what the page last saw of them. */
  api.patch("/studies/:id/prepare", async (req, res) => {
    const id = idOf(req);
    const family = familyIn(req);
    const { changes } = checked(stateChangeSchema, req.body, "body");
    await db.withTransaction(async (client) => {
      await lockStudy(client, id);
      const { state } = await preparation(client, id, family);
      const next = changedSettings(state, changes, "chain");
      await setChain(client, id, family, checked(stateOf(family), next, "body"));
    });
    res.json(await view(id, family));
  });
  /** Runs what is not kept yet; nothing that is unchanged is computed again. */
  api.post("/studies/:id/prepare/runs", async (req, res) => {
    const id = idOf(req);
    const family = familyIn(req);
    const b = checked(runSchema, req.body ?? {}, "body");
    const out = await db.withTransaction(async (client) => {
      const prepared = await preparation(client, id, family);
      const { field } = HOUSES[family];
      if (prepared.study[field] === null) {
        await updateStudy(client, id, { [field]: prepared.state });
      }
      const left = await leftToRun(client, prepared, sources, b.sceneIds);
      if (left.length === 0) {
        return null;
      }
      const items = [];
      for (const x of left) {
        items.push({
          ...x,
          imageId: await createImage(
            client,
            x.info,
            levelCount(x.info.grid.width, x.info.grid.height),
          ),
        });
      }
      const names = [...new Set(items.map((item) => item.sceneName))];
      const runId = await engine.submit(client, {
        studyId: id,
        kind: "prepareDates",
        title: names.length === 1 ? `Prepare ${names[0]}` : `Prepare ${names.length} dates`,
        params: { items },
      });
      await touchStudy(client, id);
      return { runId, items: items.length };
    });
    if (!out) {
      res.json({ runId: null, items: 0 });
      return;
    }
    res.status(202).json(out);
  });
  /** One statistic over the prepared dates of a span, as a scene of its own. */
  api.post("/studies/:id/prepare/over-time", async (req, res) => {
    const id = idOf(req);
    const family = familyIn(req);
    const b = checked(overTimeSchema, req.body, "body");
    const out = await db.withTransaction(async (client) => {
      const prepared = await preparation(client, id, family);
      const inside = inSpan(
        prepared.scenes.filter((scene) => prepared.nodes.has(scene.id)),
        b,
      );
      const broken = inside.find((readyScene) => prepared.nodes.get(readyScene.id)!.error);
      if (broken) {
        throw new AppError(
          422,
          "invalid",
          `${broken.name}: ${prepared.nodes.get(broken.id)!.error!.message}`,
          prepared.nodes.get(broken.id)!.error!.field,
        );
      }
      const apart = HOUSES[family].apart(prepared.state.chain);
      if (apart) {
        throw new AppError(
          422,
          "invalid",
          `Every date ${apart}`,
          "chain",
          "Switch that step on first.",
        );
      }
      const all = await studySides(client, id);
      return overTimeScene(
        { sources },
        (r) => engine.submit(client, r),
        client,
        id,
        family,
        await Promise.all(
          inside.map(async (scene) => ({
            scene,
            node: (await sideNode(sources, all, scene)).node,
          })),
        ),
        b,
      );
    });
    res.status(202).json({ sceneId: out.scene.id, runId: out.runId });
  });
  /** What goes into a step and what comes out, for looking at. */
  api.post("/studies/:id/prepare/nodes", async (req, res) => {
    const family = familyIn(req);
    const b = checked(nodeSchema, req.body, "body");
    const prepared = await db.withClient((client) => preparation(client, idOf(req), family));
    const chainResult = prepared.nodes.get(b.sceneId);
    if (!chainResult) {
      throw notFound("scene in this chain");
    }
    const cell = chainResult.cells.find((chainCell) => chainCell.step === b.step);
    if (!cell || (chainResult.error && b.step === chainResult.failedAt)) {
      throw new AppError(
        422,
        "invalid",
        chainResult.error?.message ?? "This step cannot run",
        "step",
        chainResult.error?.hint,
      );
    }
    const view = async (x: NodeSpec) => {
      const nodeRow = await register(services, x);
      return nodeView(await register(services, shown(x, nodeRow.info)));
    };
    const output = await view(cell.output);
    const levels =
      output.info.bands.some((band) => band.name === "haze level") && b.step === "haze"
        ? nodeView(await register(services, node("optical.hazeLevels", {}, cell.output)))
        : null;
    res.json({
      input: await view(cell.input),
      output,
      levels,
      sensor: prepared.scenes.find((scene) => scene.id === b.sceneId)!.detail.pass ?? null,
    });
  });
  /** What a step found in a scene, for the log: figures, and warnings that follow from them. */
  api.post("/studies/:id/prepare/reports", async (req, res) => {
    const family = familyIn(req);
    const b = checked(nodeSchema, req.body, "body");
    const prepared = await db.withClient((client) => preparation(client, idOf(req), family));
    const cell = prepared.nodes
      .get(b.sceneId)
      ?.cells.find((chainCell) => chainCell.step === b.step);
    if (!cell) {
      throw notFound("step of this scene");
    }
    const parts = await Promise.all(
      (cell.tells ?? []).map((tell) => previews.report({ node: tell })),
    );
    res.json({
      lines: parts.flatMap((part) => part?.lines ?? []),
      warnings: parts.flatMap((part) => part?.warnings ?? []),
    });
  });
  /**
   * Mean, spread, looks and histogram of a field of a node's band, the first where none is given,
   * or of a sample of the whole; decibels are averaged as power.
   */
  api.post("/fields", async (req, res) => {
    const b = checked(fieldSchema, req.body, "body");
    const nodeRow = await db.withClient((client) => findNode(client, b.hash));
    if (!nodeRow) {
      throw notFound("image");
    }
    if (b.band >= nodeRow.info.bands.length) {
      throw new AppError(
        422,
        "invalid",
        `The image has ${nodeRow.info.bands.length} bands`,
        "band",
      );
    }
    res.json(await previews.field({ node: nodeRow.spec, window: b.window, band: b.band }));
  });
  /** Takes results away that the chain as it stands does not use. */
  api.delete("/studies/:id/prepare/old", async (req, res) => {
    const id = idOf(req);
    const old = (await view(id, familyIn(req))).old;
    await db.withTransaction(async (client) => {
      await deleteKept(
        client,
        old.map((result) => result.hash),
      );
      await sweepImages(client);
      if (old.length) {
        await addToLedger(client, id, "Old results deleted", {
          results: old.map((result) => result.hash),
        });
      }
    });
    res.json({ deleted: old.length });
  });
}
