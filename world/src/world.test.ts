import { execFileSync } from "node:child_process";
import { resolve } from "node:path";
import { equivalentLooks } from "@hindglance/core/radar/looks";
import { COVER } from "./ground";
import { fractal, gammaMean1, generator, hash2, noise } from "./random";
import type { ThingScore } from "./smallScore";
import { TRUTH, score } from "./truth";
import { districtsGeoJson, studyAreaGeoJson } from "./vectors";

describe("random numbers", () => {
  test("one seed, one sequence", () => {
    const a = generator(5);
    const b = generator(5);
    for (let i = 0; i < 100; i++) {
      expect(a()).toBe(b());
    }
    expect(generator(6)()).not.toBe(generator(5)());
  });
  test("gamma deviates have mean 1 and variance 1/shape", () => {
    const random = generator(1);
    const x = Float64Array.from({ length: 100000 }, () => gammaMean1(4.4, random));
    const mean = x.reduce((a, b) => a + b) / x.length;
    expect(mean).toBeCloseTo(1, 2);
    expect(equivalentLooks(x)).toBeGreaterThan(4.3);
    expect(equivalentLooks(x)).toBeLessThan(4.5);
  });
  test("noise is continuous and bounded", () => {
    for (let i = 0; i < 300; i++) {
      const x = i * 0.37;
      const y = i * 0.11;
      expect(Math.abs(noise(x, y, 3))).toBeLessThanOrEqual(1);
      expect(Math.abs(noise(x + 1e-5, y, 3) - noise(x, y, 3))).toBeLessThan(1e-3);
      expect(Number.isFinite(fractal(x, y, 5, 2))).toBe(true);
      expect(hash2(i, 2, 3)).toBeLessThan(1);
    }
  });
});

test("scores by hand", () => {
  // 3 mapped, 4 real, 2 both: IoU 2/5, producer's 2/4, user's 2/3; cell 0 does not count.
  const map = [1, 1, 1, 0, 1, 0, 0];
  const truth = [1, 1, 1, 1, 0, 1, 0];
  const accuracy = score(
    (i) => map[i] === 1,
    (i) => truth[i] === 1,
    (i) => i > 0,
    7,
  );
  expect(accuracy).toEqual({ iou: 2 / 5, producers: 2 / 4, users: 2 / 3, cells: 6 });
});

test("districts cover the study area once", () => {
  const data = districtsGeoJson().features.map((feature) => feature.geometry.coordinates[0]!);
  const a = studyAreaGeoJson().geometry.coordinates[0]!;
  const inside = (r: [number, number][], x: number, y: number) => {
    let k = false;
    for (let i = 0; i + 1 < r.length; i++) {
      const [x0, y0] = r[i]!;
      const [x1, y1] = r[i + 1]!;
      if (y0 > y !== y1 > y && x < x0 + ((y - y0) / (y1 - y0)) * (x1 - x0)) {
        k = !k;
      }
    }
    return k;
  };
  let seen = 0;
  for (let i = 0; i < 40; i++) {
    for (let j = 0; j < 30; j++) {
      const x = -21.13 + i * 0.0068;
      const y = -43.66 + j * 0.004;
      if (inside(a, x, y)) {
        seen++;
        expect(data.filter((r) => inside(r, x, y))).toHaveLength(1);
      }
    }
  }
  expect(seen).toBeGreaterThan(300);
});

// The whole world is built outside this process: in here every call of Math goes through the test
// runner's sandbox, ten times as slow.
describe("the island", () => {
  interface Facts {
    same: boolean;
    otherSeedDiffers: boolean;
    top: number;
    dry: number;
    covers: number[];
    counts: number[];
    shadow: number;
    airfield: number;
    onlyOne: number;
    small: ThingScore;
    looks: number;
    thresholds: number[];
    scores: Record<
      string,
      { iou: number; openIou: number; producers: number; users: number; standingUsers: number }
    >;
  }
  let facts: Facts;
  beforeAll(() => {
    facts = JSON.parse(
      execFileSync(process.execPath, [resolve("dist/world/facts.js")], {
        encoding: "utf8",
        maxBuffer: 1 << 26,
      }),
    ) as Facts;
  }, 180_000);
  test("is made alike from one seed, and otherwise from another", () => {
    expect([facts.same, facts.otherSeedDiffers]).toEqual([true, true]);
  });
  test("has sea, hills within bounds, and every cover", () => {
    expect(facts.top).toBeLessThanOrEqual(620);
    expect(facts.top).toBeGreaterThan(300);
    expect(facts.dry).toBe(0);
    expect(facts.covers).toEqual(Object.values(COVER).sort());
  });
  test("the flood reaches fields, reeds and town", () => {
    for (const k of Object.values(TRUTH)) {
      expect(facts.counts[k]).toBeGreaterThan(50);
    }
    expect(facts.counts[TRUTH.newWater]! * 0.0004).toBeGreaterThan(15);
    expect(facts.counts[TRUTH.newWater]! * 0.0004).toBeLessThan(60);
  });
  test("the traps are there: shadow, airfield, frame edges and fill that only one date has", () => {
    expect(facts.shadow).toBeGreaterThan(200);
    expect(facts.airfield).toBeGreaterThan(3000);
    expect(facts.onlyOne).toBeGreaterThan(0.01);
  });
  test("looks are found from the image: four cells of 4.4", () => {
    expect(facts.looks / 17.6).toBeGreaterThan(0.85);
    expect(facts.looks / 17.6).toBeLessThan(1.15);
  });
  test("the flood is mapped against truth with default settings and suggested thresholds", () => {
    console.log(
      `Flood against truth, thresholds ${facts.thresholds.join(" / ")} dB\n${Object.entries(
        facts.scores,
      )
        .map(
          ([k, accuracy]) =>
            `  ${k.padEnd(26)} IoU ${accuracy.iou.toFixed(3)} (open ${accuracy.openIou.toFixed(3)})  producer's ${accuracy.producers.toFixed(3)}  user's ${accuracy.users.toFixed(3)}  standing water user's ${accuracy.standingUsers.toFixed(3)}`,
        )
        .join("\n")}`,
    );
    const best = facts.scores["refined Lee, all limits"]!;
    expect(best.iou).toBeGreaterThan(0.95);
    expect(best.openIou).toBeGreaterThan(0.97);
    expect(best.users).toBeGreaterThan(0.95);
  });
  test("of what came to the plain and left it beside the flood nine in ten are found", () => {
    const { small } = facts;
    console.log(small);
    expect([small.things, small.strong > 10, small.wrongSign]).toEqual([30, true, 0]);
    expect(small.strongFound / small.strong).toBeGreaterThanOrEqual(0.9);
  });
});

// Three raw products are written, read back and run through the default chain, outside this process
// for the same reason.
describe("raw products through the chain", () => {
  interface Check {
    pass: string;
    evenDb: { land: number; water: number };
    leanFlatDb: Record<string, number>;
    leanBetaDb: Record<string, number>;
    targetsPrecise: number;
    targetsOwn: number;
  }
  let fraction: {
    checks: Check[];
    scores: Record<
      string,
      {
        iou: number;
        openIou: number;
        producers: number;
        users: number;
        standingUsers: number;
        thresholds: number[];
      }
    >;
    small: ThingScore;
  };
  beforeAll(() => {
    fraction = JSON.parse(
      execFileSync(
        process.execPath,
        ["--max-old-space-size=4096", resolve("dist/world/chainFacts.js")],
        { encoding: "utf8", maxBuffer: 1 << 26 },
      ),
    ) as typeof fraction;
  }, 500_000);
  test("sigma nought of level land is the truth within 0.1 dB, on either pass", () => {
    expect(fraction.checks.map((check) => check.pass)).toEqual([
      "descending",
      "descending",
      "ascending",
    ]);
    for (const check of fraction.checks) {
      expect(Math.abs(check.evenDb.land)).toBeLessThan(0.1);
    }
  });
  test("bright targets lie within half a cell with the precise orbit, and farther off with the announced one", () => {
    for (const check of fraction.checks) {
      expect(check.targetsPrecise).toBeLessThan(0.5);
      expect(check.targetsOwn).toBeGreaterThan(check.targetsPrecise + 0.3);
    }
  });
  test("flattened slopes to the east and west agree within 0.5 dB; without flattening they differ by decibels", () => {
    for (const check of fraction.checks) {
      const [a, b] = Object.values(check.leanFlatDb) as [number, number];
      const [x, y] = Object.values(check.leanBetaDb) as [number, number];
      expect(Math.abs(a - b)).toBeLessThan(0.5);
      expect(Math.abs(x - y)).toBeGreaterThan(3);
    }
  });
  test("the flood from raw products, by default settings", () => {
    console.log(
      Object.entries(fraction.scores)
        .map(
          ([k, accuracy]) =>
            `  ${k.padEnd(58)} IoU ${accuracy.iou.toFixed(3)} (open ${accuracy.openIou.toFixed(3)})  producer's ${accuracy.producers.toFixed(3)}  user's ${accuracy.users.toFixed(3)}  standing water user's ${accuracy.standingUsers.toFixed(3)}  ${accuracy.thresholds.join(" / ")} dB`,
        )
        .join("\n"),
    );
    // Shaded slopes stay out of standing water without the limit too, flattened or not: the first map
    // tells them by itself.
    for (const { iou, openIou, standingUsers } of Object.values(fraction.scores)) {
      expect(iou).toBeGreaterThan(0.94);
      expect(openIou).toBeGreaterThan(0.97);
      expect(standingUsers).toBeGreaterThan(0.7);
    }
  });
  test("what came to the plain and left it beside the flood, by VV alone", () => {
    const { small } = fraction;
    console.log(small);
    expect([small.things, small.strong > 10, small.wrongSign]).toEqual([30, true, 0]);
    expect(small.strongFound / small.strong).toBeGreaterThanOrEqual(0.85);
  });
});
