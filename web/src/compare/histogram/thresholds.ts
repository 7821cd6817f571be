import type { ChangeSetup } from "@hindglance/core/change/setup";
import { type ClassRule, type Layer, type Operator, rulesOn } from "@hindglance/core/change/rules";

/**
 * One line on the histogram: all conditions on a layer with the same comparison and value move
 * together.
 */
export interface Threshold {
  key: string;
  layer: Layer;
  op: Operator;
  value: number;
  at: [rule: number, cond: number][];
  color: string;
  name: string;
}

/** Lines that the rules draw on the histogram of a layer. */
export function thresholdsOf(rules: readonly ClassRule[], layer: Layer): Threshold[] {
  const out = new Map<string, Threshold>();
  rules.forEach((rule, i) =>
    rule.all.forEach((condition, k) => {
      if (rule.off || condition.layer !== layer) {
        return;
      }
      const key = `${condition.op}${condition.value}`;
      const threshold = out.get(key);
      if (threshold) {
        threshold.at.push([i, k]);
        threshold.name += `, ${rule.name}`;
      } else {
        out.set(key, {
          key: `${i}.${k}`,
          layer,
          op: condition.op,
          value: condition.value,
          at: [[i, k]],
          color: rule.color,
          name: rule.name,
        });
      }
    }),
  );
  return [...out.values()];
}

/** Settings with a line moved: every condition on it takes the value. */
export const moveThreshold = (
  setup: ChangeSetup,
  at: readonly [number, number][],
  value: number,
): ChangeSetup => ({
  ...setup,
  rules: setup.rules.map((rule, i) => ({
    ...rule,
    all: rule.all.map((condition, k) =>
      at.some(([a, b]) => a === i && b === k) ? { ...condition, value } : condition,
    ),
  })),
});

/**
 * Colour of the class that a value of the layer may belong to, by its conditions on this layer
 * alone; null where none.
 */
export function colorAt(rules: readonly ClassRule[], layer: Layer, value: number): string | null {
  for (const rule of rulesOn(rules)) {
    const c = rule.all.filter((condition) => condition.layer === layer);
    if (
      c.length &&
      c.every((condition) => {
        if (condition.op === "<") {
          return value < condition.value;
        }
        if (condition.op === "<=") {
          return value <= condition.value;
        }
        if (condition.op === ">") {
          return value > condition.value;
        }
        return value >= condition.value;
      })
    ) {
      return rule.color;
    }
  }
  return null;
}

/** Room of a threshold's number, pixels. */
const LABEL_PX = 40;
/** A row for each number under the histogram so that close ones do not cover each other. */
export function labelRows(xs: readonly number[]): number[] {
  const last: number[] = [];
  const out = xs.map(() => 0);
  for (const { x, k } of xs.map((x, k) => ({ x, k })).sort((a, b) => a.x - b.x)) {
    let row = last.findIndex((level) => x - level >= LABEL_PX);
    if (row < 0) {
      row = last.length;
    }
    last[row] = x;
    out[k] = row;
  }
  return out;
}
