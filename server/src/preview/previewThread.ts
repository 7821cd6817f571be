import { workerData } from "piscina";
import { AWAY_MS, tried } from "../db/transient";
import { errorBody } from "../errors";
import { PreviewService } from "./service";
import type { Performers, PreviewKind, PreviewTask, Previews } from "./tasks";

const { url, cacheBytes } = workerData as { url: string; cacheBytes: number };
const service = new PreviewService(url, cacheBytes);

function perform<K extends PreviewKind>(
  kind: K,
  task: Previews[K]["task"],
): Promise<Previews[K]["result"]> {
  const performers: Performers = service;
  return performers[kind](task);
}

/**
 * Entry of a preview thread. Errors come back as data, so that their words survive the way between
 * threads.
 */
export default async function run(task: PreviewTask): Promise<unknown> {
  service.begin(task.mark);
  try {
    return { value: await tried(() => perform(task.kind, task), { forMs: AWAY_MS }) };
  } catch (error) {
    const { status, body, expected } = errorBody(error);
    if (!expected) {
      console.error("Preview failed:", error);
    }
    return { error: { status, body } };
  }
}
