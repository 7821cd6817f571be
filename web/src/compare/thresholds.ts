import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { ClassRule, Layer, Operator } from "@hindglance/core/change/rules";

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

export function thresholdsOf(rules: readonly ClassRule[], layer: Layer): Threshold[] {
  const out = new Map<string, Threshold>();
  rules.forEach((r, i) =>
    r.all.forEach((c, k) => {
      if (c.layer !== layer) {
        return;
      }
      const key = `${c.op}${c.value}`;
      const t = out.get(key);
      if (t) {
        t.at.push([i, k]);
        t.name += `, ${r.name}`;
      } else {
        out.set(key, {
          key: `${i}.${k}`,
          layer,
          op: c.op,
          value: c.value,
          at: [[i, k]],
          color: r.color,
          name: r.name,
        });
      }
    }),
  );
  return [...out.values()];
}

export const moveThreshold = (
  s: ChangeSetup,
  at: readonly [number, number][],
  value: number,
): ChangeSetup => ({
  ...s,
  rules: s.rules.map((r, i) => ({
    ...r,
    all: r.all.map((c, k) => (at.some(([a, b]) => a === i && b === k) ? { ...c, value } : c)),
  })),
});

/**
 * Colour of the class that a value of the layer may belong to, by its conditions on this layer
 * alone; null where none.
 */
export function colorAt(rules: readonly ClassRule[], layer: Layer, value: number): string | null {
  for (const r of rules) {
    const c = r.all.filter((x) => x.layer === layer);
    if (
      c.length &&
      c.every((x) =>
        x.op === "<"
          ? value < x.value
          : x.op === "<="
            ? value <= x.value
            : x.op === ">"
              ? value > x.value
              : value >= x.value,
      )
    ) {
      return r.color;
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
    let row = last.findIndex((l) => x - l >= LABEL_PX);
    if (row < 0) {
      row = last.length;
    }
    last[row] = x;
    out[k] = row;
  }
  return out;
}
