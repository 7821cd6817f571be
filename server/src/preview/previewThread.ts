import { workerData } from "piscina";
import { errorBody } from "../errors";
import { PreviewService } from "./service";
import type { PreviewTask } from "./tasks";

const { url, cacheBytes } = workerData as { url: string; cacheBytes: number };
const service = new PreviewService(url, cacheBytes);

/**
 * Entry of a preview thread. Errors come back as data, so that their words survive the way between
 * threads.
 */
export default async function run(task: PreviewTask): Promise<unknown> {
  try {
    const value = await (service[task.kind] as (previewTask: PreviewTask) => Promise<unknown>).call(
      service,
      task,
    );
    return { value };
  } catch (error) {
    const { status, body, expected } = errorBody(error);
    if (!expected) {
      console.error("Preview failed:", error);
    }
    return { error: { status, body } };
  }
}
