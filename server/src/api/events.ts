import { randomUUID } from "node:crypto";
import type { Request, Router } from "express";
import { eventsQuery } from "@hindglance/contract/runs";
import type { Client } from "../db/pool";
import { runProgress } from "../db/runs";
import { findStudy } from "../db/studies";
import { AWAY_MS, tried } from "../db/transient";
import { checked } from "./http";
import { slim } from "./runs";
import type { Services } from "./services";

/** Notices of one thing are gathered for this long, milliseconds. */
const GATHER_MS = 120;
/** A line at least this often, so that nobody between takes the connection for dead. */
const BEAT_MS = 15_000;

/** Server-sent events to every page that listens. */
class Listeners {
  private readonly all = new Set<(text: string) => void>();
  private readonly waiting = new Map<string, NodeJS.Timeout>();

  get none(): boolean {
    return this.all.size === 0;
  }

  add(send: (text: string) => void): () => void {
    this.all.add(send);
    return () => this.all.delete(send);
  }

  /**
   * Tells what `make` gives, once for all notices of a key that come close together; null tells
   * nothing, and neither does a failure: the next notice will.
   */
  tell(key: string, event: string, make: () => Promise<object | null>): void {
    if (this.none || this.waiting.has(key)) {
      return;
    }
    const send = async () => {
      this.waiting.delete(key);
      const data = await make().catch(() => null);
      if (data) {
        const text = `event: ${event}\ndata: ${JSON.stringify(data)}\n\n`;
        this.all.forEach((listener) => listener(text));
      }
    };
    this.waiting.set(
      key,
      setTimeout(() => void send(), GATHER_MS),
    );
  }
}

/** What a page calls itself; one that does not is a page of its own. @throws AppError 422 */
const pageOf = (req: Request): string =>
  checked(eventsQuery, req.query, "query").page ?? randomUUID();

/** The stream of events: runs as they go on, and what of a study was changed. */
export function eventRoutes(api: Router, { db, waits }: Services): void {
  const listeners = new Listeners();
  // What was notified while nobody listened is not known: pages ask for everything anew.
  const again = () => listeners.tell("again", "again", () => Promise.resolve({}));
  const ask = <T>(work: (client: Client) => Promise<T>) =>
    tried(() => db.withClient(work), { forMs: AWAY_MS });
  const onRun = (id: string) =>
    listeners.tell(`run ${id}`, "run", async () => {
      const run = await ask((client) => runProgress(client, id));
      return run ? slim(run) : null;
    });
  const onStudy = (payload: string) => {
    const [id = "", part = ""] = payload.split(" ");
    listeners.tell(`study ${payload}`, "study", async () => {
      const study = await ask((client) => findStudy(client, id));
      return { id, part, version: study?.version ?? null };
    });
  };
  db.listen("hg_runs", onRun, again);
  db.listen("hg_studies", onStudy, again);
  api.get("/events", (req, res) => {
    res.set({
      "content-type": "text/event-stream",
      "cache-control": "no-cache, no-transform",
      connection: "keep-alive",
    });
    res.flushHeaders();
    res.write(": hello\n\n");
    const send = (text: string) => {
      res.write(text);
    };
    const beat = setInterval(() => send(": still here\n\n"), BEAT_MS);
    const remove = listeners.add(send);
    const leave = waits.open(pageOf(req));
    req.on("close", () => {
      remove();
      leave();
      clearInterval(beat);
    });
  });
}
