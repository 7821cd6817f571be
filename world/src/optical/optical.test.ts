import { execFileSync } from "node:child_process";
import { resolve } from "node:path";

interface Facts {
  errors: Record<"before" | "darkObject" | "cost" | "empirical", number[]>;
  severityCells: number[];
  meanDnbr: number[];
  fire: { overall: number; iou: number; producers: number[]; users: number[]; areaError: number };
  haze: {
    insideBefore: number[];
    insideAfter: number[];
    touchedShare: number;
    correlation: number;
  };
  gaps: {
    byDate: number[];
    byNeighbours: number[];
    leftByDate: number;
    leftByNeighbours: number;
    spread: number[];
  };
  mosaic: {
    overlap: string[];
    measured: { before: number[] };
    lightBefore: number[];
    lightAfter: number[];
    wholeBefore: number[];
    wholeAfter: number[];
  };
}
// Built beside the server; test runners slow such loops down too much to run them here.
const facts = JSON.parse(
  execFileSync(process.execPath, [resolve("dist/world/opticalFacts.js")], { encoding: "utf8" }),
) as Facts;

test("surface reflectance against the clean truth: from blue to green four tenths of the error are left, or less", () => {
  for (const k of [0, 1, 2]) {
    expect(facts.errors.darkObject[k]!).toBeLessThan(0.4 * facts.errors.before[k]!);
  }
  for (const k of [5, 6]) {
    expect(facts.errors.darkObject[k]!).toBeLessThan(0.012);
  }
});
test("the fire is where the truth says, of every severity, and dNBR tells the severities apart", () => {
  expect(facts.severityCells.slice(1).every((n) => n > 500)).toBe(true);
  for (let k = 1; k < 4; k++) {
    expect(facts.meanDnbr[k]! - facts.meanDnbr[k - 1]!).toBeGreaterThan(0.1);
  }
  expect(Math.abs(facts.meanDnbr[0]!)).toBeLessThan(0.08);
});
test("the empirical method lowers the error of the visible bands too, and does no harm beyond them", () => {
  for (const k of [0, 1, 2, 3]) {
    expect(facts.errors.empirical[k]!).toBeLessThan(0.5 * facts.errors.before[k]!);
  }
  for (const k of [4, 5, 6]) {
    expect(facts.errors.empirical[k]!).toBeLessThan(0.02);
  }
});
test("burn severity by the published breaks against the truth", () => {
  expect(facts.fire.iou).toBeGreaterThan(0.95);
  expect(facts.fire.overall).toBeGreaterThan(0.97);
  expect(Math.abs(facts.fire.areaError)).toBeLessThan(0.03);
});
test("haze: more than half of the error goes in every visible band, clear cells stay, the map follows the truth", () => {
  for (const k of [0, 1, 2, 3]) {
    expect(facts.haze.insideAfter[k]!).toBeLessThan(0.5 * facts.haze.insideBefore[k]!);
  }
  for (const k of [4, 5, 6]) {
    expect(facts.haze.insideAfter[k]!).toBeLessThan(facts.haze.insideBefore[k]!);
  }
  expect(facts.haze.touchedShare).toBeLessThan(0.01);
  expect(facts.haze.correlation).toBeGreaterThan(0.95);
});
test("gaps: another date fills to a tenth of the spread, neighbours to a half; next to none is left", () => {
  facts.gaps.spread.forEach((s, k) => {
    expect(facts.gaps.byDate[k]!).toBeLessThan(0.1 * s);
    expect(facts.gaps.byNeighbours[k]!).toBeLessThan(0.5 * s);
  });
  expect(Math.max(facts.gaps.leftByDate, facts.gaps.leftByNeighbours)).toBeLessThan(0.02);
});
test("mosaic: in the overlap at most a third of the difference is left, and the light inside frames evens out", () => {
  facts.mosaic.overlap.forEach((t, k) =>
    expect(Number(t.split(" → ")[1])).toBeLessThan(facts.mosaic.measured.before[k]! / 3),
  );
  for (let k = 2; k < 7; k++) {
    expect(facts.mosaic.lightAfter[k]!).toBeLessThan(0.65 * facts.mosaic.lightBefore[k]!);
    expect(facts.mosaic.wholeAfter[k]!).toBeLessThan(0.6 * facts.mosaic.wholeBefore[k]!);
  }
});
