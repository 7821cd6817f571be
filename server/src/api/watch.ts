import type { Router } from "express";
import { watchRoutes as routes } from "@hindglance/contract/watch";
import { listNews } from "../db/news";
import { createSearch, deleteSearch, listSearches } from "../db/standingSearches";
import { addToLedger, findStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { Reply, serve } from "./serve";
import type { Services } from "./services";

/** Routes of what comes in by itself, and of what it came to. */
export function watchRoutes(api: Router, { db, config, archive }: Services): void {
  serve(api, routes.news, async () => db.withClient(listNews));
  serve(api, routes.find, async ({ params }) =>
    db.withClient(async (client) => {
      const study = await findStudy(client, params.id);
      if (!study) {
        throw notFound("study");
      }
      return {
        folder: config.watchFolder ? study.name : null,
        searches: await listSearches(client, params.id),
      };
    }),
  );
  serve(api, routes.add, async ({ params, body }) => {
    if (!archive) {
      throw new AppError(503, "noArchive", "No archive is set for this server");
    }
    const id = await db.withTransaction(async (client) => {
      const study = await findStudy(client, params.id);
      if (!study) {
        throw notFound("study");
      }
      if (!study.studyArea) {
        throw new AppError(
          422,
          "invalid",
          "A standing search looks over the study area, and none is drawn",
          "studyArea",
          "Draw the study area in Scenes first.",
        );
      }
      await addToLedger(client, params.id, "Standing search given", { ...body });
      return createSearch(client, params.id, body);
    });
    return new Reply(201, { id });
  });
  serve(api, routes.remove, async ({ params }) => {
    const studyId = await db.withTransaction(async (client) => {
      const found = await deleteSearch(client, params.id);
      if (found) {
        await addToLedger(client, found, "Standing search ended", {});
      }
      return found;
    });
    if (!studyId) {
      throw notFound("standing search");
    }
    return null;
  });
}
