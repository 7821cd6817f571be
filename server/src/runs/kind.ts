import type { ErrorBody } from "@hindglance/contract/errors";
import type { Client, Database, Lender } from "../db/pool";
import type { PhasePlan, Run } from "../db/runs";
import type { stateStore } from "../db/nodes";
import type { KeptImages } from "../eval/kept";
import type { StoredSources } from "../eval/sources";
import type { Submit } from "../products/plans";

/** What a kind of run is told while it works on a range. */
export interface RangeContext {
  db: Database;
  sources: StoredSources;
  kept: KeptImages;
  states: ReturnType<typeof stateStore>;
  signal: AbortSignal;
  progress(share: number): void;
}

/** What came of a range: `write` happens in the transaction that marks the range as done. */
export interface RangeDone {
  result?: object;
  write?(client: Client): Promise<void>;
}

/**
 * One kind of run: phases that follow each other, each cut into ranges of a few seconds that any
 * worker may do. A range may be done twice (a worker can die after its work and before it says so),
 * so its writing must replace what an earlier try left, and happens in the transaction that it is
 * handed.
 */
export interface RunKind<P extends object = object> {
  phases(params: P): PhasePlan[];
  /** Weights of the ranges of a phase; called once, when the phase begins. May be empty. */
  ranges(phase: number, params: P, client: Client, run: Run): Promise<number[]>;
  /** Computes, and returns what to write together with the range's end. */
  work(phase: number, seq: number, params: P, ctx: RangeContext, run: Run): Promise<RangeDone>;
  /** Makes the result visible, in the transaction that ends the run. */
  finish(
    params: P,
    results: <T>(phase: number) => Promise<T[]>,
    client: Client,
    run: Run,
    more: { db: Lender; submit: Submit },
  ): Promise<object>;
  /** Takes away what an unfinished run left. `wrong`: why it failed; null where it was cancelled. */
  discard(params: P, client: Client, run: Run, wrong: ErrorBody | null): Promise<void>;
}
