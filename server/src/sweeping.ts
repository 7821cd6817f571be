import type { Ages } from "./config";
import { sweepBrokenBlobs, sweepForgottenUploads, sweepUnfinishedFiles } from "./db/blobs";
import { sweepPatches } from "./db/changeMaps";
import { sweepImages } from "./db/images";
import { sweepNodes } from "./db/nodes";
import type { Client, Database } from "./db/pool";
import { sweepProcesses } from "./db/processes";
import { sweepRuns } from "./db/runs";

/** Key of the lock that lets one server sweep at a time. */
const BROOM = 7_310_403;
/** How often is swept, milliseconds. */
export const SWEEP_MS = 600_000;

/** How long a process that ended without a word stays on the list, hours. */
const SILENT_HOURS = 24;

/** Everything that is swept, each by itself: what cannot be swept now leaves the rest alone. */
const SWEEPS: Record<string, (client: Client, ages: Ages) => Promise<number>> = {
  uploads: (client, { uploadDays }) => sweepForgottenUploads(client, uploadDays),
  files: (client, { fileHours }) => sweepUnfinishedFiles(client, fileHours),
  broken: (client, { fileHours }) => sweepBrokenBlobs(client, fileHours),
  facts: (client, { factDays }) => sweepNodes(client, factDays),
  patches: sweepPatches,
  images: sweepImages,
  runs: (client, { runDays }) => sweepRuns(client, runDays),
  processes: (client) => sweepProcesses(client, SILENT_HOURS),
};

/**
 * Takes away what nobody asks for any more. Of several servers one does it at a time.
 * @returns how much of what went, by its name; what another server is sweeping is left out
 * @throws what the first sweep that failed threw, once the others are done
 */
export async function sweep(db: Database, ages: Ages): Promise<Record<string, number>> {
  const swept: Record<string, number> = {};
  const wrong: unknown[] = [];
  for (const [name, work] of Object.entries(SWEEPS)) {
    await db
      .withTransaction(async (client) => {
        const { rows } = await client.query<{ mine: boolean }>(
          "SELECT pg_try_advisory_xact_lock($1) AS mine",
          [BROOM],
        );
        if (rows[0]!.mine) {
          swept[name] = await work(client, ages);
        }
      })
      .catch((error: unknown) => wrong.push(error));
  }
  if (wrong.length > 0) {
    throw wrong[0];
  }
  return swept;
}
