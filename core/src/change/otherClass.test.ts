import { utm } from "../geodesy/crs";
import { Evaluator } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { sourceNode } from "../graph/node";
import { fullWindow, northUp } from "../grid/grid";
import { labelCells, realCells } from "../raster/block";
import { memorySources } from "../testing/support";
import { buildChange } from "./build";
import { emptyValueSetup } from "./defaults";
import type { ChangeSetup, ChangeSide } from "./setup";

const grid = northUp(utm(27, true), 500000, 5170000, 30, 30, 7, 1);
const classified = (names: string[]): ImageInfo => ({
  ...{ grid, type: "class8", bands: [{ name: "class", unit: "", role: "classes" }] },
  classes: names.map((name, k) => ({ label: k + 1, name, color: "#33498c" })),
});
const [then, now] = [classified(["Water", "Wood", "Salt"]), classified(["Wood", "Water"])];
const sources = memorySources({
  then: { info: then, bands: [Uint8Array.of(1, 1, 2, 2, 3, 0, 255)] },
  now: { info: now, bands: [Uint8Array.of(2, 1, 2, 1, 2, 2, 2)] },
});
const side = (id: string, info: ImageInfo): ChangeSide => ({ node: sourceNode(id), info });
const inputs = {
  ...{ before: side("then", then), after: side("now", now), elevation: null, studyArea: null },
  covers: { before: { id: "then", info: then }, after: { id: "now", info: now } },
};
const start = emptyValueSetup(then.bands, { hazard: "land cover", hasStudyArea: false });
/** Salt is paired with nothing. */
const setup: ChangeSetup = {
  ...start,
  transitions: {
    ...{ beforeId: "then", afterId: "now", show: "transition", kept: [2, 3], unlikely: [] },
    classes: [
      { name: "Water", color: "#33498c", before: [1], after: [2] },
      { name: "Wood", color: "#2f6b45", before: [2], after: [1] },
    ],
  },
  limits: { ...start.limits, minPatchCells: null, seenMarginCells: 0 },
};

describe("two classified dates, compared as they are", () => {
  const evaluator = new Evaluator({ sources });
  const nodes = buildChange(inputs, setup);

  test("begin with the one measure that is taken of classes", () => {
    expect(start.measure).toBe("otherClass");
  });

  test("the measure is 1 where classes do not mean the same, whatever their numbers", async () => {
    const { bands } = await evaluator.read(nodes.measure, 0, fullWindow(grid));
    expect([...realCells(bands[0]!)]).toEqual([0, 1, 1, 0, NaN, NaN, NaN]);
  });

  test("the map is of transitions; both dates are drawn as classes", async () => {
    const { bands } = await evaluator.read(nodes.classes, 0, fullWindow(grid));
    // Water to wood is 2, wood to water 3; what is paired with nothing is not counted.
    expect([...labelCells(bands[0]!)]).toEqual([0, 2, 3, 0, 255, 255, 255]);
    expect((await evaluator.info(nodes.before)).type).toBe("class8");
    expect((await evaluator.info(nodes.stack)).bands.map(({ name }) => name)).toEqual([
      "before",
      "after",
      "measure",
    ]);
  });

  test("are not compared by rules, nor by numbers", () => {
    expect(() => buildChange(inputs, { ...setup, transitions: null })).toThrow(
      "Classified dates are compared by what became of what",
    );
    expect(() => buildChange(inputs, { ...setup, measure: "difference" })).toThrow(
      "Difference of decibels is taken of radar power or plain numbers, and class holds classes",
    );
  });
});
