import { hasDate } from "@hindglance/core/scene/kinds";
import { sceneRoutes as routes } from "@hindglance/contract/scenes";
import { JsonText, Reply, type Work, serve } from "./serve";
import type { Router } from "express";

import { type Blob, findBlob } from "../db/blobs";
import { type Client, lending } from "../db/pool";
import { classNamesFrom } from "@hindglance/formats/classes/classNames";
import { withNames } from "../products/scenes/classes";
import { setClasses, setVertical, sweepImages } from "../db/images";
import {
  type Scene,
  deleteScene,
  deleteZones,
  findZones,
  findScene,
  listScenes,
  listZones,
  updateScene,
} from "../db/scenes";
import {
  deleteOverlay,
  findOverlay,
  listOverlays,
  overlayFeatures,
  updateOverlay,
} from "../db/overlays";
import { deleteOrbit, listOrbits } from "../db/products";
import { addToLedger } from "../db/studies";
import { AppError, notFound } from "../errors";
import { elevationDoubt } from "../products/elevationCover";
import { sceneFrom } from "../products/scenes/sceneFrom";
import { seriesOf } from "@hindglance/core/chain/comparable";
import { inSpan, overTimeScene } from "../products/overTime";
import { isDate, sideNode, studySides } from "../products/sides";
import type { NewScene } from "../products/scenes/beginImport";
import type { Submit } from "../products/plans";
import { orbitView } from "../products/orbits";
import { joinedScene } from "../products/joinScenes";
import { requireNoTwin } from "../products/takeIn";
import type { VectorUse } from "../vectors/tasks";
import {
  type SaidOfVectors,
  areaFromUpload,
  overlayFrom,
  overlayOfZones,
  readUpload,
  zonesFrom,
} from "../products/vectors";
import { footprint } from "../products/footprint";
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

/** @throws AppError where the upload is not there, or was imported already */
async function requireUpload(client: Client, studyId: string, uploadId: string): Promise<Blob> {
  const blob = await findBlob(client, uploadId);
  const isThere = blob?.studyId === studyId && blob.purpose === "upload" && blob.state === "ready";
  if (!isThere) {
    throw new AppError(
      422,
      "invalid",
      "This upload is not there, or was imported already",
      "uploadId",
    );
  }
  return blob;
}

const accepted = ({ scene, runId }: NewScene) => new Reply(202, { scene: sceneView(scene), runId });

/** An upload becomes a scene. */
const create =
  ({ db, engine }: Services): Work<typeof routes.create> =>
  async ({ params: { id: studyId }, body }) =>
    accepted(
      await db.withTransaction(async (client) => {
        const blob = await requireUpload(client, studyId, body.uploadId);
        await requireNoTwin(client, studyId, blob);
        const submit: Submit = (run) => engine.submit(client, run);
        return sceneFrom({ db: lending(client), submit }, client, studyId, blob, body);
      }),
    );

/**
 * Joins neighbouring frames of one pass, or tiles of one date; the joined scene takes the place of
 * its parts when the run ends.
 */
const join =
  ({ db, engine }: Services): Work<typeof routes.join> =>
  async ({ params: { id: studyId }, body }) =>
    accepted(
      await db.withTransaction((client) => {
        const submit: Submit = (run) => engine.submit(client, run);
        return joinedScene(submit, client, studyId, [...new Set(body.sceneIds)], body.name);
      }),
    );

/** @throws AppError where the scene is not there, or not stored yet */
function requireStored(scenes: readonly Scene[], id: string): Scene {
  const scene = scenes.find((one) => one.id === id);
  if (!scene?.info || !scene.imageId) {
    throw new AppError(
      422,
      "invalid",
      "This scene is not in the study, or is still being imported",
      "like",
    );
  }
  return scene;
}

/**
 * One statistic over the dates of a series that no chain prepares: scenes with the bands and cells
 * of `like`.
 */
const overTime =
  ({ db, engine, sources }: Services): Work<typeof routes.overTime> =>
  async ({ params: { id: studyId }, body }) =>
    accepted(
      await db.withTransaction(async (client) => {
        const held = sources.within(client);
        const sides = await studySides(client, studyId);
        const like = requireStored(sides.scenes, body.like);
        const dates = inSpan(seriesOf(like, sides.scenes), body).filter(isDate);
        const nodes = await Promise.all(
          dates.map(async (scene) => ({
            ...{ scene, looks: scene.looks?.find((value) => value !== null) ?? null },
            node: (await sideNode(held, sides, scene)).node,
          })),
        );
        const submit: Submit = (run) => engine.submit(client, run);
        return overTimeScene({ sources: held }, submit, client, studyId, like.kind, nodes, body);
      }),
    );

/** Changes what is said of a scene. */
const update =
  ({ db }: Services): Work<typeof routes.update> =>
  async ({ params: { id }, body }) => {
    const scene = await db.withTransaction(async (client) => {
      const old = await findScene(client, id);
      if (!old) {
        throw notFound("scene");
      }
      if (body.acquiredAt === null && hasDate(old.kind)) {
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
  };

/** Names the classes of a classified scene by a style or a table. */
const nameClasses =
  ({ db }: Services): Work<typeof routes.nameClasses> =>
  async ({ params: { id }, body: { file, text } }) => {
    const named = classNamesFrom(text, file);
    const scene = await db.withTransaction(async (client) => {
      const old = await findScene(client, id);
      if (!old) {
        throw notFound("scene");
      }
      if (!old.imageId || old.info?.type !== "class8") {
        throw new AppError(
          422,
          "invalid",
          "Only a classified scene that is imported has classes",
          "id",
        );
      }
      const classes = withNames(old.info.classes ?? [], named);
      await setClasses(client, { sceneId: id, imageId: old.imageId, classes });
      const names = named.map(({ label, name }) => `${label} ${name}`);
      await addToLedger(client, old.studyId, "Classes named", { scene: id, file, names });
      return (await findScene(client, id))!;
    });
    return sceneView(scene);
  };

/** What speaks against that from which the heights of an elevation are said to be counted. */
const datum =
  ({ db }: Services): Work<typeof routes.datum> =>
  ({ params: { id } }) =>
    db.withClient(async (client) => {
      const scene = await findScene(client, id);
      if (!scene) {
        throw notFound("scene");
      }
      const { kind, imageId, info } = scene;
      if (kind !== "elevation" || !imageId || !info) {
        throw new AppError(422, "invalid", "Only elevation has a vertical datum", "id");
      }
      return { doubt: await elevationDoubt(client, { imageId, info }) };
    });

/** Takes a scene out of its study, with its import where that still runs. */
const remove =
  ({ db, engine }: Services): Work<typeof routes.remove> =>
  async ({ params: { id } }) => {
    const scene = await db.withClient((client) => findScene(client, id));
    if (!scene) {
      throw notFound("scene");
    }
    const { runId, studyId, name, fileName: file } = scene;
    if (runId) {
      await engine.cancel(runId);
    }
    await db.withTransaction(async (client) => {
      await deleteScene(client, id);
      await sweepImages(client);
      await addToLedger(client, studyId, "Scene removed", { scene: id, name, file });
    });
    return null;
  };

/** Deletes what belongs to a study, by a function that gives the study's id; tells its ledger. */
const removing =
  (
    { db }: Services,
    what: { name: string; said: string; key: string },
    removeIt: (client: Client, id: string) => Promise<string | null>,
  ) =>
  async ({ params: { id } }: { params: { id: string } }) => {
    const studyId = await db.withTransaction(async (client) => {
      const found = await removeIt(client, id);
      if (found) {
        await addToLedger(client, found, what.said, { [what.key]: id });
      }
      return found;
    });
    if (!studyId) {
      throw notFound(what.name);
    }
    return null;
  };

/** Reads an upload of features as it is meant. */
const readingOf =
  (services: Services) =>
  async (studyId: string, said: SaidOfVectors & { uploadId: string }, as: VectorUse) => {
    const upload = await services.db.withClient((client) => findBlob(client, said.uploadId));
    return readUpload(services, studyId, upload, said, as);
  };

/** Routes of orbit files, zones and the study area. */
function besideScenes(api: Router, services: Services): void {
  const { db } = services;
  const reading = readingOf(services);
  serve(api, routes.orbits, ({ params }) =>
    db.withClient(async (client) => {
      const scenes = await listScenes(client, params.id);
      return (await listOrbits(client, params.id)).map((orbit) => orbitView(orbit, scenes));
    }),
  );
  const orbit = { name: "orbit file", said: "Orbit file removed", key: "orbit" };
  serve(api, routes.removeOrbit, removing(services, orbit, deleteOrbit));
  serve(api, routes.zones, ({ params }) => db.withClient((client) => listZones(client, params.id)));
  serve(api, routes.createZones, async ({ params, body }) => {
    const read = await reading(params.id, body, "zones");
    const layer = await db.withTransaction((client) => zonesFrom(client, params.id, read, body));
    return new Reply(201, layer);
  });
  const zones = { name: "zone layer", said: "Zones removed", key: "zones" };
  serve(api, routes.removeZones, removing(services, zones, deleteZones));
  /** Uploaded polygons become the study area. */
  serve(api, routes.setStudyArea, async ({ params, body }) => {
    const read = await reading(params.id, body, "area");
    await db.withTransaction((client) => areaFromUpload(client, params.id, read));
    return null;
  });
}

/** Routes of features that lie over the maps. */
function overlayRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.overlays, ({ params }) =>
    db.withClient((client) => listOverlays(client, params.id)),
  );
  serve(api, routes.createOverlay, async ({ params, body }) => {
    const read = await readingOf(services)(params.id, body, "overlay");
    const overlay = await db.withTransaction((client) =>
      overlayFrom(client, params.id, read, body),
    );
    return new Reply(201, overlay);
  });
  serve(api, routes.overlayOfZones, async ({ params }) => {
    const overlay = await db.withTransaction(async (client) => {
      const zones = await findZones(client, params.id);
      return zones && overlayOfZones(client, zones);
    });
    if (!overlay) {
      throw notFound("zone layer");
    }
    return new Reply(201, overlay);
  });
  serve(api, routes.updateOverlay, async ({ params, body }) => {
    const overlay = await db.withTransaction(async (client) => {
      const old = await findOverlay(client, params.id);
      const { labelField } = body;
      if (old && labelField != null && !old.fields.includes(labelField)) {
        throw new AppError(422, "invalid", `No feature has a "${labelField}"`, "labelField");
      }
      return updateOverlay(client, params.id, body);
    });
    if (!overlay) {
      throw notFound("overlay");
    }
    return overlay;
  });
  const overlay = { name: "overlay", said: "Overlay removed", key: "overlay" };
  serve(api, routes.removeOverlay, removing(services, overlay, deleteOverlay));
  serve(api, routes.overlayFeatures, async ({ params }) => {
    const features = await db.withClient((client) => overlayFeatures(client, params.id));
    if (!features) {
      throw notFound("overlay");
    }
    return new JsonText(features);
  });
}

/** Routes of scenes and what belongs to them: orbit files, zones, overlays, the study area. */
export function sceneRoutes(api: Router, services: Services): void {
  serve(api, routes.list, async ({ params }) =>
    (await services.db.withClient((client) => listScenes(client, params.id))).map(sceneView),
  );
  serve(api, routes.create, create(services));
  serve(api, routes.join, join(services));
  serve(api, routes.overTime, overTime(services));
  serve(api, routes.update, update(services));
  serve(api, routes.nameClasses, nameClasses(services));
  serve(api, routes.datum, datum(services));
  serve(api, routes.remove, remove(services));
  besideScenes(api, services);
  overlayRoutes(api, services);
}
