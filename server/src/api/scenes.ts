import type { Router } from "express";
import * as yup from "yup";
import { transformer, LONLAT } from "@hindglance/core/geodesy/crs";
import { type Grid, outline } from "@hindglance/core/grid/grid";


import { findBlob } from "../db/blobs";
import { setVertical, sweepImages } from "../db/images";
import {
  type Scene,
  deleteScene,
  deleteZones,
  findScene,
  listScenes,
  listZones,
  updateScene,
} from "../db/scenes";
import { deleteOrbit, listOrbits } from "../db/products";
import { addToLedger } from "../db/studies";
import { AppError, notFound } from "../errors";
import { sceneFrom } from "../products/createScene";
import { seriesOf } from "@hindglance/core/chain/comparable";
import { overTimeAsk } from "@hindglance/contract/prepare";
import { inSpan, overTimeScene } from "../products/overTime";
import type { ReadyScene } from "../products/families";
import { sideNode, studySides } from "../products/sides";
import { joinedScene } from "../products/joinScenes";
import { requireNoTwin } from "../products/takeIn";
import { areaFromUpload, zonesFrom } from "../products/zones";
import { checked, idOf } from "./http";
import type { Services } from "./services";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { isDay } from "@hindglance/contract/shapes";
import { SCENE_KINDS } from "@hindglance/core/scene/kinds";

const iso = yup
  .string()
  .matches(
    /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?Z$/,
    "${path} must be a UTC time such as 2025-05-02T18:41:10Z",
  )
  .test(
    "real",
    "${path} is not a date",
    (value) => value == null || (isDay(value.slice(0, 10)) && !Number.isNaN(Date.parse(value))),
  );
const vertical = yup
  .string()
  .oneOf(["ellipsoid", "egm96", "egm2008"] as const)
  .nullable();
const createSchema = yup
  .object({
    uploadId: yup.string().uuid().required(),
    kind: yup.string().oneOf(SCENE_KINDS).required(),
    name: yup.string().trim().min(1).max(120),
    acquiredAt: iso.nullable(),
    bands: yup.array(
      yup
        .object({
          polarisation: yup.string().oneOf(["VV", "VH", "HH", "HV"]).nullable(),
          unit: yup.string().oneOf(["power", "dB"]).nullable(),
        })
        .noUnknown(),
    ),
    vertical,
    cellM: yup.number().moreThan(0),
    bring: yup.boolean(),
    epsg: yup.number().integer().min(1000).max(999_999),
    rescale: yup
      .object({
        scale: yup.number().required(),
        offset: yup.number().required(),
        fill: yup.number().nullable().defined(),
      })
      .noUnknown()
      .nullable()
      .default(undefined),
  })
  .noUnknown();
const updateSchema = yup
  .object({
    name: yup.string().trim().min(1, "Give the scene a name").max(120),
    acquiredAt: iso.nullable(),
    vertical,
  })
  .noUnknown();
const joinSchema = yup
  .object({
    sceneIds: yup
      .array(yup.string().uuid().required())
      .min(2, "Pick two scenes or more")
      .max(200)
      .required(),
    name: yup.string().trim().min(1).max(120),
  })
  .noUnknown();
const overTimeSchema = overTimeAsk.shape({ like: yup.string().uuid().required() });
const zonesSchema = yup
  .object({
    uploadId: yup.string().uuid().required(),
    name: yup.string().trim().min(1).max(120),
    nameField: yup.string(),
  })
  .noUnknown();

const areaSchema = yup.object({ uploadId: yup.string().uuid().required() }).noUnknown();

/** A scene as the page gets it: with its outline on the globe. */
export const sceneView = (scene: Scene) => ({
  ...scene,
  detail: { ...scene.detail, sensor: undefined, files: undefined },
  footprint:
    (scene.detail.outline as [number, number][] | undefined) ??
    (scene.info && !isSensorFrame(scene.info.grid.crs) ? footprint(scene.info.grid) : null),
});

/** Outline of a grid on the globe, longitude and latitude. */
export function footprint(grid: Grid): [number, number][] {
  const pointTransform = transformer(grid.crs, LONLAT);
  return outline(grid).map(([x, y]) => pointTransform(x, y));
}

/** Routes of scenes and what belongs to them: orbit files, zones, the study area. */
export function sceneRoutes(api: Router, { db, engine, sources }: Services): void {
  api.get("/studies/:id/scenes", async (req, res) => {
    res.json((await db.withClient((client) => listScenes(client, idOf(req)))).map(sceneView));
  });
  api.post("/studies/:id/scenes", async (req, res) => {
    const studyId = idOf(req);
    const b = checked(createSchema, req.body, "body");
    const out = await db.withTransaction(async (client) => {
      const blob = await findBlob(client, b.uploadId);
      if (
        !blob ||
        blob.studyId !== studyId ||
        blob.purpose !== "upload" ||
        blob.state !== "ready"
      ) {
        throw new AppError(
          422,
          "invalid",
          "This upload is not there, or was imported already",
          "uploadId",
        );
      }
      await requireNoTwin(client, studyId, blob);
      return sceneFrom({ db, submit: (r) => engine.submit(client, r) }, client, studyId, blob, b);
    });
    res.status(202).json({ scene: sceneView(out.scene), runId: out.runId });
  });
  /**
   * Joins neighbouring frames of one pass, or tiles of one date; the joined scene takes the place
   * of its parts when the run ends.
   */
  api.post("/studies/:id/scenes/join", async (req, res) => {
    const studyId = idOf(req);
    const b = checked(joinSchema, req.body, "body");
    const out = await db.withTransaction((client) =>
      joinedScene(
        (r) => engine.submit(client, r),
        client,
        studyId,
        [...new Set(b.sceneIds)],
        b.name,
      ),
    );
    res.status(202).json({ scene: sceneView(out.scene), runId: out.runId });
  });
  /**
   * One statistic over the dates of a series that no chain prepares: scenes with the bands and
   * cells of `like`.
   */
  api.post("/studies/:id/scenes/over-time", async (req, res) => {
    const studyId = idOf(req);
    const b = checked(overTimeSchema, req.body, "body");
    const out = await db.withTransaction(async (client) => {
      const sides = await studySides(client, studyId);
      const like = sides.scenes.find((scene) => scene.id === b.like);
      if (!like?.info || !like.imageId) {
        throw new AppError(
          422,
          "invalid",
          "This scene is not in the study, or is still being imported",
          "like",
        );
      }
      return overTimeScene(
        { sources },
        (r) => engine.submit(client, r),
        client,
        studyId,
        like.kind,
        await Promise.all(
          inSpan(seriesOf(like, sides.scenes), b).map(async (scene) => ({
            scene,
            node: (await sideNode(sources, sides, scene as ReadyScene)).node,
          })),
        ),
        b,
      );
    });
    res.status(202).json({ scene: sceneView(out.scene), runId: out.runId });
  });
  api.patch("/scenes/:id", async (req, res) => {
    const id = idOf(req);
    const b = checked(updateSchema, req.body, "body");
    const scene = await db.withTransaction(async (client) => {
      const old = await findScene(client, id);
      if (!old) {
        throw notFound("scene");
      }
      if (b.acquiredAt === null && old.kind !== "elevation") {
        throw new AppError(422, "invalid", "A scene needs its date", "acquiredAt");
      }
      if (b.vertical !== undefined) {
        if (old.kind !== "elevation" || !old.imageId) {
          throw new AppError(422, "invalid", "Only elevation has a vertical datum", "vertical");
        }
        await setVertical(client, old.imageId, b.vertical);
      }
      await updateScene(client, id, b);
      await addToLedger(client, old.studyId, "Scene changed", { scene: id, ...b });
      return (await findScene(client, id))!;
    });
    res.json(sceneView(scene));
  });
  api.delete("/scenes/:id", async (req, res) => {
    const id = idOf(req);
    const scene = await db.withClient((client) => findScene(client, id));
    if (!scene) {
      throw notFound("scene");
    }
    if (scene.runId) {
      await engine.cancel(scene.runId);
    }
    await db.withTransaction(async (client) => {
      await deleteScene(client, id);
      await sweepImages(client);
      await addToLedger(client, scene.studyId, "Scene removed", {
        scene: id,
        name: scene.name,
        file: scene.fileName,
      });
    });
    res.status(204).end();
  });

  api.get("/studies/:id/orbits", async (req, res) => {
    res.json(await db.withClient((client) => listOrbits(client, idOf(req))));
  });
  api.delete("/orbits/:id", async (req, res) => {
    const study = await db.withTransaction(async (client) => {
      const s = await deleteOrbit(client, idOf(req));
      if (s) {
        await addToLedger(client, s, "Orbit file removed", { orbit: idOf(req) });
      }
      return s;
    });
    if (!study) {
      throw notFound("orbit file");
    }
    res.status(204).end();
  });

  api.get("/studies/:id/zones", async (req, res) => {
    res.json(await db.withClient((client) => listZones(client, idOf(req))));
  });
  api.post("/studies/:id/zones", async (req, res) => {
    const studyId = idOf(req);
    const b = checked(zonesSchema, req.body, "body");
    const zoneLayer = await db.withTransaction(async (client) =>
      zonesFrom(db, client, studyId, await findBlob(client, b.uploadId), b),
    );
    res.status(201).json(zoneLayer);
  });
  /** Uploaded polygons become the study area. */
  api.post("/studies/:id/study-area", async (req, res) => {
    const studyId = idOf(req);
    const { uploadId } = checked(areaSchema, req.body, "body");
    await db.withTransaction(async (client) =>
      areaFromUpload(db, client, studyId, await findBlob(client, uploadId)),
    );
    res.status(204).end();
  });
  api.delete("/zones/:id", async (req, res) => {
    const study = await db.withTransaction(async (client) => {
      const s = await deleteZones(client, idOf(req));
      if (s) {
        await addToLedger(client, s, "Zones removed", { zones: idOf(req) });
      }
      return s;
    });
    if (!study) {
      throw notFound("zone layer");
    }
    res.status(204).end();
  });
}
