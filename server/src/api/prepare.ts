import type { Router } from "express";
import * as yup from "yup";
import { FAMILIES, type Family } from "@hindglance/core/chain/family";
import { node } from "@hindglance/core/change/setup";
import { inSpan, overTimeFields, overTimeScene } from "../products/overTime";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { crsOfEpsg } from "@hindglance/formats/crs/epsg";
import { versionOf } from "@hindglance/core/graph/registry";
import { levelCount } from "@hindglance/core/grid/grid";
import { createImage, sweepImages } from "../db/images";
import { findNode } from "../db/nodes";
import { deleteKept, listKept, listOrbits } from "../db/products";
import { addToLedger, touchStudy, updateStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { HOUSES, type PrepareState } from "../products/families";
import { board, leftToRun, preparation } from "../products/prepare";
import { sideNode, studySides } from "../products/sides";
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
  const f = FAMILIES.find((x) => x === (req.query.family ?? "radar"));
  if (!f) {
    throw new AppError(422, "invalid", `family must be ${FAMILIES.join(" or ")}`, "family");
  }
  return f;
}
const overTimeSchema = yup.object(overTimeFields).noUnknown();

export function prepareRoutes(api: Router, s: Services): void {
  const { db, engine, sources, previews } = s;

  const view = (studyId: string, family: Family) =>
    db.withClient(async (c) => {
      const p = await preparation(c, studyId, family);
      const rows = await board(c, p, sources);
      const kept = await listKept(c, studyId);
      const live = new Set(rows.map((r) => r.result));
      // What the present chain still uses on the way counts as live too.
      for (const n of p.nodes.values()) {
        for (const x of n.cells) {
          live.add(nodeHash(x.output, versionOf));
        }
      }
      const mine = new Set(p.scenes.map((x) => x.id));
      return {
        family,
        ...p.state,
        rows,
        elevations: p.elevations.map((e) => ({ id: e.id, name: e.name })),
        orbits: (await listOrbits(c, studyId)).map((o) => ({
          id: o.id,
          fileName: o.fileName,
          kind: o.kind,
        })),
        old: kept
          .filter((k) => mine.has(k.sceneId) && !live.has(k.hash))
          .map((k) => ({
            hash: k.hash,
            sceneId: k.sceneId,
            createdAt: k.createdAt,
            bytes: k.cells * 5.4,
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
    const house = HOUSES[family];
    const b = checked(stateOf(family), req.body, "body");
    const state: PrepareState = {
      chain: b.chain,
      exceptions: house.check(b.chain, b.exceptions),
      heldOut: b.heldOut,
    };
    await db.withTransaction(async (c) => {
      const p = await preparation(c, id, family, state);
      const elevationId = (state.chain.terrain as { elevationId?: string | null } | undefined)
        ?.elevationId;
      if (elevationId && !p.elevations.some((e) => e.id === elevationId)) {
        throw new AppError(
          422,
          "invalid",
          "This elevation is not in the study",
          "chain.terrain.elevationId",
          "Pick another one.",
        );
      }
      await updateStudy(c, id, { [house.field]: state });
      await addToLedger(c, id, "Chain set", {
        family,
        chain: state.chain,
        exceptions: state.exceptions,
        heldOut: state.heldOut,
      });
    });
    res.json(await view(id, family));
  });
  /** Runs what is not kept yet; nothing that is unchanged is computed again. */
  api.post("/studies/:id/prepare/runs", async (req, res) => {
    const id = idOf(req);
    const family = familyIn(req);
    const b = checked(runSchema, req.body ?? {}, "body");
    const out = await db.withTransaction(async (c) => {
      const p = await preparation(c, id, family);
      const { field } = HOUSES[family];
      if (p.study[field] === null) {
        await updateStudy(c, id, { [field]: p.state });
      }
      const left = await leftToRun(c, p, sources, b.sceneIds);
      if (left.length === 0) {
        return null;
      }
      const items = [];
      for (const x of left) {
        items.push({
          ...x,
          imageId: await createImage(c, x.info, levelCount(x.info.grid.width, x.info.grid.height)),
        });
      }
      const names = [...new Set(items.map((x) => x.sceneName))];
      const runId = await engine.submit(c, {
        studyId: id,
        kind: "prepareDates",
        title: names.length === 1 ? `Prepare ${names[0]}` : `Prepare ${names.length} dates`,
        params: { items },
      });
      await touchStudy(c, id);
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
    const out = await db.withTransaction(async (c) => {
      const p = await preparation(c, id, family);
      const inside = inSpan(
        p.scenes.filter((x) => p.nodes.has(x.id)),
        b,
      );
      const broken = inside.find((x) => p.nodes.get(x.id)!.error);
      if (broken) {
        throw new AppError(
          422,
          "invalid",
          `${broken.name}: ${p.nodes.get(broken.id)!.error!.message}`,
          p.nodes.get(broken.id)!.error!.field,
        );
      }
      const apart = HOUSES[family].apart(p.state.chain);
      if (apart) {
        throw new AppError(
          422,
          "invalid",
          `Every date ${apart}`,
          "chain",
          "Switch that step on first.",
        );
      }
      const all = await studySides(c, id);
      return overTimeScene(
        { sources },
        (r) => engine.submit(c, r),
        c,
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
    const p = await db.withClient((c) => preparation(c, idOf(req), family));
    const n = p.nodes.get(b.sceneId);
    if (!n) {
      throw notFound("scene in this chain");
    }
    const cell = n.cells.find((x) => x.step === b.step);
    if (!cell || (n.error && b.step === n.failedAt)) {
      throw new AppError(
        422,
        "invalid",
        n.error?.message ?? "This step cannot run",
        "step",
        n.error?.hint,
      );
    }
    const view = async (x: NodeSpec) => {
      const r = await register(s, x);
      return nodeView(await register(s, shown(x, r.info)));
    };
    const output = await view(cell.output);
    const levels =
      output.info.bands.some((x) => x.name === "haze level") && b.step === "haze"
        ? nodeView(await register(s, node("optical.hazeLevels", {}, cell.output)))
        : null;
    res.json({
      input: await view(cell.input),
      output,
      levels,
      sensor: p.scenes.find((x) => x.id === b.sceneId)!.detail.pass ?? null,
    });
  });
  /** What a step found in a scene, for the log: figures, and warnings that follow from them. */
  api.post("/studies/:id/prepare/reports", async (req, res) => {
    const family = familyIn(req);
    const b = checked(nodeSchema, req.body, "body");
    const p = await db.withClient((c) => preparation(c, idOf(req), family));
    const cell = p.nodes.get(b.sceneId)?.cells.find((x) => x.step === b.step);
    if (!cell) {
      throw notFound("step of this scene");
    }
    const parts = await Promise.all((cell.tells ?? []).map((x) => previews.report({ node: x })));
    res.json({
      lines: parts.flatMap((x) => x?.lines ?? []),
      warnings: parts.flatMap((x) => x?.warnings ?? []),
    });
  });
  /**
   * Mean, spread, looks and histogram of a field of a node's band, the first where none is given,
   * or of a sample of the whole; decibels are averaged as power.
   */
  api.post("/fields", async (req, res) => {
    const b = checked(fieldSchema, req.body, "body");
    const n = await db.withClient((c) => findNode(c, b.hash));
    if (!n) {
      throw notFound("image");
    }
    if (b.band >= n.info.bands.length) {
      throw new AppError(422, "invalid", `The image has ${n.info.bands.length} bands`, "band");
    }
    res.json(await previews.field({ node: n.spec, window: b.window, band: b.band }));
  });
  /** Takes results away that the chain as it stands does not use. */
  api.delete("/studies/:id/prepare/old", async (req, res) => {
    const id = idOf(req);
    const old = (await view(id, familyIn(req))).old;
    await db.withTransaction(async (c) => {
      await deleteKept(
        c,
        old.map((o) => o.hash),
      );
      await sweepImages(c);
      if (old.length) {
        await addToLedger(c, id, "Old results deleted", { results: old.map((o) => o.hash) });
      }
    });
    res.json({ deleted: old.length });
  });
}
