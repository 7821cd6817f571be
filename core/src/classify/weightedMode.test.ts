import { utm } from "../geodesy/crs";
import { Evaluator } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { node, sourceNode } from "../graph/node";
import { fullWindow, northUp } from "../grid/grid";
import { CLASS_NODATA } from "../raster/block";
import { firstDifference } from "../testing/inWindows";
import { lcg, memorySources } from "../testing/support";
import { smoothed } from "./smooth";
import { weightedMode } from "./weightedMode";

test("the greatest sum of probabilities decides, not the number of cells", () => {
  // Five cells are a little more of the first class; four are almost wholly of the second.
  const first = Float32Array.of(0.55, 0.55, 0.55, 0.55, 0.55, 0.05, 0.05, 0.05, 0.05);
  const second = first.map((share) => 1 - share);
  const out = new Uint8Array(1);
  weightedMode([first, second], { width: 1, height: 1, windowCells: 3 }, out);
  expect(out[0]).toBe(1);
  // Cells without data say nothing.
  const partly = first.map((share, k) => (k > 4 ? NaN : share));
  const rest = second.map((share, k) => (k > 4 ? NaN : share));
  weightedMode([partly, rest], { width: 1, height: 1, windowCells: 3 }, out);
  expect(out[0]).toBe(0);
});

describe("as a step", () => {
  const grid = northUp(utm(27, true), 500000, 5170000, 30, 30, 600, 540);
  const random = lcg(8);
  const n = grid.width * grid.height;
  const labels = Uint8Array.from(
    { length: n },
    () => [1, 1, 4, 9, 0, CLASS_NODATA][Math.floor(6 * random())]!,
  );
  const classes = [1, 4, 9].map((label) => ({ label, name: `c${label}`, color: "#123456" }));
  const shares = classes.map(() =>
    Float32Array.from({ length: n }, () => (random() < 0.1 ? NaN : random())),
  );
  const info: ImageInfo = {
    ...{ grid, type: "class8", classes },
    bands: [{ name: "class", unit: "", role: "classes" }],
  };
  const chances: ImageInfo = {
    ...{ grid, type: "float32" },
    bands: classes.map(({ name }) => ({ name, unit: "", role: "value" })),
  };
  const sources = memorySources({
    labels: { info, bands: [labels] },
    chances: { info: chances, bands: shares },
  });
  const spec = smoothed(
    sourceNode("labels"),
    { majorityCells: 5, weighted: true, minPatchCells: null, neighbours: 8 },
    sourceNode("chances"),
  );

  test("agrees with adding up each window by itself; no class and no data stay", async () => {
    const block = await new Evaluator({ sources }).read(spec, 0, fullWindow(grid));
    const sumAt = (band: Float32Array, col: number, row: number) => {
      let sum = 0;
      for (let y = Math.max(0, row - 2); y <= Math.min(grid.height - 1, row + 2); y++) {
        for (let x = Math.max(0, col - 2); x <= Math.min(grid.width - 1, col + 2); x++) {
          const value = band[y * grid.width + x]!;
          sum += Number.isNaN(value) ? 0 : value;
        }
      }
      return sum;
    };
    for (let cell = 0; cell < n; cell += 997) {
      const own = labels[cell]!;
      const sums = shares.map((band) =>
        sumAt(band, cell % grid.width, Math.floor(cell / grid.width)),
      );
      const best = classes[sums.indexOf(Math.max(...sums))]!.label;
      expect(block.bands[0]![cell]).toBe(own === 0 || own === CLASS_NODATA ? own : best);
    }
  });
  test("is the same in any window, at every level", async () => {
    expect(await firstDifference(sources, spec, 0, 4)).toBeNull();
    expect(await firstDifference(sources, spec, 1, 4)).toBeNull();
  });
  test("needs a probability of every class", async () => {
    const one = node("bands.select", { bands: [0] }, sourceNode("chances"));
    const wrong = node("classify.weightedMode", { windowCells: 3 }, sourceNode("labels"), one);
    await expect(new Evaluator({ sources }).info(wrong)).rejects.toThrow(/every class/);
  });
  test("holes are filled last, by what encloses them", () => {
    const all = { majorityCells: 3, minPatchCells: 4, holeCells: 7, neighbours: 4 as const };
    const { step, params, inputs } = smoothed(sourceNode("labels"), all, null);
    expect([step, params.maxCells, inputs[0]!.step]).toEqual([
      "limit.holes",
      7,
      "limit.minimumPatch",
    ]);
    expect(inputs[0]!.inputs[0]!.step).toBe("limit.majority");
  });
});
