import { northUp } from "@hindglance/core/grid/grid";
import { utm } from "@hindglance/core/geodesy/crs";
import { addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import type { BandInfo } from "@hindglance/core/graph/image";
import type { NodeView } from "../api/types";
import { endsOf } from "../scenes/display";
import { bandLook, bandsOfLook, inCommon, joint, looksOf } from "./look";
import { NodeCells } from "./nodeCells";
import { RAMPS, breakColours, colourAt, rampById, rampFor, usualBreaks } from "./ramps";
import { levelFor, viewHistogram } from "./viewHistogram";

const band = (
  name: string,
  wavelengthNm?: number,
  role: BandInfo["role"] = "reflectance",
): BandInfo => ({ name, unit: "", role, ...(wavelengthNm ? { wavelengthNm } : {}) });
const bands = [
  band("B2", 482),
  band("B3", 561),
  band("B4", 655),
  band("B5", 865),
  band("quality", undefined, "quality"),
  band("NBR", undefined, "value"),
];

describe("looks", () => {
  test("three bands by wavelength, one by its name, the nearest thing where a look is lacking", () => {
    expect([
      bandsOfLook(bands, "natural"),
      bandsOfLook(bands, "infrared"),
      bandsOfLook(bands, bandLook("NBR")),
      bandsOfLook(bands, "burn"),
      bandsOfLook([band("VV")], "natural"),
    ]).toEqual([[2, 1, 0], [3, 2, 1], [5], [2, 1, 0], [0]]);
    expect(looksOf(bands).map((choice) => choice.value)).toEqual([
      "natural",
      "infrared",
      "band:B2",
      "band:B3",
      "band:B4",
      "band:B5",
      "band:NBR",
    ]);
  });
  test("one stretch for both sides, and for all bands", () => {
    expect(joint([{ lo: 0, hi: 2 }], [{ lo: -1, hi: 1 }])).toEqual([{ lo: -1, hi: 2 }]);
    expect(
      inCommon([
        { lo: 0.1, hi: 0.2 },
        { lo: 0.05, hi: 0.4 },
      ]),
    ).toEqual([
      { lo: 0.05, hi: 0.4 },
      { lo: 0.05, hi: 0.4 },
    ]);
  });
});
describe("ramps", () => {
  test("ends, middles, and the ramp that suits a band", () => {
    expect([
      colourAt(rampById("grey"), 0),
      colourAt(rampById("grey"), 0.5),
      colourAt(rampById("grey"), 2),
    ]).toEqual(["#000000", "#808080", "#ffffff"]);
    expect(
      ["NBR", "dNBR", "NDVI", "MNDWI", "x"].map((n) => rampFor(band(n, undefined, "value"))),
    ).toEqual(["burn", "burn", "greenness", "moisture", "grey"]);
    expect(new Set(RAMPS.map((ramp) => ramp.id)).size).toBe(RAMPS.length);
  });
  test("usual break points of indices, with a colour a class", () => {
    expect([
      usualBreaks(band("EVI", undefined, "value")),
      usualBreaks(band("NDVI", undefined, "value"))!.at,
      usualBreaks(band("VV")),
    ]).toEqual([{ at: [0.2], names: ["Bare", "Vegetated"] }, [0.3], null]);
    expect(breakColours({ at: [0], names: ["a", "b"] }, rampById("grey"))).toEqual([
      "#000000",
      "#ffffff",
    ]);
  });
});
test("ends by percent and by deviations, by hand", () => {
  const histogram = emptyHistogram(0, 100, 100);
  addToHistogram(
    histogram,
    Array.from({ length: 100 }, (_v, i) => i + 0.5),
  );
  expect(endsOf(histogram, "p5")).toEqual([5, 95]);
  const [lo, hi] = endsOf(histogram, "s1");
  const sigma = Math.sqrt((100 ** 2 - 1) / 12);
  expect([lo, hi]).toEqual([expect.closeTo(50 - sigma, 6), expect.closeTo(50 + sigma, 6)]);
});
test("what is on screen: cells of the loaded tiles inside the view, and no others", async () => {
  const width = 40;
  const height = 30;
  const node: NodeView = {
    hash: "h",
    levels: 1,
    block: 512,
    info: {
      grid: northUp(utm(27, true), 0, 300, 10, 10, width, height),
      type: "float32",
      bands: [band("NBR", undefined, "value")],
    },
  };
  const cells = new NodeCells(node, async () => ({
    ok: true,
    status: 200,
    arrayBuffer: async () =>
      Float32Array.from({ length: width * height }, (_v, i) => (i === 0 ? NaN : i % width)).buffer,
  }));
  expect(viewHistogram(cells, [0, 0, 400, 300], 10, 0)).toBeNull();
  await cells.tile(0, 0, 0);
  const histogram = viewHistogram(cells, [100, 0, 200, 300], 10, 0)!;
  expect([histogram.min, histogram.max, histogram.counts.reduce((a, b) => a + b)]).toEqual([
    10,
    19,
    10 * height,
  ]);
  expect([
    levelFor({ ...node, levels: 4 }, 10),
    levelFor({ ...node, levels: 4 }, 85),
    levelFor(node, 85),
  ]).toEqual([0, 3, 0]);
});
