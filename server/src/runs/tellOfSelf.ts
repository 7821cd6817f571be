import { randomUUID } from "node:crypto";
import { hostname } from "node:os";
import { type Told, forgetProcess, tellProcess } from "../db/processes";
import type { Database } from "../db/pool";
import { PROGRAM } from "../products/provenance";

/** How often a process tells of itself, milliseconds. */
const TELL_MS = 2000;

interface Asked {
  kind: Told["kind"];
  /** What a worker's ranges are marked with now; null where it has no place. */
  key(): number | null;
  /** Called with what the page asks of a worker each time. */
  onDraining(isDraining: boolean): void;
}

/**
 * Tells of this process in the database, again and again, until stopped: where it runs, how much memory
 * it takes, what its work is marked with. What cannot be told now is told the next time.
 * @returns what ends it, and takes the process off the list
 */
export function tellOfSelf(db: Database, { kind, key, onDraining }: Asked): () => Promise<void> {
  const self = { id: randomUUID(), kind, host: hostname(), pid: process.pid, program: PROGRAM };
  let telling: Promise<void> | null = null;
  const tell = async (): Promise<void> => {
    const told = { ...self, memoryBytes: process.memoryUsage.rss(), key: key() };
    onDraining(await db.withClient((client) => tellProcess(client, told)));
  };
  const tellOnce = (): void => {
    telling ??= tell()
      .catch(() => {})
      .finally(() => {
        telling = null;
      });
  };
  tellOnce();
  const timer = setInterval(tellOnce, TELL_MS);
  return async () => {
    clearInterval(timer);
    await telling;
    await db.withClient((client) => forgetProcess(client, self.id)).catch(() => {});
  };
}

/** The same for a server, which has no ranges and is not drained. */
export const tellOfServer = (db: Database): (() => Promise<void>) =>
  tellOfSelf(db, { kind: "server", key: () => null, onDraining: () => {} });
