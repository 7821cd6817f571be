import { fragility } from "../change/fragility";
import { type ClassRule, rulesOn } from "../change/rules";
import type { Histogram } from "../raster/histogram";
import { number } from "../text/number";
import type { LookFirst } from "./recipe";

/** Steps by which thresholds are moved to see what hangs on them, by the unit. */
const STEP_DB = 0.5;
const STEP_VALUE = 0.05;

/** What is known of a map when it was made. */
export interface MadeFacts {
  /** Cells of the study area that are seen on both dates, and all of it. */
  seenCells: number;
  allCells: number;
  /** Cells of all classes of change. */
  changedCells: number;
  rules: readonly ClassRule[];
  /** Whether classes come from rules with thresholds. */
  isByRules: boolean;
  isDecibel: boolean;
  /** Over cells seen on both dates. */
  histograms: Record<"before" | "after" | "measure", Histogram> | null;
  /** What the pair itself shows, in words, where something is not sure. */
  notSure: readonly string[];
}

interface Swing {
  name: string;
  swing: number;
  share: number;
}

/**
 * The class whose share changes most when its threshold moves by a step. Of several thresholds on one
 * side of a layer the widest counts: it parts change from no change, the others part grades of it.
 */
function mostFragile({ rules, isDecibel, histograms }: MadeFacts): Swing | null {
  const step = isDecibel ? STEP_DB : STEP_VALUE;
  const widest = new Map<string, Swing>();
  for (const { name, all } of rulesOn(rules)) {
    for (const { layer, op, value } of all) {
      const isSeen = layer === "before" || layer === "after" || layer === "measure";
      const histogram = isSeen ? histograms?.[layer] : undefined;
      if (histogram && op !== "=" && op !== "!=") {
        const { swing, share } = fragility(histogram, op, value, step);
        const side = `${layer} ${op[0]}`;
        if (Number.isFinite(swing) && share > (widest.get(side)?.share ?? 0)) {
          widest.set(side, { name, swing, share });
        }
      }
    }
  }
  return [...widest.values()].reduce<Swing | null>(
    (most, one) => (!most || one.swing > most.swing ? one : most),
    null,
  );
}

const percent = (share: number): string => `${number(100 * share, 0)} %`;

/** Why a map is to be looked at before anybody uses it, in words; none where nothing says so. */
export function doubtsOf(facts: MadeFacts, limits: LookFirst): string[] {
  const { seenCells, allCells, changedCells, notSure } = facts;
  const out: string[] = [];
  const seen = allCells > 0 ? seenCells / allCells : 0;
  if (seenCells === 0) {
    out.push("The dates do not overlap in the study area: no cell is seen on both.");
  } else if (seen < limits.leastSeen) {
    out.push(`Only ${percent(seen)} of the study area is seen on both dates.`);
  }
  if (seenCells > 0 && changedCells < limits.leastCells) {
    out.push(
      `Only ${number(changedCells, 0)} cells changed, fewer than the ${number(limits.leastCells, 0)} that a map is trusted from.`,
    );
  }
  const most = facts.isByRules ? mostFragile(facts) : null;
  if (most && most.swing > limits.mostSwing) {
    const step = facts.isDecibel ? `${STEP_DB} dB` : String(STEP_VALUE);
    out.push(
      `A threshold of “${most.name}” is fragile: moved by ${step}, what it takes changes by ${percent(most.swing)}.`,
    );
  }
  return [...out, ...notSure];
}
