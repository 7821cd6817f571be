import { readConfig } from "./config";
import { migrate } from "./db/migrations";
import { Database } from "./db/pool";
import { Engine } from "./runs/engine";
import { RUN_KINDS } from "./runs/kinds";

// A process that takes ranges of runs from the queue. Any number of them, on any host that reaches
// the database.
const config = readConfig();
const db = new Database(config.databaseUrl, 5);
await migrate(db);
const engine = new Engine(db, RUN_KINDS, 96 << 20);
await engine.start();
await engine.work();

let stopping = false;
async function stop(): Promise<void> {
  if (stopping) {
    return;
  }
  stopping = true;
  await Promise.race([engine.stop(), new Promise((ok) => setTimeout(ok, 2500))]);
  process.exit(0);
}
process.on("SIGINT", () => void stop());
process.on("SIGTERM", () => void stop());
// The server that started this worker is gone, however it ended.
if (process.send) {
  process.on("disconnect", () => void stop());
}
