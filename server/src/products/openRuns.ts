import type { OpenPrepareRun } from "../db/runs";
import { groupsOf } from "./plans";

/** A Prepare run under way. */
export interface OpenRun {
  id: string;
  /** Identities of what it computes. */
  hashes: string[];
  /** How far a scene is, 0 to 1. */
  share(sceneId: string): number;
}

/** Share of a phase that is done. */
function doneOf(run: OpenPrepareRun, phase: number): number {
  if (phase !== run.phase) {
    return phase < run.phase ? 1 : 0;
  }
  return run.all ? (run.done ?? 0) / run.all : 0;
}

/** How far each scene is in a run. Dates of one step go along together. */
export function openRun(run: OpenPrepareRun): OpenRun {
  const groups = groupsOf(run.items);
  const phasesEach = run.phases.length / groups.length;
  const shareOfGroup = (group: number): number => {
    const phases = run.phases.slice(group * phasesEach, (group + 1) * phasesEach);
    const total = phases.reduce((sum, phase) => sum + phase.weight, 0) || 1;
    const done = phases.reduce(
      (sum, phase, k) => sum + phase.weight * doneOf(run, group * phasesEach + k),
      0,
    );
    return done / total;
  };
  return {
    id: run.id,
    hashes: run.items.map((item) => item.hash),
    share(sceneId) {
      const mine = groups.flatMap((group, k) =>
        group.some((item) => item.sceneId === sceneId) ? [k] : [],
      );
      const done = mine.reduce((sum, group) => sum + shareOfGroup(group), 0);
      return Math.max(0, Math.min(1, done / Math.max(1, mine.length)));
    },
  };
}
