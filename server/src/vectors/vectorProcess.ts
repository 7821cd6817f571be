import { errorBody } from "../errors";
import type { Back, SentTask } from "./readApart";
import type { VectorKind, VectorPerformers } from "./tasks";
import { PERFORMERS } from "./work";

function perform<K extends VectorKind>({ kind, task }: SentTask<K>) {
  const performers: VectorPerformers = PERFORMERS;
  return performers[kind](task);
}

/** Errors come back as data, so that their words survive the way between processes. */
async function answerTo(sent: SentTask): Promise<Back> {
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

// Entry of the process that reads files of features: it ends with the server that it works for.
process.on("message", (sent: SentTask) => {
  void answerTo(sent).then((back) => process.send?.(back));
});
process.on("disconnect", () => process.exit());
