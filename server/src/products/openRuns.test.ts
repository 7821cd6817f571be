import type { OpenPrepareRun } from "../db/runs";
import { openRun } from "./openRuns";

const info = (width: number) => ({ grid: { width, height: 100 } });
const item = (sceneId: string, step: string, width = 100) => ({
  sceneId,
  hash: `${sceneId}.${step}`,
  step,
  info: info(width),
});
/** Two dates go through Terrain together, then through the last step together. */
const run = (more: Partial<OpenPrepareRun>): OpenPrepareRun => ({
  id: "r",
  phase: 0,
  phases: [
    { name: "compute", weight: 3 },
    { name: "overviews", weight: 1 },
    { name: "compute", weight: 3 },
    { name: "overviews", weight: 1 },
  ],
  items: [
    item("a", "Terrain"),
    item("b", "Terrain"),
    item("a", "Across dates"),
    item("b", "Across dates"),
  ],
  done: null,
  all: null,
  ...more,
});

test("what a run computes is told by identity", () => {
  expect(openRun(run({})).hashes).toEqual([
    "a.Terrain",
    "b.Terrain",
    "a.Across dates",
    "b.Across dates",
  ]);
});

test.each([
  // Nothing has begun: no ranges yet.
  [{ phase: 0 }, 0],
  // Half of the first phase, 3 of 4 of the first group, half of the groups.
  [{ phase: 0, done: 5, all: 10 }, (0.5 * 3) / 4 / 2],
  // The first group is done, and half of the last overviews: 3.5 of 4 of the second.
  [{ phase: 3, done: 1, all: 2 }, (1 + 3.5 / 4) / 2],
])("a date is as far as its groups: %j", (more, share) => {
  expect(openRun(run(more)).share("a")).toBeCloseTo(share, 10);
});

test("a date that only the second group holds waits for it", () => {
  const items = [item("a", "Terrain"), item("b", "Across dates")];
  const phases = run({}).phases;
  const open = openRun(run({ items, phases, phase: 1, done: 1, all: 2 }));
  expect(open.share("b")).toBe(0);
  expect(open.share("a")).toBeCloseTo(3.5 / 4, 10);
  expect(open.share("another")).toBe(0);
});
