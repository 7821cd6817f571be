import type { Router } from "express";
import * as yup from "yup";
import { transformer, LONLAT } from "@hindglance/core/geodesy/crs";
import { type Grid, outline } from "@hindglance/core/grid/grid";
import { SCENE_KINDS } from "@hindglance/formats/scene/describe";
import { isSensorFrame } from "@hindglance/core/radar/sensor";
import { BlobSource, deleteBlob, findBlob } from "../db/blobs";
import { setVertical, sweepImages } from "../db/images";
import {
  type Scene,
  createZones,
  deleteScene,
  deleteZones,
  findScene,
  listScenes,
  listZones,
  updateScene,
} from "../db/scenes";
import { deleteOrbit, listOrbits } from "../db/products";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { sceneFrom } from "../products/createScene";
import { seriesOf } from "@hindglance/core/chain/comparable";
import { inSpan, overTimeFields, overTimeScene } from "../products/overTime";
import type { ReadyScene } from "../products/families";
import { sideNode, studySides } from "../products/sides";
import { joinedScene } from "../products/joinScenes";
import { checked, idOf, isDay } from "./http";
import type { Services } from "./services";

const iso = yup
  .string()
  .matches(
    /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?Z$/,
    "${path} must be a UTC time such as 2025-05-02T18:41:10Z",
  )
  .test(
    "real",
    "${path} is not a date",
    (v) => v == null || (isDay(v.slice(0, 10)) && !Number.isNaN(Date.parse(v))),
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
const overTimeSchema = yup
  .object({ ...overTimeFields, like: yup.string().uuid().required() })
  .noUnknown();
const zonesSchema = yup
  .object({
    uploadId: yup.string().uuid().required(),
    name: yup.string().trim().min(1).max(120),
    nameField: yup.string(),
  })
  .noUnknown();

/** A scene as the page gets it: with its outline on the globe. */
export const sceneView = (s: Scene) => ({
  ...s,
  detail: { ...s.detail, sensor: undefined, files: undefined },
  footprint:
    (s.detail.outline as [number, number][] | undefined) ??
    (s.info && !isSensorFrame(s.info.grid.crs) ? footprint(s.info.grid) : null),
});
export function footprint(g: Grid): [number, number][] {
  const t = transformer(g.crs, LONLAT);
  return outline(g).map(([x, y]) => t(x, y));
}

export function sceneRoutes(api: Router, { db, engine, sources }: Services): void {
  api.get("/studies/:id/scenes", async (req, res) => {
    res.json((await db.withClient((c) => listScenes(c, idOf(req)))).map(sceneView));
  });
  api.post("/studies/:id/scenes", async (req, res) => {
    const studyId = idOf(req);
    const b = checked(createSchema, req.body, "body");
    const out = await db.withTransaction(async (c) => {
      const blob = await findBlob(c, b.uploadId);
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
      return sceneFrom({ db, submit: (r) => engine.submit(c, r) }, c, studyId, blob, b);
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
    const out = await db.withTransaction((c) =>
      joinedScene((r) => engine.submit(c, r), c, studyId, [...new Set(b.sceneIds)], b.name),
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
    const out = await db.withTransaction(async (c) => {
      const sides = await studySides(c, studyId);
      const like = sides.scenes.find((s) => s.id === b.like);
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
        (r) => engine.submit(c, r),
        c,
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
    const s = await db.withTransaction(async (c) => {
      const old = await findScene(c, id);
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
        await setVertical(c, old.imageId, b.vertical);
      }
      await updateScene(c, id, b);
      await addToLedger(c, old.studyId, "Scene changed", { scene: id, ...b });
      return (await findScene(c, id))!;
    });
    res.json(sceneView(s));
  });
  api.delete("/scenes/:id", async (req, res) => {
    const id = idOf(req);
    const s = await db.withClient((c) => findScene(c, id));
    if (!s) {
      throw notFound("scene");
    }
    if (s.runId) {
      await engine.cancel(s.runId);
    }
    await db.withTransaction(async (c) => {
      await deleteScene(c, id);
      await sweepImages(c);
      await addToLedger(c, s.studyId, "Scene removed", {
        scene: id,
        name: s.name,
        file: s.fileName,
      });
    });
    res.status(204).end();
  });

  api.get("/studies/:id/orbits", async (req, res) => {
    res.json(await db.withClient((c) => listOrbits(c, idOf(req))));
  });
  api.delete("/orbits/:id", async (req, res) => {
    const study = await db.withTransaction(async (c) => {
      const s = await deleteOrbit(c, idOf(req));
      if (s) {
        await addToLedger(c, s, "Orbit file removed", { orbit: idOf(req) });
      }
      return s;
    });
    if (!study) {
      throw notFound("orbit file");
    }
    res.status(204).end();
  });

  api.get("/studies/:id/zones", async (req, res) => {
    res.json(await db.withClient((c) => listZones(c, idOf(req))));
  });
  api.post("/studies/:id/zones", async (req, res) => {
    const studyId = idOf(req);
    const b = checked(zonesSchema, req.body, "body");
    const z = await db.withTransaction(async (c) => {
      const blob = await findBlob(c, b.uploadId);
      const d = blob?.detail as unknown as {
        form: string;
        nameField: string | null;
        nameFields: string[];
      };
      if (!blob || blob.studyId !== studyId || blob.purpose !== "upload" || d?.form !== "zones") {
        throw new AppError(
          422,
          "invalid",
          "This upload is not there, or holds no zones",
          "uploadId",
        );
      }
      const nameField = b.nameField ?? d.nameField;
      if (!nameField || !d.nameFields.includes(nameField)) {
        throw new AppError(
          422,
          "invalid",
          nameField
            ? `Not every zone of ${blob.name} has a "${nameField}"`
            : `The zones of ${blob.name} have no name`,
          "nameField",
          "Every zone needs a property with its name.",
        );
      }
      const features = JSON.parse(
        new TextDecoder().decode(await new BlobSource(db, blob.id, blob.size).read(0, blob.size)),
      ) as object;
      const out = await createZones(c, {
        studyId,
        name: b.name ?? blob.name.replace(/\.[^.]+$/, ""),
        fileName: blob.name,
        fileSha256: blob.sha256!,
        nameField,
        features,
      });
      await deleteBlob(c, blob.id);
      await addToLedger(c, studyId, "Zones imported", {
        zones: out.id,
        file: blob.name,
        nameField,
      });
      await touchStudy(c, studyId);
      return out;
    });
    res.status(201).json(z);
  });
  api.delete("/zones/:id", async (req, res) => {
    const study = await db.withTransaction(async (c) => {
      const s = await deleteZones(c, idOf(req));
      if (s) {
        await addToLedger(c, s, "Zones removed", { zones: idOf(req) });
      }
      return s;
    });
    if (!study) {
      throw notFound("zone layer");
    }
    res.status(204).end();
  });
}
