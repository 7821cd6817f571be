import { errorBody } from "../errors";
import type { VectorKind, VectorPerformers, VectorWork } from "./tasks";
import { PERFORMERS } from "./work";

/** A task on its way to the thread. */
export interface SentTask<K extends VectorKind = VectorKind> {
  kind: K;
  task: VectorWork[K]["task"];
}

function perform<K extends VectorKind>({ kind, task }: SentTask<K>) {
  const performers: VectorPerformers = PERFORMERS;
  return performers[kind](task);
}

/**
 * Entry of the thread that reads files of features. Errors come back as data, so that their words
 * survive the way between threads.
 */
export default async function run(sent: SentTask): Promise<unknown> {
  try {
    return { value: await perform(sent) };
  } catch (error) {
    const { status, body, expected } = errorBody(error);
    if (!expected) {
      console.error("Reading features failed:", error);
    }
    return { error: { status, body } };
  }
}
