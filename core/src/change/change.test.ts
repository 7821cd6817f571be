import {
  addToHistogram,
  binEdge,
  emptyHistogram,
  histogramTotal,
  mergeHistograms,
  quantile,
  type Histogram,
} from "../raster/histogram";
import { lcg } from "../testing/support";
import { decibelQuotients } from "./measures/decibelQuotient";
import { differences } from "./measures/difference";
import { logRatios } from "./measures/logRatio";
import { relativeChanges } from "./measures/relativeChange";
import { minimumError } from "./minimumError";
import { fragility, shareBeyond } from "./fragility";
import { otsu, otsuThree } from "./otsu";
import { type ClassRule, applyRules } from "./rules";

const normal = (random: () => number) =>
  Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
function twoLumps(
  m0: number,
  s0: number,
  n0: number,
  m1: number,
  s1: number,
  n1: number,
  bins = 128,
): Histogram {
  const random = lcg(5);
  const histogram = emptyHistogram(-20, 10, bins);
  addToHistogram(
    histogram,
    Float32Array.from({ length: n0 }, () => m0 + s0 * normal(random)),
  );
  addToHistogram(
    histogram,
    Float32Array.from({ length: n1 }, () => m1 + s1 * normal(random)),
  );
  return histogram;
}

describe("histogram", () => {
  test("edges, both ends and nodata", () => {
    const histogram = emptyHistogram(0, 4, 4);
    addToHistogram(histogram, [-1, 0, 0.999, 1, 3.999, 4, 4.1, NaN]);
    expect(histogram.counts).toEqual([2, 1, 0, 2]);
    expect([histogram.below, histogram.above, histogramTotal(histogram)]).toEqual([1, 1, 7]);
  });
  test("joins only with equal bins", () => {
    expect(() => mergeHistograms(emptyHistogram(0, 1, 4), emptyHistogram(0, 2, 4))).toThrow(
      /same bins/,
    );
    expect(() => emptyHistogram(1, 1)).toThrow(/lower end/);
  });
  test("quantiles of an even spread", () => {
    const histogram = emptyHistogram(0, 100, 50);
    addToHistogram(
      histogram,
      Array.from({ length: 1000 }, (_v, i) => i / 10),
    );
    expect(quantile(histogram, 0.25)).toBeCloseTo(25, 6);
    expect(quantile(histogram, 0.98)).toBeCloseTo(98, 6);
    expect(quantile(emptyHistogram(0, 1), 0.5)).toBeNaN();
  });
});

/** Direct two-pass evaluations of both criteria, written from the papers, over all splits. */
function exhaustive(
  histogram: Histogram,
  criterion: (a: [number, number][], b: [number, number][]) => number,
): number[] {
  const costs: number[] = [NaN];
  for (let k = 1; k < histogram.counts.length; k++) {
    const pairs = histogram.counts.map((n, i): [number, number] => [i, n]);
    costs.push(criterion(pairs.slice(0, k), pairs.slice(k)));
  }
  return costs;
}
const moments = (point: [number, number][]) => {
  const n = point.reduce((s, [, c]) => s + c, 0);
  const m = point.reduce((s, [x, c]) => s + x * c, 0) / n;
  return { n, m, v: point.reduce((s, [x, c]) => s + c * (x - m) ** 2, 0) / n };
};

describe("thresholds", () => {
  const cases: [string, Histogram][] = [
    ["even lumps", twoLumps(-12, 1.5, 20000, 0, 1.5, 20000)],
    ["a small flood", twoLumps(-9, 2, 2000, 0, 1.2, 48000)],
    ["unequal widths", twoLumps(-10, 3, 9000, 1, 0.8, 30000, 200)],
  ];
  test.each(cases)("Otsu equals an exhaustive search: %s", (_n, histogram) => {
    const criterion = exhaustive(histogram, (a, b) => {
      const part = moments(a);
      const query = moments(b);
      return part.n && query.n ? part.n * query.n * (part.m - query.m) ** 2 : -Infinity;
    });
    const best = criterion.reduce(
      (k, value, i) => (value > (criterion[k] ?? -Infinity) ? i : k),
      1,
    );
    expect(otsu(histogram)).toBeCloseTo(binEdge(histogram, best), 9);
  });
  test.each(cases)("minimum error equals an exhaustive search: %s", (_n, histogram) => {
    const criterion = exhaustive(histogram, (a, b) => {
      const part = moments(a);
      const query = moments(b);
      const padded = part.n / (part.n + query.n);
      if (a.filter(([, c]) => c).length < 2 || b.filter(([, c]) => c).length < 2) {
        return Infinity;
      }
      return (
        1 +
        padded * Math.log(part.v + 1 / 12) +
        (1 - padded) * Math.log(query.v + 1 / 12) -
        2 * (padded * Math.log(padded) + (1 - padded) * Math.log(1 - padded))
      );
    });
    const inner = criterion.map((value, i) =>
      i > 1 &&
      value <= (criterion[i - 1] ?? Infinity) &&
      value <= (criterion[i + 1] ?? Infinity) &&
      Number.isFinite(criterion[i - 1]!) &&
      Number.isFinite(criterion[i + 1]!)
        ? value
        : Infinity,
    );
    const best = inner.reduce((k, value, i) => (value < inner[k]! ? i : k), 0);
    expect(minimumError(histogram)).toBeCloseTo(binEdge(histogram, best), 9);
  });
  test("minimum error lies between the lumps near where the two densities cross", () => {
    // Equal weights and widths: they cross half way.
    expect(minimumError(twoLumps(-10, 1.5, 30000, 0, 1.5, 30000))).toBeCloseTo(-5, 0);
  });
  test("an empty gap: Otsu takes its middle", () => {
    const histogram = emptyHistogram(0, 10, 10);
    histogram.counts[1] = 50;
    histogram.counts[8] = 50;
    expect(otsu(histogram)).toBeCloseTo(5, 9);
  });
  test("nothing to split, no answer", () => {
    const histogram = emptyHistogram(0, 10, 10);
    expect(otsu(histogram)).toBeNaN();
    expect(minimumError(histogram)).toBeNaN();
    histogram.counts[4] = 9;
    expect(otsu(histogram)).toBeNaN();
    expect(minimumError(histogram)).toBeNaN();
  });
});

describe("measures", () => {
  const before = Float32Array.from([0.1, 0.1, 0, NaN, 0.2, -0.01]);
  const after = Float32Array.from([0.01, 0.1, 0.1, 0.1, NaN, 0.1]);
  test("log ratio is after over before, and undefined where either is", () => {
    const out = new Float32Array(6);
    logRatios(before, after, out);
    expect(out[0]).toBeCloseTo(-10, 5);
    expect(out[1]).toBeCloseTo(0, 6);
    for (const i of [2, 3, 4, 5]) {
      expect(out[i]).toBeNaN();
    }
  });
  test("difference is after minus before", () => {
    const out = new Float32Array(6);
    differences(before, after, out);
    expect(out[0]).toBeCloseTo(-0.09, 6);
    expect(out[3]).toBeNaN();
    expect(out[4]).toBeNaN();
  });
});

describe("rules", () => {
  const rule = (label: number, ...all: ClassRule["all"]): ClassRule => ({
    label,
    name: `c${label}`,
    color: "#000000",
    all,
  });
  const measure = Float32Array.from([-5, -5, 5, 0, NaN, -3]);
  const after = Float32Array.from([-20, -10, -10, -20, -20, NaN]);
  const before = Float32Array.from([-8, -8, -20, -20, -8, -8]);
  test("the first class whose conditions all hold; nodata on either date stays nodata", () => {
    const out = new Uint8Array(6);
    applyRules(
      { measure, after, before },
      [
        rule(1, { layer: "measure", op: "<", value: -3 }, { layer: "after", op: "<", value: -17 }),
        rule(
          2,
          { layer: "before", op: "<=", value: -20 },
          { layer: "after", op: "<", value: -17 },
          { layer: "measure", op: ">", value: -1 },
        ),
        rule(3, { layer: "measure", op: ">", value: 3 }),
      ],
      ["before", "after", "measure"],
      out,
    );
    expect([...out]).toEqual([1, 0, 3, 2, 255, 255]);
  });
  test("= and != on a fraction compare what was typed with cells of 32 bits", () => {
    const typed = Float32Array.from([0.1, 0.3, 0.1, 4.2]);
    const out = new Uint8Array(4);
    const label = (op: "=" | "!=", value: number) => {
      applyRules({ measure: typed }, [rule(1, { layer: "measure", op, value })], [], out);
      return [...out];
    };
    expect(label("=", 0.1)).toEqual([1, 0, 1, 0]);
    expect(label("!=", 0.1)).toEqual([0, 1, 0, 1]);
    expect(label("=", 4.2)).toEqual([0, 0, 0, 1]);
  });
  test("boundaries: < leaves the value out, <= takes it", () => {
    const out = new Uint8Array(6);
    applyRules(
      { measure, after, before },
      [rule(9, { layer: "measure", op: "<", value: -5 })],
      [],
      out,
    );
    expect([...out]).toEqual([0, 0, 0, 0, 0, 0]);
    applyRules(
      { measure, after, before },
      [rule(9, { layer: "measure", op: "<=", value: -5 })],
      [],
      out,
    );
    expect([...out]).toEqual([9, 9, 0, 0, 0, 0]);
    applyRules(
      { measure, after, before },
      [rule(9, { layer: "measure", op: ">=", value: 5 })],
      [],
      out,
    );
    expect([...out]).toEqual([0, 0, 9, 0, 0, 0]);
  });
  test("labels: is, is not, and no label at all", () => {
    const cover = Float32Array.of(1, 2, 3, NaN, 2, 1, 0);
    const out = new Uint8Array(7);
    const rule = (op: "=" | "!=", value: number): ClassRule => ({
      label: 9,
      name: "x",
      color: "#000000",
      all: [{ layer: "cover", op, value }],
    });
    applyRules({ cover }, [rule("=", 2)], [], out);
    expect([...out]).toEqual([0, 9, 0, 0, 9, 0, 0]);
    applyRules({ cover }, [rule("!=", 2)], [], out);
    expect([...out]).toEqual([9, 0, 9, 0, 0, 9, 9]);
  });
  test("an earlier class wins where two hold", () => {
    const out = new Uint8Array(6);
    applyRules(
      { measure, after, before },
      [
        rule(4, { layer: "measure", op: "<", value: 0 }),
        rule(5, { layer: "measure", op: "<", value: 9 }),
      ],
      [],
      out,
    );
    expect([...out]).toEqual([4, 4, 5, 5, 0, 4]);
  });
  test("a layer that is not there is named", () => {
    expect(() =>
      applyRules(
        { before, after },
        [rule(1, { layer: "slope", op: "<", value: 3 })],
        [],
        new Uint8Array(6),
      ),
    ).toThrow(/slope/);
  });
});

test("relative change in per cent and the quotient of decibels, by hand; near nought there is none", () => {
  const out = new Float32Array(4);
  relativeChanges(
    Float32Array.of(0.2, -0.5, 0.0005, NaN),
    Float32Array.of(0.1, -0.25, 0.3, 1),
    out,
  );
  expect([...out].map((value) => +value.toFixed(4))).toEqual([-50, 50, NaN, NaN]);
  decibelQuotients(Float32Array.of(-10, -8, -0.4, 3), Float32Array.of(-20, -6, -9, NaN), out);
  expect([...out]).toEqual([2, 0.75, NaN, NaN]);
});

test("two thresholds of Otsu equal an exhaustive search written out", () => {
  const histogram = twoLumps(-14, 1, 6000, -2, 1.2, 20000, 60);
  const random = lcg(71);
  addToHistogram(
    histogram,
    Float32Array.from({ length: 9000 }, () => 6 + 0.8 * normal(random)),
  );
  const point = histogram.counts.map((n, i): [number, number] => [i, n]);
  const all = moments(point);
  let best = -1;
  let at: [number, number] = [0, 0];
  for (let j = 1; j < 59; j++) {
    for (let k = j + 1; k < 60; k++) {
      const parts = [point.slice(0, j), point.slice(j, k), point.slice(k)].map(moments);
      if (parts.some((part) => !part.n)) {
        continue;
      }
      const value = parts.reduce((s, x) => s + x.n * (x.m - all.m) ** 2, 0);
      if (value > best * (1 + 1e-12)) {
        best = value;
        at = [binEdge(histogram, j), binEdge(histogram, k)];
      }
    }
  }
  expect(otsuThree(histogram)).toEqual(at);
  expect(otsuThree(emptyHistogram(0, 1, 8))).toEqual([NaN, NaN]);
});
test("what hangs on a threshold: shares by counting, linear inside a bin", () => {
  const histogram = emptyHistogram(0, 10, 10);
  addToHistogram(histogram, [-1, 0.5, 1.5, 1.6, 4.5, 8.2, 11, 12]);
  expect([
    shareBeyond(histogram, "<", 2),
    shareBeyond(histogram, ">", 2),
    shareBeyond(histogram, "<=", 1.5),
    shareBeyond(histogram, "<", -5),
    shareBeyond(histogram, ">=", 30),
  ]).toEqual([4 / 8, 4 / 8, 3 / 8, 1 / 8, 2 / 8]);
  expect(fragility(histogram, "<", 2, 1)).toEqual({
    share: 0.5,
    lower: 0.25,
    higher: 0.5,
    swing: 0.5,
  });
  expect(shareBeyond(emptyHistogram(0, 1, 4), "<", 0.5)).toBeNaN();
});
