import { readConfig } from "./config";
import { migrate } from "./db/migrations";
import { Database } from "./db/pool";
import { tried } from "./db/transient";
import { Engine } from "./runs/engine";
import { RUN_KINDS } from "./runs/kinds";
import { sweepScratch } from "./files/scratch";
import { tellOfSelf } from "./runs/tellOfSelf";
import { Worker } from "./runs/worker";

// A process that takes ranges of runs from the queue. Any number of them, on any host that reaches
// the database.

/** How long the database may be away when a worker begins, milliseconds. */
const BEGIN_MS = 600_000;
/** How long a worker has to let go before it ends all the same, milliseconds. */
const STOP_MS = 2500;

let worker: Worker | null = null;
let silent: (() => Promise<void>) | null = null;
let stopping = false;
async function stop(): Promise<void> {
  if (stopping) {
    return;
  }
  stopping = true;
  const leave = async () => {
    await worker?.stop();
    await silent?.();
  };
  await Promise.race([leave(), new Promise((ok) => setTimeout(ok, STOP_MS))]);
  process.exit(0);
}
process.on("SIGINT", () => void stop());
process.on("SIGTERM", () => void stop());
// The server that started this worker is gone, however it ended: maybe before this was listened to.
if (process.send) {
  process.on("disconnect", () => void stop());
  if (!process.connected) {
    void stop();
  }
}

const config = readConfig();
const db = new Database(config.databaseUrl, {
  max: 4,
  name: "hind-glance worker",
  strict: config.checkAnswers,
});
await tried(() => migrate(db), { forMs: BEGIN_MS });
await sweepScratch(config.ages.fileHours).catch((error: unknown) => console.warn(error));
const own = new Worker(db, new Engine(db, RUN_KINDS), 96 << 20);
worker = own;
own.start();
silent = tellOfSelf(db, {
  kind: "worker",
  key: () => own.key,
  onDraining: (isDraining) => own.drain(isDraining),
});
