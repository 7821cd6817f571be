import { changesBetween } from "@hindglance/contract/changes";
import { cancelRunsOf } from "../db/runs";
import { studyRoutes as routes } from "@hindglance/contract/studies";
import { Reply, type Work, serve } from "./serve";
import type { Router } from "express";
import { sweepImages } from "../db/images";
import {
  type Study,
  addToLedger,
  createStudy,
  deleteStudy,
  findStudy,
  listStudies,
  lockStudy,
  readLedger,
  updateStudy,
} from "../db/studies";
import { AppError, notFound } from "../errors";
import { areaFrom } from "../products/studyArea";
import type { Services } from "./services";

type Update = Parameters<Work<typeof routes.update>>[0]["body"];
type Facts = NonNullable<Update["was"]>;

/** What may be said of a study, in the words of a message. */
const WORDS: Record<keyof Facts, string> = {
  name: "name",
  hazard: "hazard",
  eventAt: "event's time",
  studyArea: "study area",
};
const FACTS = ["name", "hazard", "eventAt", "studyArea"] as const satisfies (keyof Facts)[];

/** A fact as it can be compared: moments are the same however they are written. */
function comparable(fact: keyof Facts, value: unknown): unknown {
  const isMoment = fact === "eventAt" && (typeof value === "string" || value instanceof Date);
  return isMoment ? new Date(value).getTime() : (value ?? null);
}

const isSame = (fact: keyof Facts, one: unknown, other: unknown): boolean =>
  changesBetween(comparable(fact, one), comparable(fact, other)).length === 0;

/** @throws AppError 409 where a fact that is to be changed is not what the page last saw */
function requireAsSeen(study: Study, { was, ...next }: Update): void {
  const changed = FACTS.find(
    (fact) =>
      was?.[fact] !== undefined &&
      next[fact] !== undefined &&
      !isSame(fact, study[fact], was[fact]) &&
      !isSame(fact, study[fact], next[fact]),
  );
  if (changed) {
    throw new AppError(
      409,
      "changedElsewhere",
      `The ${WORDS[changed]} of the study was changed on another page meanwhile`,
      changed,
      "Look at what stands there now, and keep it or yours.",
    );
  }
}

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
        ...(s.studyArea ? { studyArea: s.studyArea } : {}),
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
      const old = await lockStudy(client, params.id);
      if (!old) {
        throw notFound("study");
      }
      requireAsSeen(old, body);
      const { was: _was, ...next } = body;
      const ownStudy = await updateStudy(client, params.id, { ...next, studyArea });
      if (ownStudy && (body.name ?? body.hazard ?? body.eventAt ?? body.studyArea) !== undefined) {
        await addToLedger(client, ownStudy.id, "Study changed", {
          name: ownStudy.name,
          hazard: ownStudy.hazard,
          eventAt: ownStudy.eventAt,
          ...(studyArea === undefined ? {} : { studyArea }),
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
