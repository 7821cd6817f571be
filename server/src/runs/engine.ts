import { actingAs } from "../actor";
import type { ErrorBody } from "@hindglance/contract/errors";
import { CancelledError } from "@hindglance/core/errors";
import { type Client, type Database, lending } from "../db/pool";
import {
  type ClaimedRange,
  finishRange,
  notifyWork,
  openRanges,
  rangeResults,
  releaseLostRanges,
  startPhase,
} from "../db/ranges";
import {
  type Run,
  createRun,
  endRun,
  findRun,
  listStuck,
  listUnwanted,
  lockRun,
  notifyRun,
  runProgress,
  staysRunning,
} from "../db/runs";
import { isTransient, tried } from "../db/transient";
import { errorBody } from "../errors";
import type { RangeDone, RunKind } from "./kind";

/** A run as it is ordered. */
export interface Order {
  studyId: string | null;
  kind: string;
  title: string;
  params: object;
}

/**
 * Runs on the database: ordered, cut into ranges, moved from phase to phase, ended. What a run is
 * stands in the database alone; any number of engines and workers share it, and what one of them
 * leaves undone another one finds.
 */
export class Engine {
  constructor(
    private readonly db: Database,
    private readonly kinds: Record<string, RunKind<never>>,
  ) {}

  /** @throws Error where there is no such kind */
  kind(name: string): RunKind {
    const runKind = this.kinds[name];
    if (!runKind) {
      throw new Error(`No run of kind ${name}`);
    }
    return runKind;
  }

  /** Orders a run, as part of the caller's transaction; its id. */
  async submit(client: Client, order: Order): Promise<string> {
    const kind = this.kind(order.kind);
    const id = await createRun(client, { ...order, phases: kind.phases(order.params) });
    await this.advance(client, (await findRun(client, id))!);
    return id;
  }

  /**
   * Begins the next phase that has ranges, or ends the run. The run is held by the caller, or not
   * yet visible.
   */
  private async advance(client: Client, run: Run): Promise<void> {
    const kind = this.kind(run.kind);
    for (let phase = run.phase + 1; phase < run.phases.length; phase++) {
      const weights = await kind.ranges(phase, run.params, client, run);
      await startPhase(client, run.id, phase, weights);
      if (weights.length > 0) {
        await notifyWork(client);
        await notifyRun(client, run.id);
        return;
      }
    }
    // What a run leaves is done by who began it.
    const result = await actingAs(run.actor, () =>
      kind.finish(run.params, (phase) => rangeResults(client, run.id, phase), client, run, {
        db: lending(client),
        submit: (order) => this.submit(client, order),
      }),
    );
    await endRun(client, run.id, "done", { result });
    await notifyRun(client, run.id);
  }

  /** Cancels what pages waited for and none does any more; how many. */
  async cancelUnwanted(): Promise<number> {
    const runs = await this.db.withClient(listUnwanted);
    for (const run of runs) {
      await this.cancel(run);
    }
    return runs.length;
  }

  /**
   * Writes what came of a range and marks it as done, and moves the run on where it was the last
   * one: all of it or nothing.
   * @throws CancelledError where the run has ended, or the range belongs to another worker
   */
  async conclude(range: ClaimedRange, worker: number, done: RangeDone): Promise<void> {
    const { run, phase, seq } = range;
    await this.db.withTransaction(async (client) => {
      if (!(await staysRunning(client, run))) {
        throw new CancelledError("The run has ended");
      }
      await done.write?.(client);
      if (!(await finishRange(client, run, phase, seq, worker, done.result ?? null))) {
        throw new CancelledError("The range was given to another worker");
      }
      await this.moveOn(client, run);
    });
  }

  /**
   * Begins the next phase where every range of this one is done. Who holds the run sees what others
   * have committed before.
   */
  private async moveOn(client: Client, id: string): Promise<void> {
    const run = await lockRun(client, id, "moving");
    if (run?.state !== "running") {
      return;
    }
    if ((await openRanges(client, id, run.phase)) === 0) {
      await this.advance(client, run);
    } else {
      await notifyRun(client, id);
    }
  }

  /** Ends a run with what went wrong, and takes away what it left. */
  async fail(id: string, error: unknown): Promise<void> {
    const { body, expected } = errorBody(error);
    if (!expected) {
      console.error(`Run ${id} failed:`, error);
    }
    await this.end(id, "failed", body);
  }

  /** Ends a run that nobody wants any more; whether it was running. */
  cancel(id: string): Promise<boolean> {
    return this.end(id, "cancelled", null);
  }

  private end(
    id: string,
    state: "failed" | "cancelled",
    wrong: ErrorBody | null,
  ): Promise<boolean> {
    return this.db.withTransaction(async (client) => {
      const run = await lockRun(client, id, "ending");
      if (run?.state !== "running") {
        return false;
      }
      await endRun(client, id, state, wrong ? { error: wrong } : {});
      await this.kind(run.kind).discard(run.params, client, run, wrong);
      await notifyRun(client, id);
      return true;
    });
  }

  /**
   * Finds what was left undone: ranges whose worker lives no more go back to the queue, runs that
   * nobody moved on go on.
   * @returns how many ranges and runs that were
   */
  async recover(): Promise<{ ranges: number; runs: number }> {
    const ranges = await this.db.withTransaction(async (client) => {
      const lost = await releaseLostRanges(client);
      if (lost > 0) {
        await notifyWork(client);
      }
      return lost;
    });
    const stuck = await this.db.withClient(listStuck);
    for (const id of stuck) {
      await this.db
        .withTransaction((client) => this.moveOn(client, id))
        .catch(async (error: unknown) => {
          if (isTransient(error)) {
            throw error;
          }
          await this.fail(id, error);
        });
    }
    return { ranges, runs: stuck.length };
  }

  /**
   * A run once it has ended, or as it is when that takes too long. A database that is away for a moment
   * is asked again.
   */
  async wait(id: string, timeoutMs: number): Promise<Run> {
    const look = () => this.db.withClient((client) => runProgress(client, id));
    for (const end = Date.now() + timeoutMs; ;) {
      const r = await tried(look, { forMs: timeoutMs });
      if (!r || r.state !== "running" || Date.now() > end) {
        return r!;
      }
      await new Promise((ok) => setTimeout(ok, 50));
    }
  }
}
