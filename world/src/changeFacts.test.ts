import { execFileSync } from "node:child_process";
import { resolve } from "node:path";

interface Score {
  iou: number | null;
  producers: number | null;
  users: number | null;
  km2: number;
}
type Stage = Score & { limit: string };
interface Coverage {
  overall: number;
  areas: Record<number, number>;
  plain: { overall: number; areas: Record<number, number> };
}
interface Doubt {
  error: number;
  doubtfulError: number;
  found: number;
  mapped: number;
  probable: number;
  half: number;
  truth: number;
}
// Built outside this process: in here every call of Math goes through the test runner's sandbox,
// ten times as slow.
describe("maps of change against the truth of the world, as presets come and after refinement", () => {
  let file: {
    flood: {
      preset: Stage[];
      refined: Stage[];
      alone: Stage[];
      byTwo: Stage[];
      second: Record<
        "preset" | "alone",
        { seen: number; confirmedTrue: number; againstTrue: number; against: number }
      >;
      others: Record<string, Score>;
      doubt: Doubt;
      coverage: Coverage;
      depth: Record<
        string,
        { medianError: number; volume: number; trueVolume: number; unknown: number }
      >;
    };
    fireDoubt: Record<string, Doubt>;
    fire: Record<string, Score>;
    greenness: { preset: { loss: Score }; refined: { loss: Score } };
  };
  const said = (score: Score) =>
    `IoU ${score.iou?.toFixed(3)}  producer's ${score.producers?.toFixed(3)}  user's ${score.users?.toFixed(3)}  ${score.km2.toFixed(2)} km²`;
  beforeAll(() => {
    file = JSON.parse(
      execFileSync(
        process.execPath,
        ["--max-old-space-size=4096", resolve("dist/world/changeFacts.js")],
        { encoding: "utf8", maxBuffer: 1 << 26 },
      ),
    ) as typeof file;
  }, 300_000);
  test("the flood: by rules over both dates, and by the after date alone with what its limits take away", () => {
    for (const k of ["preset", "refined", "alone"] as const) {
      console.log(
        `Flood, ${k}\n${file.flood[k].map((stage) => `  ${stage.limit.padEnd(24)} ${said(stage)}`).join("\n")}`,
      );
    }
    console.log(
      Object.entries(file.flood.others)
        .map(([k, score]) => `  ${k.padEnd(60)} ${said(score)}`)
        .join("\n"),
    );
    for (const k of ["preset", "refined"] as const) {
      expect(file.flood[k].at(-1)!.iou).toBeGreaterThan(0.93);
      expect(file.flood[k].at(-1)!.users).toBeGreaterThan(0.98);
    }
    const at = (limit: string) => file.flood.alone.find((stage) => stage.limit === limit)!;
    // Slope and the other date each bring the map of one date alone nearer to the truth, and cost
    // next to nothing of it.
    expect(at("Slope").users! - at("Study area").users!).toBeGreaterThan(0.03);
    expect(at("Other dates").users! - at("Height above drainage").users!).toBeGreaterThan(0.04);
    expect(at("Study area").producers! - file.flood.alone.at(-1)!.producers!).toBeLessThan(0.005);
  });
  test("a camera between clouds says of the flood on radar what is so", () => {
    const { second, byTwo } = file.flood;
    console.log(
      `Second sensor\n${JSON.stringify(second, null, 1)}\n${byTwo.map((stage) => `  ${stage.limit.padEnd(24)} ${said(stage)}`).join("\n")}`,
    );
    expect(second.preset.seen).toBeGreaterThan(0.4);
    expect(second.preset.seen).toBeLessThan(0.9);
    expect(second.preset.confirmedTrue).toBeGreaterThan(0.99);
    expect(second.alone.againstTrue).toBeGreaterThan(0.7);
    // Of one date alone, what the camera does not confirm is smooth ground and shadow.
    const before = byTwo.find((stage) => stage.limit === "Study area")!;
    expect(byTwo.at(-1)!.users! - before.users!).toBeGreaterThan(0.1);
    expect(before.producers! - byTwo.at(-1)!.producers!).toBeLessThan(0.005);
  });
  test("the fire: the severity preset, other measures, and groups that were picked", () => {
    console.log(
      Object.entries(file.fire)
        .map(([k, score]) => `  ${k.padEnd(68)} ${said(score)}`)
        .join("\n"),
    );
    expect(file.fire["dNBR, published breaks"]!.iou).toBeGreaterThan(0.95);
    expect(file.fire["dNBR, first map"]!.iou).toBeGreaterThan(0.95);
    expect(file.fire["RdNBR over 0.2"]!.iou).toBeGreaterThan(0.97);
    for (const [k, score] of Object.entries(file.fire)) {
      if (/picked/.test(k)) {
        expect(score.iou).toBeGreaterThan(0.93);
      }
    }
    // Plain MAD finds most of it with few false cells; reweighting calls half as much again burned
    // where the season has moved.
    expect(file.fire["MAD of seven bands under 1 %"]!.users).toBeGreaterThan(0.9);
    expect(file.fire["reweighted MAD of seven bands under 1 %"]!.producers).toBeGreaterThan(0.99);
  });
  test("greenness lost between two composites, at the preset and at a break that the place asks for", () => {
    console.log(
      `Greenness lost: preset ${said(file.greenness.preset.loss)}; at 0.1 ${said(file.greenness.refined.loss)}`,
    );
    expect(file.greenness.refined.loss.iou).toBeGreaterThan(0.9);
    expect(file.greenness.preset.loss.km2).toBeLessThan(0.2);
  });
  test("doubt: probabilities hold, and what is wrong lies among the most doubtful cells", () => {
    for (const [name, doubt] of Object.entries({ flood: file.flood.doubt, ...file.fireDoubt })) {
      const { error, doubtfulError, found, mapped, probable, half, truth } = doubt;
      console.log(
        `${name}: error ${error}, among doubtful ${doubtfulError}, found ${found}; mapped ${mapped}, probable ${probable} ± ${half}, truth ${truth} km²`,
      );
      expect(error).toBeLessThan(0.05);
      expect(doubtfulError).toBeLessThan(0.05);
      expect(found).toBeGreaterThan(0.8);
      expect(Math.abs(probable - truth)).toBeLessThan(Math.abs(mapped - truth));
    }
    // Reeds that stand in water look like land: no probability knows of them.
    const burned = file.fireDoubt["dNBR, first map"]!;
    expect(Math.abs(burned.probable - burned.truth)).toBeLessThan(burned.half);
  });
  test("a thousand samples: intervals hold what is true as often as they say", () => {
    const { overall, areas, plain } = file.flood.coverage;
    console.log(
      `held ${overall}, areas ${JSON.stringify(areas)}; ± 1.96 errors ${JSON.stringify(plain)}`,
    );
    // Two in a hundred are what a thousand samples differ by; a class with hardly a mistake is held more often.
    expect(overall).toBeGreaterThan(0.93);
    expect(overall).toBeLessThan(0.97);
    for (const label of [0, 1, 4]) {
      expect(areas[label]!).toBeGreaterThan(0.93);
      expect(areas[label]!).toBeLessThan(0.98);
    }
    expect(Math.min(...Object.values(areas))).toBeGreaterThan(0.93);
  });
  test("depth by the shores: within 0.3 m of the truth, whatever stands in the water", () => {
    const found = file.flood.depth;
    console.log(JSON.stringify(found, null, 1));
    const asItIs = found["elevation as it is"]!;
    expect(asItIs.medianError).toBeLessThan(0.05);
    expect(Math.abs(asItIs.volume / asItIs.trueVolume - 1)).toBeLessThan(0.1);
    expect(asItIs.unknown).toBe(0);
  });
});
