import { execFileSync } from "node:child_process";
import { resolve } from "node:path";
import * as yup from "yup";

const share = yup.number().min(0).max(1).required();
const schema = yup.object({
  ...{ iou: share, producers: share, falseAlarms: share, firstDay: share },
  omnibus: yup.object({ found: share, firstDay: share, falseAlarms: share }),
});

// Built outside this process, as the other facts are: Math is slow in the test runner's sandbox.
describe("a radar series of the flood against the truth of the world", () => {
  let facts: yup.InferType<typeof schema>;
  beforeAll(() => {
    const program = resolve("dist/world/seriesFacts.js");
    const args = ["--max-old-space-size=4096", program];
    facts = schema.validateSync(
      JSON.parse(execFileSync(process.execPath, args, { encoding: "utf8" })),
    );
    console.log(JSON.stringify(facts));
  }, 300_000);

  test("what lies below normal is the flood, as well as a map of two dates knows it", () => {
    expect(facts.iou).toBeGreaterThan(0.97);
    expect(facts.producers).toBeGreaterThan(0.98);
  });

  test("land that stays as it is departs less often than one cell in a thousand", () => {
    expect(facts.falseAlarms).toBeLessThan(0.001);
    // Nothing but speckle is there: that seldom, and not never.
    expect(facts.falseAlarms).toBeGreaterThan(0);
  });

  test("the day of the flood is the first on which its cells left their normal", () => {
    expect(facts.firstDay).toBeGreaterThan(0.98);
  });

  test("the test of all dates finds the flood and its day, and calls still land changed as seldom as asked", () => {
    const { found, firstDay, falseAlarms } = facts.omnibus;
    expect(found).toBeGreaterThan(0.98);
    expect(firstDay).toBeGreaterThan(0.98);
    // One in a thousand was asked for.
    expect(falseAlarms).toBeGreaterThan(0.0003);
    expect(falseAlarms).toBeLessThan(0.002);
  });
});
