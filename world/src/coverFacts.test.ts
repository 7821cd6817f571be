import { execFileSync } from "node:child_process";
import { resolve } from "node:path";

interface Fact {
  then: { whole: number; test: number };
  now: { whole: number; test: number };
  f1: number;
  transitions: Record<string, { truth: number; mapped: number }>;
  doubt?: { error: number; found: number; probable: number; half: number; truth: number };
}
type Facts = Record<string, Fact>;

const isFacts = (value: unknown): value is Facts =>
  typeof value === "object" && value !== null && "likelihood" in value;

// Built outside this process: in here every call of Math goes through the test runner's sandbox,
// ten times as slow.
describe("land cover of the Quill Basin, trained on the demo's areas, against the truth", () => {
  let facts: Facts;
  const leastOf = ({ then, now }: Fact): number => Math.min(then.whole, now.whole);
  beforeAll(() => {
    const program = resolve("dist/world/coverFacts.js");
    const parsed: unknown = JSON.parse(
      execFileSync(process.execPath, [program], { encoding: "utf8" }),
    );
    if (!isFacts(parsed)) {
      throw new Error("The program printed no facts");
    }
    facts = parsed;
    console.log(
      Object.entries(facts)
        .map(([name, { then, now, f1, transitions }]) => {
          const areas = Object.entries(transitions).map(
            ([what, { truth, mapped }]) => `${what} ${truth.toFixed(3)} ${mapped.toFixed(3)}`,
          );
          return `${name}: ${then.whole.toFixed(3)} ${now.whole.toFixed(3)}, F1 ${f1.toFixed(3)}, ${areas.join(", ")}`;
        })
        .join("\n"),
    );
  }, 900_000);

  test("maximum likelihood and the forest are right in more than 95 cells of 100", () => {
    expect(leastOf(facts.likelihood!)).toBeGreaterThan(0.97);
    expect(leastOf(facts.forest!)).toBeGreaterThan(0.95);
    expect(leastOf(facts.spectralAngle!)).toBeLessThan(leastOf(facts.forest!));
  });

  test("ground that was set apart to test on is found on both dates", () => {
    const { then, now } = facts.likelihood!;
    expect(Math.min(then.test, now.test)).toBeGreaterThan(0.99);
  });

  test("smoothing makes both better, and areas of what changed right within 5 %", () => {
    for (const name of ["likelihood", "forest"]) {
      const [plain, smooth] = [facts[name]!, facts[`${name}, smoothed`]!];
      expect(leastOf(smooth)).toBeGreaterThan(leastOf(plain));
      expect(smooth.f1).toBeGreaterThan(plain.f1);
      expect(plain.f1).toBeGreaterThan(0.95);
    }
    for (const name of ["likelihood", "forest"]) {
      expect(facts[`${name}, weighted`]!.f1).toBeGreaterThan(facts[`${name}, smoothed`]!.f1);
    }
    const { transitions } = facts["likelihood, smoothed"]!;
    expect(Object.keys(transitions)).toHaveLength(4);
    for (const [name, { truth, mapped }] of Object.entries(transitions)) {
      expect([name, Math.abs(mapped / truth - 1) < 0.05]).toEqual([name, true]);
    }
  });
  test("doubt: probabilities hold, and what is wrong lies among the most doubtful cells", () => {
    const doubted = Object.entries(facts).flatMap(([name, { doubt }]) =>
      doubt ? [{ name, doubt }] : [],
    );
    expect(doubted).toHaveLength(4);
    for (const { name, doubt } of doubted) {
      console.log(`${name}: ${JSON.stringify({ ...doubt, bins: undefined })}`);
      expect(doubt.error).toBeLessThan(0.05);
      expect(doubt.found).toBeGreaterThan(0.8);
      expect(Math.abs(doubt.probable - doubt.truth)).toBeLessThan(1.2 * doubt.half);
    }
  });
});
