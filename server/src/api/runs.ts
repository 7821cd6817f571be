import type { Router } from "express";
import * as yup from "yup";
import { AppError, notFound } from "../errors";

import { checked, idOf } from "./http";
import type { Services } from "./services";
import { listRuns, runProgress } from "../db/runs";

const cancelSchema = yup.object({ studyId: yup.string().uuid() }).noUnknown();

/** A run as pages get it: without the parameters it was begun with. */
export const slim = <T extends { params?: unknown }>(run: T) => ({ ...run, params: undefined });

/** Routes of runs: listed, looked at, cancelled one by one or all together. */
export function runRoutes(api: Router, { db, engine }: Services): void {
  api.get("/runs", async (req, res) => {
    const study =
      typeof req.query.study === "string" && /^[0-9a-f-]{36}$/.test(req.query.study)
        ? req.query.study
        : null;
    res.json((await db.withClient((client) => listRuns(client, study))).map(slim));
  });
  api.get("/runs/:id", async (req, res) => {
    const r = await db.withClient((client) => runProgress(client, idOf(req)));
    if (!r) {
      throw notFound("run");
    }
    res.json(slim(r));
  });
  /** Ends every run, or those of one study; runs that have just ended are no matter. */
  api.post("/runs/cancel", async (req, res) => {
    const { studyId } = checked(cancelSchema, req.body, "body");
    const running = (await db.withClient((client) => listRuns(client, studyId ?? null))).filter(
      (run) => run.state === "running",
    );
    let cancelled = 0;
    for (const run of running) {
      cancelled += (await engine.cancel(run.id)) ? 1 : 0;
    }
    res.json({ cancelled });
  });
  api.post("/runs/:id/cancel", async (req, res) => {
    const id = idOf(req);
    if (!(await db.withClient((client) => runProgress(client, id)))) {
      throw notFound("run");
    }
    if (!(await engine.cancel(id))) {
      throw new AppError(409, "ended", "This run has already ended");
    }
    res.status(204).end();
  });
}
