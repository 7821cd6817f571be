import * as yup from "yup";
import { utm } from "../../geodesy/crs";
import type { BandInfo, ImageInfo } from "../../graph/image";
import { node, sourceNode } from "../../graph/node";
import { northUp } from "../../grid/grid";
import { memorySources } from "../../testing/support";
import type { ChangeSetup } from "../setup";
import type { LimitGround, LimitPart } from "./limit";

interface Kept {
  leastGreen?: number | null;
}
interface Own {
  leastGreen: number;
}

/** What a person who adds a limit writes, whole: no change where little grew before. */
const green: LimitPart<"green", Kept, Own> = {
  key: "green",
  name: "Greenness",
  addedAs: "Greenness before",
  help: "Classes are dropped where little grew before.",
  shape: { leastGreen: yup.number().min(-1).max(1).nullable() },
  read: ({ leastGreen }) => (leastGreen == null ? null : { leastGreen }),
  write: (own) => ({ leastGreen: own?.leastGreen ?? null }),
  offered: () => true,
  start: () => ({ leastGreen: 0.1 }),
  text: ({ leastGreen }) => `green before ≥ ${leastGreen}`,
  said: ({ leastGreen }) => `green before ≥ ${leastGreen}`,
  work: {
    on: "layer",
    layer: "green",
    bound: ({ leastGreen }) => ({ min: leastGreen }),
    node: (_own, { before }) => node("bands.select", { bands: [0] }, before),
  },
  fields: () => [],
  graph: [],
};

const band: BandInfo = { name: "NDVI", unit: "", role: "value" };
const info: ImageInfo = {
  grid: northUp(utm(27, true), 0, 100, 10, 10, 4, 1),
  type: "float32",
  bands: [band],
};
const ground: LimitGround = {
  cellM2: 100,
  hasArea: false,
  hasElevation: false,
  hasHidden: false,
  hasSecond: false,
  hasCloud: false,
  others: [],
  classes: [],
  start: { op: "<", value: 0 },
  unit: { unit: "", decimals: 2, step: 0.01 },
};

beforeAll(() => {
  // The one line that somebody adds to the list.
  jest.doMock("./list", () => {
    const list = jest.requireActual<typeof import("./list")>("./list");
    return { LIMIT_PARTS: [...list.LIMIT_PARTS, green] };
  });
});

const settings = async (leastGreen: number): Promise<ChangeSetup> => {
  const { changeSetupSchema } = await import("../setup");
  const { emptyValueSetup } = await import("../defaults");
  const plain = emptyValueSetup([band], { hazard: "drought", hasStudyArea: false });
  const limits = { ...plain.limits, seenMarginCells: 0, minPatchCells: null, leastGreen };
  return changeSetupSchema.validateSync({ ...plain, limits }, { strict: true });
};

describe("a limit in one file and one line", () => {
  test("can be added where it is offered, and is then told in words", async () => {
    const { limitsLeft, limitsSet, limitName, withLimit } = await import("./all");
    const { limits } = await settings(0.3);
    const part = limitsSet(limits).at(-1)!.part;
    expect([part.key, limitName("green"), part.text({ leastGreen: 0.3 }, 100)]).toEqual([
      "green",
      "Greenness",
      "green before ≥ 0.3",
    ]);
    const without = withLimit(limits, part, null);
    expect(limitsLeft(without).map(({ key }) => key)).toContain("green");
    expect(withLimit(without, part, part.start(ground))).toMatchObject({ leastGreen: 0.1 });
  });
  test("its settings are checked", async () => {
    await expect(settings(2)).rejects.toThrow(/limits\.leastGreen must be less than or equal to 1/);
  });
  test("drops classes, and its effect is a stage of its own", async () => {
    const { buildChange } = await import("../build");
    const { Evaluator } = await import("../../graph/evaluator");
    const side = (id: string) => ({ node: sourceNode(id), info });
    const inputs = { before: side("a"), after: side("b"), elevation: null, studyArea: null };
    const { classes, stages } = buildChange(inputs, await settings(0.3));
    expect(stages.map(({ name }) => name)).toEqual(["rules", "seen", "green"]);
    const evaluator = new Evaluator({
      sources: memorySources({
        a: { info, bands: [Float32Array.from([0.1, 0.2, 0.6, 0.8])] },
        b: { info, bands: [Float32Array.from([0.6, 0.7, 0.1, 0.1])] },
      }),
    });
    const window = { col: 0, row: 0, width: 4, height: 1 };
    // All four cells changed by half or more; only the last two were green enough before.
    expect([...(await evaluator.read(stages[1]!.node, 0, window)).bands[0]!]).toEqual([2, 2, 1, 1]);
    expect([...(await evaluator.read(classes, 0, window)).bands[0]!]).toEqual([0, 0, 1, 1]);
  });
});
