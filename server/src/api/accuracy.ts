import { accuracyRoutes as routes } from "@hindglance/contract/accuracy";
import type { Router } from "express";
import { randomUUID } from "node:crypto";
import type { ChangeMap } from "../db/changeMaps";
import { findImage } from "../db/images";
import type { Client } from "../db/pool";
import {
  deleteLook,
  deleteSample,
  findSample,
  listPlaces,
  listSamples,
  setLook,
} from "../db/samples";
import { addToLedger } from "../db/studies";
import { AppError, notFound } from "../errors";
import { findClassification } from "../db/classification";
import type { TrainingArea } from "@hindglance/core/classify/settings";
import { OVERLAP_HINT, sharedGround } from "@hindglance/core/classify/testAreas";
import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";
import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { findResult } from "../products/sampleResult";
import { zonesOfMap } from "../products/zonePolygons";
import { requireFew } from "../runs/drawSample";
import { requireMap } from "./requireMap";
import { Reply, type Work, serve } from "./serve";
import type { Services } from "./services";

/** @throws AppError 404 */
async function requireSample(client: Client, id: string) {
  const sample = await findSample(client, id);
  if (!sample) {
    throw notFound("sample");
  }
  return sample;
}

const draw =
  ({ db, engine }: Services): Work<typeof routes.draw> =>
  async ({ params: { id: changeMapId }, body: { name, design, nearCells } }) => {
    requireFew(design);
    const runId = await db.withTransaction(async (client) => {
      const map = await requireMap(client, changeMapId);
      const { info: mapInfo } = (await findImage(client, map.imageId))!;
      const zones = await zonesOfMap(client, map, mapInfo.grid);
      const { imageId: mapImageId, studyId } = map;
      const drawn = { sampleId: randomUUID(), changeMapId, name, design, nearCells };
      return engine.submit(client, {
        ...{ studyId, kind: "drawSample", title: `Draw ${name}` },
        params: { ...drawn, mapImageId, mapInfo, zones },
      });
    });
    return new Reply(202, { runId });
  };

/** @throws AppError 422 where an area to test on shares ground with one that the dates were trained on */
async function requireUntrained(
  client: Client,
  { studyId, setup }: ChangeMap,
  polygons: readonly MultiPolygon[],
): Promise<void> {
  const settings = setup.transitions
    ? (await findClassification(client, studyId))?.settings
    : undefined;
  const training = Object.entries(settings?.areas ?? {}).filter(([, area]) => !area.isTest);
  const asked = polygons.map((one, k): [string, TrainingArea] => [
    `test ${k + 1}`,
    { label: 1, sceneId: null, isTest: true, polygons: one },
  ]);
  const [shared] = sharedGround(Object.fromEntries([...training, ...asked]));
  if (shared) {
    throw new AppError(
      422,
      "trained",
      `Area ${shared.test.replace("test ", "")} of the file shares ground with an area that the map was trained on`,
      "areas",
      OVERLAP_HINT,
    );
  }
}

const testAreas =
  ({ db, engine }: Services): Work<typeof routes.testAreas> =>
  async ({ params: { id: changeMapId }, body: { name, areas } }) => {
    const runId = await db.withTransaction(async (client) => {
      const map = await requireMap(client, changeMapId);
      const read = areas.map(({ label, polygons }) => ({
        ...{ label, polygons: multiPolygonFrom({ type: "MultiPolygon", coordinates: polygons }) },
      }));
      await requireUntrained(
        client,
        map,
        read.map(({ polygons }) => polygons),
      );
      const { info: mapInfo } = (await findImage(client, map.imageId))!;
      const onMap = read.map(({ label, polygons }) => ({
        ...{ label, polygons: areaOnGrid(polygons, mapInfo.grid) },
      }));
      const told = { sampleId: randomUUID(), changeMapId, name, areas: onMap };
      return engine.submit(client, {
        ...{ studyId: map.studyId, kind: "countTestAreas", title: `Test on ${name}` },
        params: { ...told, mapImageId: map.imageId, mapInfo },
      });
    });
    return new Reply(202, { runId });
  };

const remove =
  ({ db }: Services): Work<typeof routes.remove> =>
  ({ params: { id } }) =>
    db.withTransaction(async (client) => {
      const { changeMapId, name } = await requireSample(client, id);
      await deleteSample(client, id);
      const { studyId } = await requireMap(client, changeMapId);
      await addToLedger(client, studyId, "Sample deleted", { sample: id, name });
      return null;
    });

/** Routes of samples: drawn from a map, looked at place by place, and what came of it. */
export function accuracyRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.list, ({ params }) =>
    db.withClient(async (client) => {
      const { id } = await requireMap(client, params.id);
      return listSamples(client, id);
    }),
  );
  serve(api, routes.draw, draw(services));
  serve(api, routes.testAreas, testAreas(services));
  serve(api, routes.remove, remove(services));
  serve(api, routes.places, ({ params: { id }, query: { interpreter } }) =>
    db.withClient(async (client) => {
      await requireSample(client, id);
      return listPlaces(client, id, interpreter);
    }),
  );
  serve(api, routes.look, ({ params: { id }, body }) =>
    db.withTransaction(async (client) => {
      if (!(await setLook(client, id, body))) {
        throw notFound("place of the sample");
      }
      return null;
    }),
  );
  serve(api, routes.unlook, ({ params: { id, number }, query: { interpreter } }) =>
    db.withTransaction(async (client) => {
      await deleteLook(client, id, Number(number), interpreter);
      return null;
    }),
  );
  serve(api, routes.result, ({ params: { id } }) =>
    db.withClient(async (client) => {
      await requireSample(client, id);
      return findResult(client, id);
    }),
  );
}
