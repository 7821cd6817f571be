import { Piscina } from "piscina";
import type { ErrorBody } from "@hindglance/contract/errors";
import { AppError } from "../errors";
import { giveUp, hasBegun, newMark } from "./mark";
import type { PreviewKind, Previews, Told } from "./tasks";

/** What comes back from a thread: the result, or an error as data. */
interface Back<T> {
  value?: T;
  error?: { status: number; body: ErrorBody };
}

/** Threads that compute previews. What nobody waits for any more leaves the queue, or ends. */
export class PreviewPool {
  private readonly pool: Piscina;
  constructor(script: string, url: string, threads: number, cacheBytes: number) {
    this.pool = new Piscina({
      filename: script,
      minThreads: 1,
      maxThreads: threads,
      workerData: { url, cacheBytes },
      idleTimeout: 60_000,
    });
  }

  tile = (told: Told<"tile">, signal?: AbortSignal) => this.run("tile", told, signal);
  histograms = (told: Told<"histograms">, signal?: AbortSignal) =>
    this.run("histograms", told, signal);
  field = (told: Told<"field">) => this.run("field", told);
  values = (told: Told<"values">) => this.run("values", told);
  normal = (told: Told<"normal">) => this.run("normal", told);
  report = (told: Told<"report">) => this.run("report", told);
  offset = (told: Told<"offset">) => this.run("offset", told);
  level = (told: Told<"level">) => this.run("level", told);
  firstMap = (told: Told<"firstMap">, signal?: AbortSignal) => this.run("firstMap", told, signal);
  labels = (told: Told<"labels">, signal?: AbortSignal) => this.run("labels", told, signal);
  patches = (told: Told<"patches">, signal?: AbortSignal) => this.run("patches", told, signal);
  paths = (told: Told<"paths">, signal?: AbortSignal) => this.run("paths", told, signal);
  grow = (told: Told<"grow">, signal?: AbortSignal) => this.run("grow", told, signal);
  judge = (told: Told<"judge">, signal?: AbortSignal) => this.run("judge", told, signal);
  train = (told: Told<"train">, signal?: AbortSignal) => this.run("train", told, signal);
  sheetPicture = (told: Told<"sheetPicture">, signal?: AbortSignal) =>
    this.run("sheetPicture", told, signal);
  webTile = (told: Told<"webTile">, signal?: AbortSignal) => this.run("webTile", told, signal);
  groups = (told: Told<"groups">, signal?: AbortSignal) => this.run("groups", told, signal);

  /** @throws AppError in the words that the thread found */
  private async run<K extends PreviewKind>(
    kind: K,
    told: Told<K>,
    signal?: AbortSignal,
  ): Promise<Previews[K]["result"]> {
    type Result = Previews[K]["result"];
    const mark = newMark();
    const unqueue = new AbortController();
    const leave = () => {
      giveUp(mark);
      // A thread that has begun ends the task itself: ended from outside it would lose what it keeps.
      if (!hasBegun(mark)) {
        unqueue.abort();
      }
    };
    signal?.addEventListener("abort", leave, { once: true });
    // The thread answers a task of a kind with the result of that kind.
    const task: unknown = { kind, ...told, mark };
    const back = (await this.pool
      .run(task, { signal: unqueue.signal })
      .finally(() => signal?.removeEventListener("abort", leave))) as Back<Result>;
    if (back.error) {
      const { status, body } = back.error;
      throw new AppError(status, body.code, body.message, body.field, body.hint);
    }
    return back.value as Result;
  }

  close(): Promise<void> {
    return this.pool.destroy();
  }
}
