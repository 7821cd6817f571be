import type { Condition } from "../change/rules";
import type { Grouping } from "../change/setup";
import { marginOf } from "./margin";

const rule = (label: number, all: [Condition["layer"], Condition["op"], number][]) => ({
  ...{ label, name: `Class ${label}`, color: "#c8246f" },
  all: all.map(([layer, op, value]) => ({ layer, op, value })),
});
const setup = {
  rules: [
    rule(1, [
      ["measure", "<", -3],
      ["after", "<", -14],
    ]),
    rule(2, [
      ["measure", ">=", 0.1],
      ["measure", "<", 0.27],
    ]),
    rule(3, [["before", "<", -14]]),
  ],
};

test("a patch's margin is that of the threshold it comes nearest to", () => {
  expect(marginOf(setup, { label: 1, measure: -7.5 })).toEqual({ threshold: -3, beyond: 4.5 });
  expect(marginOf(setup, { label: 1, measure: -2 })).toEqual({ threshold: -3, beyond: -1 });
  expect(marginOf(setup, { label: 2, measure: 0.25 })!.threshold).toBe(0.27);
  expect(marginOf(setup, { label: 2, measure: 0.12 })!.threshold).toBe(0.1);
});

test("there is none without a threshold on the measure, without a mean, or where groups make the classes", () => {
  expect(marginOf(setup, { label: 3, measure: -7 })).toBeNull();
  expect(marginOf(setup, { label: 9, measure: -7 })).toBeNull();
  expect(marginOf(setup, { label: 1, measure: null })).toBeNull();
  const groups: Grouping = {
    ...{ of: "measure", method: "kMeans", groups: 2, seed: 1, splitSpread: 1 },
    ...{ mergeDistance: 1, leastShare: 0, classes: [] },
  };
  expect(marginOf({ ...setup, groups }, { label: 1, measure: -7 })).toBeNull();
});
