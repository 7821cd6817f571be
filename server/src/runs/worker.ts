import { setTimeout as wait } from "node:timers/promises";
import { CancelledError } from "@hindglance/core/errors";
import { stateStore } from "../db/nodes";
import type { Database } from "../db/pool";
import { Presence } from "../db/presence";
import {
  type ClaimedRange,
  claimRange,
  forgiveRangesOf,
  releaseRangesOf,
  setRangeProgress,
} from "../db/ranges";
import { type Run, findRun, isRunning, notifyRun } from "../db/runs";
import { isTransient, tried } from "../db/transient";
import { AppError } from "../errors";
import { KeptImages } from "../eval/kept";
import { StoredSources } from "../eval/sources";
import type { Engine } from "./engine";
import type { RangeContext } from "./kind";

/** Times that a range is begun; one that ended its worker each time is given up. */
const MOST_ATTEMPTS = 4;
/** Pause between two looks at a run that is worked on: is it still wanted, how far is it. */
const WATCH_MS = 500;
/** Longest wait for a notice that there is work: what was notified while nobody listened is found. */
const IDLE_MS = 1000;
/** Pause before the database is asked again, and how long a range's end is tried. */
const AGAIN_MS = 300;
const END_MS = 120_000;

/** A notice that can be waited for. */
class Bell {
  private wake: (() => void) | null = null;
  private rung = false;

  /** Wakes who waits, or whoever waits next. */
  readonly sound = (): void => {
    this.rung = true;
    this.wake?.();
  };

  /** Waits for the bell, for so long at most. */
  async heard(ms: number): Promise<void> {
    if (!this.rung) {
      await new Promise<void>((ok) => {
        const timer = setTimeout(ok, ms);
        this.wake = () => {
          clearTimeout(timer);
          ok();
        };
      });
    }
    this.rung = false;
    this.wake = null;
  }
}

/** Takes ranges of runs, one at a time. A process has one, or several where it waits much. */
export class Worker {
  private readonly stopping = new AbortController();
  private readonly bell = new Bell();
  private readonly ctx: Omit<RangeContext, "signal" | "progress">;
  private over: Promise<void> = Promise.resolve();
  private isDraining = false;
  /** What its ranges are marked with; null while it has no place among the living. */
  key: number | null = null;

  /** @param cacheBytes that decoded blocks may take up */
  constructor(
    private readonly db: Database,
    private readonly engine: Engine,
    cacheBytes: number,
  ) {
    const sources = new StoredSources(db, cacheBytes);
    this.ctx = { db, sources, kept: new KeptImages(db, sources), states: stateStore(db) };
  }

  /** Begins to take ranges; goes on until stopped, through any absence of the database. */
  start(): void {
    const deaf = this.db.listen("hg_work", this.bell.sound, this.bell.sound);
    this.over = this.live().finally(deaf);
  }

  /** Takes no more ranges once the one that it works on is done, or takes them again. */
  drain(isDraining: boolean): void {
    if (this.isDraining !== isDraining) {
      this.isDraining = isDraining;
      this.bell.sound();
    }
  }

  /** Stops at once: what is being worked on goes to others. */
  async stop(): Promise<void> {
    this.stopping.abort();
    this.bell.sound();
    await this.over;
  }

  private async live(): Promise<void> {
    const { signal } = this.stopping;
    let before: number | null = null;
    while (!signal.aborted) {
      try {
        const presence = await Presence.open(this.db.url);
        try {
          // It was not this process that ended, but its connection: its ranges are not to blame.
          await this.forgive(before);
          before = presence.key;
          this.key = presence.key;
          await this.takeRanges(presence);
        } finally {
          this.key = null;
          await presence.close();
        }
      } catch (error) {
        if (!isTransient(error)) {
          console.error("A worker was interrupted:", error);
        }
      }
      await wait(AGAIN_MS, undefined, { signal }).catch(() => {});
    }
  }

  private async forgive(key: number | null): Promise<void> {
    if (key !== null) {
      await this.db.withClient((client) => forgiveRangesOf(client, key));
    }
  }

  /** Takes ranges for as long as the worker is known to live. */
  private async takeRanges({ key, lost }: Presence): Promise<void> {
    const signal = AbortSignal.any([this.stopping.signal, lost]);
    lost.addEventListener("abort", this.bell.sound, { once: true });
    while (!signal.aborted) {
      const claim = this.isDraining
        ? null
        : await this.db.withClient((client) => claimRange(client, key));
      if (claim) {
        await this.perform(claim, key, signal);
      } else {
        await this.bell.heard(IDLE_MS);
      }
    }
  }

  /** Works on a range to its end, whatever that is; throws only where the database is away. */
  private async perform(range: ClaimedRange, key: number, signal: AbortSignal): Promise<void> {
    try {
      const run = await this.db.withClient((client) => findRun(client, range.run));
      if (run) {
        await this.compute(run, range, key, signal);
      }
    } catch (error) {
      if (signal.aborted) {
        return;
      }
      if (isTransient(error)) {
        await wait(AGAIN_MS, undefined, { signal }).catch(() => {});
      } else if (!(error instanceof CancelledError)) {
        await tried(() => this.engine.fail(range.run, error), { forMs: END_MS, signal });
      }
      // What is not done is not held either; a range that is done stays so.
      await tried(() => this.db.withClient((client) => releaseRangesOf(client, key)), {
        forMs: END_MS,
        signal,
      });
    }
  }

  private async compute(
    run: Run,
    range: ClaimedRange,
    key: number,
    signal: AbortSignal,
  ): Promise<void> {
    if (range.attempts > MOST_ATTEMPTS) {
      throw new AppError(
        500,
        "givenUp",
        `Given up after ${MOST_ATTEMPTS} tries: the process that worked on it ended each time`,
        undefined,
        "It may need more memory than there is; the server's log has the details.",
      );
    }
    const { phase, seq } = range;
    const watch = this.watch(range, signal);
    try {
      const ctx = { ...this.ctx, signal: watch.signal, progress: watch.tell };
      const done = await this.engine.kind(run.kind).work(phase, seq, run.params, ctx, run);
      watch.signal.throwIfAborted();
      // A connection that breaks here may have committed: the range is then done, and not ours.
      await this.engine.conclude(range, key, done);
    } catch (error) {
      throw watch.signal.aborted ? new CancelledError() : error;
    } finally {
      watch.end();
    }
  }

  /** Notices that a run is cancelled, and tells how far the range is. */
  private watch({ run, phase, seq }: ClaimedRange, signal: AbortSignal) {
    const stop = new AbortController();
    const onAbort = () => stop.abort();
    signal.addEventListener("abort", onAbort, { once: true });
    let share = 0;
    let told = 0;
    let busy = false;
    const look = (): Promise<void> =>
      this.db.withClient(async (client) => {
        if (!(await isRunning(client, run))) {
          stop.abort();
        } else if (share > told) {
          told = share;
          await setRangeProgress(client, run, phase, seq, share);
          await notifyRun(client, run);
        }
      });
    const timer = setInterval(() => {
      if (!busy) {
        busy = true;
        // What cannot be asked now is asked the next time.
        void look()
          .catch(() => {})
          .finally(() => {
            busy = false;
          });
      }
    }, WATCH_MS);
    return {
      signal: stop.signal,
      tell: (value: number) => {
        share = value;
      },
      end: () => {
        clearInterval(timer);
        signal.removeEventListener("abort", onAbort);
      },
    };
  }
}
