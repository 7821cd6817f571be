import { runRoutes as routes } from "@hindglance/contract/runs";
import { serve } from "./serve";
import type { Router } from "express";
import { AppError, notFound } from "../errors";

import type { Services } from "./services";
import { listRuns, runProgress } from "../db/runs";

/** A run as pages get it: without the parameters it was begun with, and by whom. */
export const slim = <T extends { params?: unknown; actor?: unknown }>(run: T) => ({
  ...run,
  params: undefined,
  actor: undefined,
});

/** Routes of runs: listed, looked at, cancelled one by one or all together. */
export function runRoutes(api: Router, { db, engine, waits }: Services): void {
  serve(api, routes.list, async ({ query }) =>
    (await db.withClient((client) => listRuns(client, query.study ?? null))).map(slim),
  );
  serve(api, routes.find, async ({ params }) => {
    const r = await db.withClient((client) => runProgress(client, params.id));
    if (!r) {
      throw notFound("run");
    }
    return slim(r);
  });
  /** Ends every run, or those of one study; runs that have just ended are no matter. */
  serve(api, routes.cancelAll, async ({ body }) => {
    const { studyId } = body;
    const running = (await db.withClient((client) => listRuns(client, studyId ?? null))).filter(
      (run) => run.state === "running",
    );
    let cancelled = 0;
    for (const run of running) {
      cancelled += (await engine.cancel(run.id)) ? 1 : 0;
    }
    return { cancelled };
  });
  serve(api, routes.wait, async ({ params, body }) => {
    await waits.add(body.page, params.id);
    return null;
  });
  serve(api, routes.leave, async ({ params, body }) => {
    await waits.remove(body.page, params.id);
    return null;
  });
  serve(api, routes.cancel, async ({ params }) => {
    const { id } = params;
    if (!(await db.withClient((client) => runProgress(client, id)))) {
      throw notFound("run");
    }
    if (!(await engine.cancel(id))) {
      throw new AppError(409, "ended", "This run has already ended");
    }
    return null;
  });
}
