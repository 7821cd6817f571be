import type { Run } from "../api/types";

/** Seconds left, from how long the share that is done took; unknown in the first moments. */
export function secondsLeft(run: Run, now: number): number | null {
  const spent = (now - Date.parse(run.createdAt)) / 1000;
  return run.progress > 0.04 && spent > 1 ? (spent / run.progress) * (1 - run.progress) : null;
}
