import { exposureRoutes as routes } from "@hindglance/contract/exposure";
import type { Request, Response, Router } from "express";
import { findExposure } from "../db/exposure";
import { findImage } from "../db/images";
import { listOverlays } from "../db/overlays";
import type { Client } from "../db/pool";
import { findScene } from "../db/scenes";
import { AppError, notFound } from "../errors";
import { zonesOfMap } from "../products/zonePolygons";
import { exposureCsv } from "../report/exposureTable";
import { idOf } from "./http";
import { requireMap } from "./requireMap";
import { Reply, serve } from "./serve";
import type { Services } from "./services";

/** A scene of a study that is counted, of one kind. @throws AppError where it is none */
async function requireScene(
  client: Client,
  study: string,
  id: string | null,
  { kind, field, what }: { kind: string; field: string; what: string },
) {
  const scene = id === null ? null : await findScene(client, id);
  if (id === null) {
    return null;
  }
  if (scene?.studyId !== study || scene.kind !== kind || !scene.imageId || !scene.info) {
    throw new AppError(422, "invalid", `This is no ${what} of the study`, field);
  }
  const { name, imageId, info } = scene;
  return { sceneId: scene.id, name, imageId, info };
}

/** @throws AppError where an overlay is not of the study */
async function layersOf(
  client: Client,
  study: string,
  overlayIds: readonly string[],
  roadIds: readonly string[],
) {
  const overlays = await listOverlays(client, study);
  return overlayIds.map((overlayId) => {
    const overlay = overlays.find(({ id }) => id === overlayId);
    if (!overlay) {
      throw new AppError(
        422,
        "invalid",
        "A layer is not there any more",
        "overlayIds",
        "Pick the layers again.",
      );
    }
    const { name, labelField } = overlay;
    return { overlayId, name, labelField, isRoads: roadIds.includes(overlayId) };
  });
}

/** Sends what was counted as a table. @throws AppError 404 */
const sendTable =
  ({ db }: Services) =>
  async (req: Request, res: Response): Promise<void> => {
    const { map, info, exposure } = await db.withClient(async (client) => {
      const found = await requireMap(client, idOf(req));
      const image = await findImage(client, found.imageId);
      return { map: found, info: image!.info, exposure: await findExposure(client, found.id) };
    });
    if (!exposure) {
      throw notFound("exposure");
    }
    const plain = map.name.replace(/[^\w.-]+/g, "_");
    res.set({
      "content-type": "text/csv; charset=utf-8",
      "content-disposition": `attachment; filename="${plain}_exposure.csv"`,
      "cache-control": "no-store",
    });
    res.send(exposureCsv(exposure, info, map.name));
  };

/** Routes of who and what lies under the classes of a map. */
export function exposureRoutes(api: Router, services: Services): void {
  const { db, engine } = services;
  api.get("/change-maps/:id/exposure.csv", sendTable(services));
  serve(api, routes.find, ({ params: { id } }) =>
    db.withClient(async (client) => {
      await requireMap(client, id);
      return { exposure: await findExposure(client, id) };
    }),
  );
  serve(api, routes.count, async ({ params: { id }, body }) => {
    const { populationId, coverId, overlayIds, roadIds, flooded } = body;
    if (!populationId && !coverId && overlayIds.length === 0) {
      throw new AppError(
        422,
        "invalid",
        "Nothing is to be counted",
        "populationId",
        "Pick a population grid, a land cover, or layers of assets.",
      );
    }
    const runId = await db.withTransaction(async (client) => {
      const map = await requireMap(client, id);
      const { studyId, name, imageId: mapImageId } = map;
      const mapInfo = (await findImage(client, mapImageId))!.info;
      const asked = { kind: "population", field: "populationId", what: "population grid" };
      const covers = { kind: "classes", field: "coverId", what: "classified raster" };
      return engine.submit(client, {
        ...{ studyId, kind: "countExposure", title: `Exposure of ${name}` },
        params: {
          ...{ changeMapId: id, name, mapImageId, mapInfo, flooded },
          zones: await zonesOfMap(client, map, mapInfo.grid),
          depthImageId: map.depth?.imageId ?? null,
          population: await requireScene(client, studyId, populationId, asked),
          cover: await requireScene(client, studyId, coverId, covers),
          layers: await layersOf(client, studyId, overlayIds, roadIds),
        },
      });
    });
    return new Reply(202, { runId });
  });
}
