import { cancelRunsOf } from "../db/runs";
import { studyRoutes as routes } from "@hindglance/contract/studies";
import { Reply, serve } from "./serve";
import type { Router } from "express";
import { sweepImages } from "../db/images";
import {
  addToLedger,
  createStudy,
  deleteStudy,
  findStudy,
  listStudies,
  readLedger,
  updateStudy,
} from "../db/studies";
import { notFound } from "../errors";
import { areaFrom } from "../products/studyArea";
import type { Services } from "./services";

/** Routes of studies and their ledgers. */
export function studyRoutes(api: Router, { db }: Services): void {
  serve(api, routes.list, async () => db.withClient(listStudies));
  serve(api, routes.create, async ({ body }) => {
    const study = await db.withTransaction(async (client) => {
      const s = await createStudy(client, {
        name: body.name,
        hazard: body.hazard,
        eventAt: body.eventAt ?? null,
        studyArea: areaFrom(body.studyArea) ?? null,
      });
      await addToLedger(client, s.id, "Study begun", {
        name: s.name,
        hazard: s.hazard,
        eventAt: s.eventAt,
      });
      return s;
    });
    return new Reply(201, study);
  });
  serve(api, routes.find, async ({ params }) => {
    const study = await db.withClient((client) => findStudy(client, params.id));
    if (!study) {
      throw notFound("study");
    }
    return study;
  });
  serve(api, routes.update, async ({ params, body }) => {
    const studyArea = areaFrom(body.studyArea);
    const study = await db.withTransaction(async (client) => {
      const ownStudy = await updateStudy(client, params.id, {
        ...body,
        studyArea,
        compare: body.compare,
      });
      if (ownStudy && (body.name ?? body.hazard ?? body.eventAt ?? body.studyArea) !== undefined) {
        await addToLedger(client, ownStudy.id, "Study changed", {
          name: ownStudy.name,
          hazard: ownStudy.hazard,
          eventAt: ownStudy.eventAt,
          studyArea: studyArea !== undefined,
        });
      }
      return ownStudy;
    });
    if (!study) {
      throw notFound("study");
    }
    return study;
  });
  serve(api, routes.remove, async ({ params }) => {
    const { id } = params;
    const gone = await db.withTransaction(async (client) => {
      await cancelRunsOf(client, id);
      const ok = await deleteStudy(client, id);
      if (ok) {
        await sweepImages(client);
      }
      return ok;
    });
    if (!gone) {
      throw notFound("study");
    }
    return null;
  });
  serve(api, routes.ledger, async ({ params }) =>
    db.withClient((client) => readLedger(client, params.id)),
  );
}
