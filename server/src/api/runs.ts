import type { Router } from "express";
import { AppError, notFound } from "../errors";
import { listRuns, runProgress } from "../runs/store";
import { idOf } from "./http";
import type { Services } from "./services";

export function runRoutes(api: Router, { db, engine }: Services): void {
  const slim = <T extends { params?: unknown }>(r: T) => ({ ...r, params: undefined });
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

  /** Server-sent events: a run's state whenever it changes, at most four times a second each. */
  const listeners = new Set<(text: string) => void>();
  const waiting = new Map<string, NodeJS.Timeout>();
  db.listen("hg_runs", (id) => {
    if (listeners.size === 0 || waiting.has(id)) {
      return;
    }
    waiting.set(
      id,
      setTimeout(() => {
        waiting.delete(id);
        void db
          .withClient((client) => runProgress(client, id))
          .then((r) => {
            if (r) {
              const text = `data: ${JSON.stringify(slim(r))}\n\n`;
              for (const listener of listeners) {
                listener(text);
              }
            }
          })
          .catch(() => {});
      }, 120),
    );
  });
  api.get("/events", (req, res) => {
    res.set({
      "content-type": "text/event-stream",
      "cache-control": "no-cache, no-transform",
      connection: "keep-alive",
    });
    res.flushHeaders();
    res.write(": hello\n\n");
    const send = (t: string) => {
      res.write(t);
    };
    const beat = setInterval(() => send(": still here\n\n"), 15000);
    listeners.add(send);
    req.on("close", () => {
      listeners.delete(send);
      clearInterval(beat);
    });
  });
}
