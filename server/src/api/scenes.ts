import { sceneRoutes as routes } from "@hindglance/contract/scenes";
import { Reply, serve } from "./serve";
import type { Router } from "express";
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
import { inSpan, overTimeScene } from "../products/overTime";
import type { ReadyScene } from "../products/families";
import { sideNode, studySides } from "../products/sides";
import { joinedScene } from "../products/joinScenes";
import { requireNoTwin } from "../products/takeIn";
import { areaFromUpload, zonesFrom } from "../products/zones";
import type { Services } from "./services";
import { isSensorFrame } from "@hindglance/core/grid/frames";

/** A scene as the page gets it: with its outline on the globe. */
export const sceneView = (scene: Scene) => ({
  ...scene,
  detail: { ...scene.detail, sensor: undefined, files: undefined },
  footprint:
    scene.detail.outline ??
    (scene.info && !isSensorFrame(scene.info.grid.crs) ? footprint(scene.info.grid) : null),
});

/** Outline of a grid on the globe, longitude and latitude. */
export function footprint(grid: Grid): [number, number][] {
  const pointTransform = transformer(grid.crs, LONLAT);
  return outline(grid).map(([x, y]) => pointTransform(x, y));
}

/** Routes of scenes and what belongs to them: orbit files, zones, the study area. */
export function sceneRoutes(api: Router, { db, engine, sources }: Services): void {
  serve(api, routes.list, async ({ params }) =>
    (await db.withClient((client) => listScenes(client, params.id))).map(sceneView),
  );
  serve(api, routes.create, async ({ params, body }) => {
    const studyId = params.id;
    const out = await db.withTransaction(async (client) => {
      const blob = await findBlob(client, body.uploadId);
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
      return sceneFrom(
        { db, submit: (r) => engine.submit(client, r) },
        client,
        studyId,
        blob,
        body,
      );
    });
    return new Reply(202, { scene: sceneView(out.scene), runId: out.runId });
  });
  /**
   * Joins neighbouring frames of one pass, or tiles of one date; the joined scene takes the place
   * of its parts when the run ends.
   */
  serve(api, routes.join, async ({ params, body }) => {
    const studyId = params.id;
    const out = await db.withTransaction((client) =>
      joinedScene(
        (r) => engine.submit(client, r),
        client,
        studyId,
        [...new Set(body.sceneIds)],
        body.name,
      ),
    );
    return new Reply(202, { scene: sceneView(out.scene), runId: out.runId });
  });
  /**
   * One statistic over the dates of a series that no chain prepares: scenes with the bands and
   * cells of `like`.
   */
  serve(api, routes.overTime, async ({ params, body }) => {
    const studyId = params.id;
    const out = await db.withTransaction(async (client) => {
      const sides = await studySides(client, studyId);
      const like = sides.scenes.find((scene) => scene.id === body.like);
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
          inSpan(seriesOf(like, sides.scenes), body).map(async (scene) => ({
            scene,
            node: (await sideNode(sources, sides, scene as ReadyScene)).node,
          })),
        ),
        body,
      );
    });
    return new Reply(202, { scene: sceneView(out.scene), runId: out.runId });
  });
  serve(api, routes.update, async ({ params, body }) => {
    const { id } = params;
    const scene = await db.withTransaction(async (client) => {
      const old = await findScene(client, id);
      if (!old) {
        throw notFound("scene");
      }
      if (body.acquiredAt === null && old.kind !== "elevation") {
        throw new AppError(422, "invalid", "A scene needs its date", "acquiredAt");
      }
      if (body.vertical !== undefined) {
        if (old.kind !== "elevation" || !old.imageId) {
          throw new AppError(422, "invalid", "Only elevation has a vertical datum", "vertical");
        }
        await setVertical(client, old.imageId, body.vertical);
      }
      await updateScene(client, id, body);
      await addToLedger(client, old.studyId, "Scene changed", { scene: id, ...body });
      return (await findScene(client, id))!;
    });
    return sceneView(scene);
  });
  serve(api, routes.remove, async ({ params }) => {
    const { id } = params;
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
    return null;
  });

  serve(api, routes.orbits, async ({ params }) =>
    db.withClient((client) => listOrbits(client, params.id)),
  );
  serve(api, routes.removeOrbit, async ({ params }) => {
    const study = await db.withTransaction(async (client) => {
      const s = await deleteOrbit(client, params.id);
      if (s) {
        await addToLedger(client, s, "Orbit file removed", { orbit: params.id });
      }
      return s;
    });
    if (!study) {
      throw notFound("orbit file");
    }
    return null;
  });

  serve(api, routes.zones, async ({ params }) =>
    db.withClient((client) => listZones(client, params.id)),
  );
  serve(api, routes.createZones, async ({ params, body }) => {
    const studyId = params.id;
    const zoneLayer = await db.withTransaction(async (client) =>
      zonesFrom(db, client, studyId, await findBlob(client, body.uploadId), body),
    );
    return new Reply(201, zoneLayer);
  });
  /** Uploaded polygons become the study area. */
  serve(api, routes.setStudyArea, async ({ params, body }) => {
    const studyId = params.id;
    const { uploadId } = body;
    await db.withTransaction(async (client) =>
      areaFromUpload(db, client, studyId, await findBlob(client, uploadId)),
    );
    return null;
  });
  serve(api, routes.removeZones, async ({ params }) => {
    const study = await db.withTransaction(async (client) => {
      const s = await deleteZones(client, params.id);
      if (s) {
        await addToLedger(client, s, "Zones removed", { zones: params.id });
      }
      return s;
    });
    if (!study) {
      throw notFound("zone layer");
    }
    return null;
  });
}
