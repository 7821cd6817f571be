import { type Comparable, comparisonWarnings } from "./comparable";

const date = (over: Partial<Comparable> = {}): Comparable => ({
  acquiredAt: "2025-05-02T18:00:00Z",
  pass: "descending",
  incidenceDeg: [30, 45],
  ...over,
});
test.each<[string, Partial<Comparable>, Partial<Comparable>, RegExp | null]>([
  ["alike", {}, { acquiredAt: "2025-05-14T18:00:00Z" }, null],
  ["passes", {}, { pass: "ascending" }, /descending pass, the other on an ascending/],
  ["incidence", {}, { incidenceDeg: [20, 35] }, /differ by 10\.0°/],
  ["seasons", {}, { acquiredAt: "2025-08-30T18:00:00Z" }, /120 days apart/],
  [
    "the turn of the year is no season",
    { acquiredAt: "2024-12-20T00:00:00Z" },
    { acquiredAt: "2025-01-20T00:00:00Z" },
    null,
  ],
  [
    "radiometry",
    { radiometry: "sigma" },
    { radiometry: "flat" },
    /Before is sigma nought, after is gamma nought with the terrain flattened/,
  ],
  [
    "an orbit file for one date",
    { orbit: { kind: "precise", movedM: 7.4 } },
    { orbit: { kind: "own", movedM: null } },
    /orbit of before is from a file, that of after is the product's own: .* about 7 m, .* moves before/,
  ],
  [
    "an orbit file for the other date",
    { orbit: { kind: "own", movedM: null } },
    { orbit: { kind: "restituted", movedM: 0.42 } },
    /orbit of after is from a file.* about 0\.4 m, .* Add the orbit file of before/,
  ],
  [
    "orbit files for both",
    { orbit: { kind: "precise", movedM: 7.4 } },
    { orbit: { kind: "restituted", movedM: 3 } },
    null,
  ],
  [
    "levels",
    { level: 1 },
    { level: 2 },
    /After is surface reflectance, before is taken at the top/,
  ],
  ["scale", { mean: 0.34 }, { mean: 3350 }, /numbers of after are about 10\s000 times/],
  ["scale the other way", { mean: 812 }, { mean: 0.1 }, /numbers of before are about 8\s000 times/],
  ["a flood is no other scale", { mean: 0.15 }, { mean: 0.02 }, null],
  ["signs say nothing of scale", { mean: -0.1 }, { mean: 30 }, null],
])("%s", (_n, a, b, says) => {
  const w = comparisonWarnings(date(a), date(b));
  if (says) {
    expect(w.join(" ")).toMatch(says);
  } else {
    expect(w).toEqual([]);
  }
});
