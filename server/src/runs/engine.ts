import { queryOf } from "../db/pool";
import { type Submit } from "../products/plans";
import { randomUUID } from "node:crypto";
import { hostname } from "node:os";
import PgBoss from "pg-boss";
import { CancelledError } from "@hindglance/core/errors";
import { stateStore } from "../db/nodes";
import type { Client, Database } from "../db/pool";
import { KeptImages } from "../eval/kept";
import { StoredSources } from "../eval/sources";
import { errorBody } from "../errors";
import {
  claimRange,
  finishRange,
  openRanges,
  queuedRanges,
  rangeResults,
  releaseLostRanges,
  setRangeProgress,
  startPhase,
  notifyWork,
} from "../db/ranges";
import {
  type PhasePlan,
  type Run,
  createRun,
  endRun,
  findRun,
  lockRun,
  runProgress,
  notifyRun,
  listRunning,
} from "../db/runs";
import { gone, seen } from "../db/workers";

/** What a kind of run is told while it works on a range. */
export interface RangeContext {
  db: Database;
  sources: StoredSources;
  kept: KeptImages;
  states: ReturnType<typeof stateStore>;
  signal: AbortSignal;
  progress(share: number): void;
}

/**
 * One kind of run: phases that follow each other, each cut into ranges of a few seconds that any
 * worker may do. A range may be done
 * twice (a worker can die after its work and before it says so), so its writing must replace what
 * an earlier try left, and
 * happens in the transaction that it is handed.
 */
export interface RunKind<P extends object = object> {
  phases(params: P): PhasePlan[];
  /** Weights of the ranges of a phase; called once, when the phase begins. May be empty. */
  ranges(phase: number, params: P, client: Client, run: Run): Promise<number[]>;
  /** Computes, and returns what to write together with the range's end. */
  work(
    phase: number,
    seq: number,
    params: P,
    ctx: RangeContext,
    run: Run,
  ): Promise<{ result?: object; write?(client: Client): Promise<void> }>;
  /** Makes the result visible, in the transaction that ends the run. */
  finish(
    params: P,
    results: <T>(phase: number) => Promise<T[]>,
    client: Client,
    run: Run,
    more: { db: Database; submit: Submit },
  ): Promise<object>;
  /** Takes away what an unfinished run left. */
  discard(params: P, client: Client, run: Run): Promise<void>;
}

const QUEUE = "ranges";
const SILENT_SECONDS = 6;
const MAX_ATTEMPTS = 4;
interface Job {
  run: string;
  phase: number;
  seq: number;
}

/**
 * Runs on the database: cut in ranges, done by any number of workers, resumed after any of them
 * dies.
 */
export class Engine {
  readonly id = randomUUID();
  private readonly boss: PgBoss;
  private heartbeat: NodeJS.Timeout | null = null;
  private readonly ctx: Omit<RangeContext, "signal" | "progress">;

  constructor(
    private readonly db: Database,
    private readonly kinds: Record<string, RunKind<never>>,
    cacheBytes: number,
  ) {
    this.boss = new PgBoss({
      connectionString: db.url,
      schema: "pgboss",
      max: 2,
      application_name: "hind-glance queue",
    });
    this.boss.on("error", () => {});
    const sources = new StoredSources(db, cacheBytes);
    this.ctx = { db, sources, kept: new KeptImages(db, sources), states: stateStore(db) };
  }

  async start(): Promise<void> {
    await this.boss.start();
    await this.boss.createQueue(QUEUE, {
      name: QUEUE,
      policy: "standard",
      retryLimit: 3,
      expireInSeconds: 900,
    });
  }

  async stop(): Promise<void> {
    if (this.heartbeat) {
      clearInterval(this.heartbeat);
    }
    this.abort.abort();
    await this.boss.stop({ graceful: false, wait: false }).catch(() => {});
    await this.db.withClient((client) => gone(client, this.id)).catch(() => {});
  }

  private kind(name: string): RunKind {
    const runKind = this.kinds[name];
    if (!runKind) {
      throw new Error(`No run of kind ${name}`);
    }
    return runKind;
  }

  /** Puts a run into the queue, as part of the caller's transaction. */
  async submit(
    client: Client,
    r: { studyId: string | null; kind: string; title: string; params: object },
  ): Promise<string> {
    const kind = this.kind(r.kind);
    const id = await createRun(client, {
      ...r,
      phases: kind.phases(r.params),
    });
    await this.advance(client, (await findRun(client, id))!);
    return id;
  }

  /**
   * Begins the next phase that has ranges, or ends the run. The run is locked by the caller or not
   * yet visible.
   */
  private async advance(client: Client, run: Run): Promise<void> {
    const kind = this.kind(run.kind);
    for (let phase = run.phase + 1; phase < run.phases.length; phase++) {
      const weights = await kind.ranges(phase, run.params, client, run);
      await startPhase(client, run.id, phase, weights);
      if (weights.length > 0) {
        await this.enqueue(
          client,
          weights.map((_w, seq) => ({ run: run.id, phase, seq })),
        );
        await notifyRun(client, run.id);
        return;
      }
    }
    const result = await kind.finish(
      run.params,
      (position) => rangeResults(client, run.id, position),
      client,
      run,
      {
        db: this.db,
        submit: (r) => this.submit(client, r),
      },
    );
    await endRun(client, run.id, "done", { result });
    await notifyRun(client, run.id);
  }

  private async enqueue(client: Client, jobs: Job[]): Promise<void> {
    const executeSql = queryOf(client);
    for (const data of jobs) {
      await this.boss.send(QUEUE, data, { db: { executeSql } } as PgBoss.SendOptions);
    }
    await notifyWork(client);
  }

  async cancel(id: string): Promise<boolean> {
    return this.db.withTransaction(async (client) => {
      const run = await lockRun(client, id);
      if (!run || run.state !== "running") {
        return false;
      }
      await endRun(client, id, "cancelled");
      await this.kind(run.kind).discard(run.params, client, run);
      await notifyRun(client, id);
      return true;
    });
  }

  private readonly abort = new AbortController();

  /** Takes ranges from the queue, one at a time, until stopped. */
  async work(): Promise<void> {
    const beat = () =>
      this.db
        .withClient((client) => seen(client, this.id, hostname(), process.pid))
        .catch(() => {});
    await beat();
    this.heartbeat = setInterval(() => void beat(), 1500);
    const worker = await this.boss.work<Job>(
      QUEUE,
      { batchSize: 1, pollingIntervalSeconds: 1 },
      async () => {
        await this.drain();
      },
    );
    // The queue is polled each second; a notice makes it at once.
    const stop = this.db.listen("hg_work", () => {
      try {
        this.boss.notifyWorker(worker);
      } catch {
        /* stopping */
      }
    });
    this.abort.signal.addEventListener("abort", stop, { once: true });
  }

  /**
   * A job only says that there is work: whoever gets it takes ranges until none is waiting, so that
   * no poll lies between two of them.
   */
  private async drain(): Promise<void> {
    for (
      let claim;
      !this.abort.signal.aborted &&
      (claim = await this.db.withClient((client) => claimRange(client, this.id)));
    ) {
      await this.perform(claim);
    }
  }

  private async perform(job: Job & { attempts: number }): Promise<void> {
    const run = await this.db.withClient((client) => findRun(client, job.run));
    if (!run) {
      return;
    }
    const kind = this.kind(run.kind);
    const stop = new AbortController();
    const onStop = () => stop.abort();
    this.abort.signal.addEventListener("abort", onStop, { once: true });
    let share = 0;
    let told = 0;
    // Cancelled runs are noticed here, and progress is told, twice a second.
    const watch = setInterval(() => {
      void this.db
        .withClient(async (client) => {
          const r = await findRun(client, job.run);
          if (!r || r.state !== "running") {
            stop.abort();
          } else if (share > told) {
            told = share;
            await setRangeProgress(client, job.run, job.phase, job.seq, share);
            await notifyRun(client, job.run);
          }
        })
        .catch(() => {});
    }, 500);
    try {
      if (job.attempts > MAX_ATTEMPTS) {
        throw new Error(`Given up after ${MAX_ATTEMPTS} tries: the worker died each time`);
      }
      const done = await kind.work(
        job.phase,
        job.seq,
        run.params,
        {
          ...this.ctx,
          signal: stop.signal,
          progress: (s) => {
            share = s;
          },
        },
        run,
      );
      if (stop.signal.aborted) {
        throw new CancelledError();
      }
      await this.db.withTransaction(async (client) => {
        const locked = done.write ? await findRun(client, run.id) : run;
        if (locked?.state !== "running") {
          return;
        }
        await done.write?.(client);
        if (
          !(await finishRange(client, run.id, job.phase, job.seq, this.id, done.result ?? null))
        ) {
          throw new CancelledError("The range was given to another worker");
        }
      });
      await this.db.withTransaction((client) => this.moveOn(client, run.id, job.phase));
    } catch (error) {
      if (error instanceof CancelledError || stop.signal.aborted) {
        return;
      }
      await this.fail(run, error);
    } finally {
      clearInterval(watch);
      this.abort.signal.removeEventListener("abort", onStop);
    }
  }

  /**
   * When the last range of a phase is done, the next phase begins; the lock on the run lets only
   * one worker do it.
   */
  private async moveOn(client: Client, id: string, phase: number): Promise<void> {
    const run = await lockRun(client, id);
    if (!run || run.state !== "running" || run.phase !== phase) {
      return;
    }
    if ((await openRanges(client, id, phase)) === 0) {
      await this.advance(client, run);
    } else {
      await notifyRun(client, id);
    }
  }

  private async fail(run: Run, e: unknown): Promise<void> {
    const { body, expected } = errorBody(e);
    if (!expected) {
      console.error(`Run ${run.id} (${run.kind}) failed:`, e);
    }
    await this.db.withTransaction(async (client) => {
      if ((await lockRun(client, run.id))?.state !== "running") {
        return;
      }
      await endRun(client, run.id, "failed", { error: body });
      await this.kind(run.kind).discard(run.params, client, run);
      await notifyRun(client, run.id);
    });
  }

  /**
   * Gives the ranges of dead workers to living ones. @param all also ranges that may never have
   * reached the queue
   */
  async recover(all: boolean): Promise<number> {
    return this.db.withTransaction(async (client) => {
      const lost = await releaseLostRanges(client, SILENT_SECONDS);
      const again = all ? await queuedRanges(client) : lost;
      await this.enqueue(
        client,
        again.map((r) => ({ run: r.run_id, phase: r.phase, seq: r.seq })),
      );
      if (all) {
        for (const row of await listRunning(client)) {
          await this.moveOn(client, row.id, row.phase);
        }
      }
      return again.length;
    });
  }

  async wait(id: string, timeoutMs: number): Promise<Run> {
    for (const end = Date.now() + timeoutMs; ;) {
      const r = await this.db.withClient((client) => runProgress(client, id));
      if (!r || r.state !== "running" || Date.now() > end) {
        return r!;
      }
      await new Promise((ok) => setTimeout(ok, 50));
    }
  }
}
