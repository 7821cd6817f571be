import { appendFile } from "node:fs/promises";
import type { KeptRecipeRun } from "../db/recipes";

/** Where it is told that a run of a recipe has ended; null: nowhere. Settings of the server, never of a request. */
export interface NoticeTargets {
  /** An address that is sent JSON by POST. */
  url: string | null;
  /** A file that gets a line of JSON. */
  file: string | null;
}

/** How long the other side may take, milliseconds. */
const PATIENCE_MS = 10_000;

/** What is told of a run that has ended. */
export const noticeOf = (run: KeptRecipeRun, at: string) => ({
  ...{ at, study: run.study, studyId: run.studyId, run: run.id, name: run.name },
  ...{ state: run.state, lookFirst: run.lookFirst, before: run.before, after: run.after },
  changeMapId: run.made.changeMapId,
  files: run.made.files,
  said: run.log.at(-1)?.text ?? "",
});

/** Tells that a run has ended. @throws Error where it cannot be told */
export const tellEnd = (targets: NoticeTargets, run: KeptRecipeRun): Promise<void> =>
  sendNotice(targets, noticeOf(run, new Date().toISOString()));

/** Sends a notice to where it is told. @throws Error where it cannot be told */
export async function sendNotice({ url, file }: NoticeTargets, notice: object): Promise<void> {
  const text = JSON.stringify(notice);
  if (file) {
    await appendFile(file, `${text}\n`);
  }
  if (url) {
    const response = await fetch(url, {
      ...{ method: "POST", body: text, headers: { "content-type": "application/json" } },
      signal: AbortSignal.timeout(PATIENCE_MS),
    });
    if (!response.ok) {
      throw new Error(`A notice was answered with ${response.status}`);
    }
  }
}
