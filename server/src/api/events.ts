import type { Router } from "express";
import { findStudy } from "../db/studies";

import { slim } from "./runs";
import type { Services } from "./services";
import { runProgress } from "../db/runs";

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

/** The stream of events: runs as they go on, and what of a study was changed. */
export function eventRoutes(api: Router, { db }: Services): void {
  const listeners = new Listeners();
  db.listen("hg_runs", (id) =>
    listeners.tell(`run ${id}`, "run", async () => {
      const run = await db.withClient((client) => runProgress(client, id));
      return run ? slim(run) : null;
    }),
  );
  db.listen("hg_studies", (payload) => {
    const [id = "", part = ""] = payload.split(" ");
    listeners.tell(`study ${payload}`, "study", async () => {
      const study = await db.withClient((client) => findStudy(client, id));
      return { id, part, version: study?.version ?? null };
    });
  });
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
    req.on("close", () => {
      remove();
      clearInterval(beat);
    });
  });
}
