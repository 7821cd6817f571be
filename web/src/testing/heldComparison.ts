import { ChangedElsewhere, withChanges } from "@hindglance/contract/changes";
import {
  type Comparison,
  type ComparisonView,
  comparisonChangeSchema,
} from "@hindglance/contract/comparison";
import { type Asked, Refusal } from "./page";

/** A server that holds one comparison and takes changes as the real one does. */
export class HeldComparison {
  version = 1;
  constructor(public comparison: Comparison | null) {}

  /** Answers wait for this, so that more can happen meanwhile. */
  gate: Promise<void> = Promise.resolve();

  /** What was made of a request waits for this on its way back. */
  late: Promise<void> = Promise.resolve();

  /** What the answers hold besides the comparison. */
  more: Partial<ComparisonView> = {};

  view(): ComparisonView {
    const { version, comparison } = this;
    const nothing = { nodes: null, areas: null, notRun: [], problem: null };
    return { version, comparison, ...nothing, ...this.more };
  }

  /** Somebody else changes the comparison. */
  elsewhere(comparison: Comparison): void {
    this.comparison = comparison;
    this.version++;
  }

  async answer({ method, body }: Asked): Promise<unknown> {
    if (method === "PATCH") {
      const { changes } = comparisonChangeSchema.validateSync(body);
      await this.gate;
      try {
        this.elsewhere(withChanges(this.comparison, changes)!);
      } catch (error) {
        if (error instanceof ChangedElsewhere) {
          return new Refusal(409, { code: "changedElsewhere", message: "Changed meanwhile" });
        }
        throw error;
      }
      const view = this.view();
      await this.late;
      return view;
    }
    return this.view();
  }
}
