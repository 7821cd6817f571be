import { utm } from "../../geodesy/crs";
import type { BandInfo, ImageInfo } from "../../graph/image";
import { node, sourceNode } from "../../graph/node";
import { northUp } from "../../grid/grid";
import { memorySources } from "../../testing/support";
import { type MeasurePart, takingStep, whenMeasure } from "./measure";

/** What a person who adds a measure writes, whole. */
const both: MeasurePart<"both"> = {
  key: "both",
  onPower: null,
  onValues: { name: "Both together", help: "Before + after." },
  said: () => "before + after",
  rank: () => 99,
  unit: { unit: "sum", decimals: 1, step: 0.1 },
  graph: [
    takingStep("test.both", "Both together", "Before + after.", "both", (before, after, out) =>
      out.forEach((_value, i) => {
        out[i] = before[i]! + after[i]!;
      }),
    ),
  ],
  node: ({ before, after }) => node("test.both", {}, before.db, after.db),
  rules: () => [whenMeasure(1, "Much", "#102030", ">", 1)],
  presets: [],
  fields: [],
};

const grid = northUp(utm(27, true), 0, 100, 10, 10, 4, 2);
const band: BandInfo = { name: "NDVI", unit: "", role: "value" };
const info: ImageInfo = { grid, type: "float32", bands: [band] };
const cells = (first: number) => Float32Array.from({ length: 8 }, (_value, i) => first + i / 10);

beforeAll(() => {
  // The one line that somebody adds to the list.
  jest.doMock("./list", () => {
    const list = jest.requireActual<typeof import("./list")>("./list");
    return { MEASURE_PARTS: [...list.MEASURE_PARTS, both] };
  });
});

describe("a measure in one file and one line", () => {
  test("is offered for its bands, the last by its rank, and for no others", async () => {
    const { measuresOf, measureUnit } = await import("./all");
    expect(measuresOf(band).at(-1)).toBe("both");
    expect(measuresOf({ name: "VV", unit: "", role: "power" })).not.toContain("both");
    expect(measureUnit("both", "dB")).toBe("sum");
  });
  test("passes the check of settings, and is computed", async () => {
    const { changeSetupSchema } = await import("../setup");
    const { emptyValueSetup } = await import("../defaults");
    const { buildChange } = await import("../build");
    const { Evaluator } = await import("../../graph/evaluator");
    const plain = emptyValueSetup([band], { hazard: "fire", hasStudyArea: false });
    const setup = changeSetupSchema.validateSync(
      { ...plain, measure: "both", rules: both.rules!(null) },
      { strict: true },
    );
    const side = (id: string) => ({ node: sourceNode(id), info });
    const inputs = {
      before: side("a"),
      after: side("b"),
      elevation: null,
      studyArea: null,
    };
    const { measure } = buildChange(inputs, setup);
    const evaluator = new Evaluator({
      sources: memorySources({
        a: { info, bands: [cells(0)] },
        b: { info, bands: [cells(1)] },
      }),
    });
    const block = await evaluator.read(measure, 0, { col: 0, row: 0, width: 4, height: 2 });
    expect([...block.bands[0]!].map((value) => Math.round(value * 10) / 10)).toEqual([
      1, 1.2, 1.4, 1.6, 1.8, 2, 2.2, 2.4,
    ]);
  });
});
