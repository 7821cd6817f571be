import type { Router } from "express";
import * as yup from "yup";
import { comparisonSchema } from "@hindglance/contract/comparison";
import { sweepImages } from "../db/images";
import {
  HAZARDS,
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
import { checked, idOf } from "./http";
import type { Services } from "./services";

const isoDate = yup
  .string()
  .test(
    "date",
    "${path} must be a date and time in UTC such as 2025-05-12T06:00:00Z",
    (value) =>
      value == null ||
      (/^\d{4}-\d\d-\d\d(T[\d:.]+Z)?$/.test(value) && !Number.isNaN(Date.parse(value))),
  );
const name = yup
  .string()
  .trim()
  .min(1, "Give the study a name")
  .max(120, "A name has at most 120 characters");
const area = yup.mixed<object>().nullable();
const createSchema = yup
  .object({
    name: name.required("Give the study a name"),
    hazard: yup.string().oneOf(HAZARDS).required(),
    eventAt: isoDate.nullable(),
    studyArea: area,
  })
  .noUnknown();
const updateSchema = yup
  .object({
    name,
    hazard: yup.string().oneOf(HAZARDS),
    eventAt: isoDate.nullable(),
    studyArea: area,
    compare: comparisonSchema.nullable().default(undefined),
  })
  .noUnknown();

/** Routes of studies and their ledgers. */
export function studyRoutes(api: Router, { db }: Services): void {
  api.get("/studies", async (_req, res) => {
    res.json(await db.withClient(listStudies));
  });
  api.post("/studies", async (req, res) => {
    const b = checked(createSchema, req.body, "body");
    const study = await db.withTransaction(async (client) => {
      const s = await createStudy(client, {
        name: b.name,
        hazard: b.hazard,
        eventAt: b.eventAt ?? null,
        studyArea: areaFrom(b.studyArea) ?? null,
      });
      await addToLedger(client, s.id, "Study begun", {
        name: s.name,
        hazard: s.hazard,
        eventAt: s.eventAt,
      });
      return s;
    });
    res.status(201).json(study);
  });
  api.get("/studies/:id", async (req, res) => {
    const study = await db.withClient((client) => findStudy(client, idOf(req)));
    if (!study) {
      throw notFound("study");
    }
    res.json(study);
  });
  api.patch("/studies/:id", async (req, res) => {
    const b = checked(updateSchema, req.body, "body");
    const studyArea = areaFrom(b.studyArea);
    const study = await db.withTransaction(async (client) => {
      const ownStudy = await updateStudy(client, idOf(req), {
        ...b,
        studyArea,
        compare: b.compare,
      });
      if (ownStudy && (b.name ?? b.hazard ?? b.eventAt ?? b.studyArea) !== undefined) {
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
    res.json(study);
  });
  api.delete("/studies/:id", async (req, res) => {
    const id = idOf(req);
    const gone = await db.withTransaction(async (client) => {
      // Runs of the study notice within half a second that they have no row any more.
      await client.query(
        "UPDATE run SET state = 'cancelled', finished_at = now() WHERE study_id = $1 AND state = 'running'",
        [id],
      );
      const ok = await deleteStudy(client, id);
      if (ok) {
        await sweepImages(client);
      }
      return ok;
    });
    if (!gone) {
      throw notFound("study");
    }
    res.status(204).end();
  });
  api.get("/studies/:id/ledger", async (req, res) => {
    res.json(await db.withClient((client) => readLedger(client, idOf(req))));
  });
}
