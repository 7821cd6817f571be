import type { Router } from "express";
import { imageFileRoutes as routes } from "@hindglance/contract/imageFiles";
import { deleteImageFile, listImageFiles } from "../db/blobs";
import { notFound } from "../errors";
import { plannedImage } from "../products/imageFile";
import { studySides } from "../products/sides";
import { Reply, serve } from "./serve";
import type { Services } from "./services";

/** Routes of files of scenes: made in a run, listed, deleted. */
export function imageFileRoutes(api: Router, services: Services): void {
  const { db, engine, sources } = services;
  serve(api, routes.list, ({ params }) =>
    db.withClient((client) => listImageFiles(client, params.id)),
  );
  serve(api, routes.make, async ({ params: { id: studyId }, body }) => {
    const all = await db.withClient((client) => studySides(client, studyId));
    const planned = await plannedImage(sources, all, body);
    const { fileName, grid } = planned;
    const runId = await db.withTransaction((client) =>
      engine.submit(client, {
        ...{ studyId, kind: "makeImageFile", title: `Make ${fileName}` },
        params: { ...planned, studyId, sceneId: body.sceneId },
      }),
    );
    return new Reply(202, { runId, fileName, grid });
  });
  serve(api, routes.remove, async ({ params }) => {
    if (!(await db.withTransaction((client) => deleteImageFile(client, params.id)))) {
      throw notFound("file");
    }
  });
}
