import { nameGeoid } from "../geodesy/geoid";
import { buildChange } from "../change/build";
import { CLASS_NODATA } from "../raster/block";
import { firstDifference, kindsIn } from "../testing/inWindows";
import { testGrid } from "../testing/support";
import { Evaluator } from "./evaluator";
import { node, sourceNode } from "./node";
import { width, height, sources, setup, inputs, multiple, whole } from "../testing/pairOfDates";
import { STEPS } from "./registry";

/** What was one class and stayed it. */
const PATH = {
  classes: [{ name: "New", color: "#c8246f", labels: [[1], [1, 2]] }],
  path: [0, 0],
};

describe("block by block equals whole image, for every step", () => {
  // A plane in place of a model: what matters here is that blocks see the same one.
  beforeAll(() => nameGeoid((lon, lat) => 3 * lon - 2 * lat));
  test("each node of a comparison", async () => {
    const changeNodes = buildChange(await inputs(), setup);
    const lee = node("radar.lee", { windowCells: 5, looks: 2 }, sourceNode("b"));
    const diff = node("change.difference", {}, changeNodes.before, changeNodes.after);
    const loss = node("change.indexLoss", {}, changeNodes.before, changeNodes.after);
    const relative = node("change.relativeLoss", {}, changeNodes.before, changeNodes.after);
    const warp = node(
      "grid.warp",
      { grid: testGrid(width, height), kernel: "nearest" },
      sourceNode("dem"),
    );
    const parts = node("change.relativeChange", {}, changeNodes.before, changeNodes.after);
    const quotient = node("change.decibelQuotient", {}, changeNodes.before, changeNodes.after);
    const one = node("bands.select", { bands: [0] }, sourceNode("b"));
    const edges = node("align.edges", {}, one);
    const level = node(
      "align.level",
      { bands: [{ band: (await sources.info("b")).bands[0]!.name, multiply: 1.1, add: 0.2 }] },
      one,
    );
    const holes = node("limit.holes", { maxCells: 9, neighbours: 8 }, changeNodes.raw);
    const beside = node("limit.beside", { label: 1, of: 2, withinCells: 5 }, changeNodes.raw);
    const near = node("cells.nearby", { meanCells: 3, withinCells: 1, side: "lowest" }, one);
    const around = node("cells.nearby", { meanCells: 5, withinCells: 0, side: "highest" }, one);
    const majority = node("limit.majority", { windowCells: 5 }, changeNodes.raw);
    const moved = node(
      "grid.warp",
      {
        grid: testGrid(width, height),
        kernel: "bilinear",
        path: {
          kind: "polynomial",
          order: 1,
          centre: [500000, 5170000],
          scale: 100,
          x: [500013, 99.5, 0.8],
          y: [5169991, -0.6, 100.2],
        },
      },
      one,
    );
    const more = multiple();
    const { layers: _l, stages: _s, groups: _g, doubtFrom: _d, masks, ...plain } = changeNodes;
    const cover = {
      classes: [
        { name: "New", color: "#c8246f", before: [1], after: [1, 2] },
        { name: "Other", color: "#33498c", before: [2], after: [] },
      ],
    };
    const both = [changeNodes.raw, changeNodes.classes];
    const fromTo = node("cover.fromTo", cover, ...both, masks[0]!.node);
    const factor = (multiply: number) =>
      node(
        "align.level",
        { bands: [{ band: "VV", multiply, add: 0.1 * multiply }] },
        changeNodes.before,
      );
    const still = [changeNodes.before, factor(1.02), factor(0.97)];
    const seen = node("second.look", {}, still[1]!);
    const says = { labels: [1], op: "<", value: -13 };
    const awayAsk = { normal: 3, days: [12, 24], beyond: 2, side: "both" };
    const nodes = {
      ...plain,
      ...Object.fromEntries(masks.map((mask) => [mask.name, mask.node])),
      ...more,
      lee,
      diff,
      loss,
      relative,
      warp,
      parts,
      quotient,
      edges,
      level,
      holes,
      majority,
      beside,
      near,
      around,
      moved,
      fromTo,
      otherClass: node("change.otherClass", cover, ...both),
      weighted: node(
        "classify.weightedMode",
        { windowCells: 5 },
        fromTo,
        node("bands.select", { bands: [0, 1, 2, 0] }, changeNodes.stack),
      ),
      confirmed: node("change.confirmed", says, changeNodes.raw, seen),
      against: node("limit.against", says, changeNodes.raw, seen),
      departure: node("normal.departure", {}, changeNodes.after, ...still),
      away: node("normal.away", awayAsk, ...still, changeNodes.after, changeNodes.before),
      path: node("cover.path", PATH, changeNodes.raw, changeNodes.classes),
      texture: node("classify.texture", { texture: "contrast", windowCells: 5 }, one),
      filled: node("classify.fillMissing", {}, changeNodes.stack),
      above: node("terrain.ellipsoidal", {}, sourceNode("dem")),
      pick: node("bands.select", { bands: [2, 0] }, changeNodes.stack),
    };
    const kinds = new Set<string>();
    for (const [name, spec] of Object.entries(nodes)) {
      if (spec) {
        kindsIn(spec, kinds);
        // Groups are found from the whole for each window anew, which takes a second.
        const count = kindsIn(spec).has("classify.groups") ? 3 : 12;
        for (const level of [0, 1]) {
          expect([name, await firstDifference(sources, spec, level, count)]).toEqual([name, null]);
        }
      }
    }
    // The steps of the radar chain need a product; core/src/radar/chain.test.ts has them.
    const chain = [
      "orbit",
      "calibrate",
      "looks",
      "mean",
      "median",
      "gammaMap",
      "flatten",
      "terrain",
      "acrossDates",
      "power",
      "overTime",
      "omnibus",
    ].map((k) => `radar.${k}`);
    // Those of optical scenes need digital numbers; the tests in core/src/optical and
    // core/src/chain have them.
    const optical = [
      "reflectance",
      "formula",
      "indices",
      "mask",
      "gaps",
      "hazeMap",
      "haze",
      "hazeLevels",
      "surface",
      "evenLight",
      "mosaic",
    ].map((k) => `optical.${k}`);
    expect([...kinds, ...chain, ...optical].sort()).toEqual(
      ["source", ...STEPS.map((step) => step.kind)].sort(),
    );
  });
  test("classes hold what the layers and masks say, cell by cell", async () => {
    const evaluator = new Evaluator({ sources });
    const changeNodes = buildChange(await inputs(), {
      ...setup,
      limits: { ...setup.limits, minPatchCells: null },
    });
    const [stack, seen, area, classes] = [
      await whole(evaluator, changeNodes.stack),
      await whole(evaluator, changeNodes.masks[0]!.node),
      await whole(evaluator, changeNodes.masks[1]!.node),
      await whole(evaluator, changeNodes.classes),
    ];
    const isKept = ([b, a, m]: number[], i: number) =>
      ![b!, a!, m!, seen[0]![i]!, area[0]![i]!].some(Number.isNaN);
    const byRules = ([b, a, m]: number[]) => {
      if (a! >= -14) {
        return 0;
      }
      if (m! < -4) {
        return 1;
      }
      return b! < -14 ? 2 : 0;
    };
    const counts = [0, 0, 0];
    classes[0]!.forEach((value, i) => {
      const layers = stack.slice(0, 4).map((cells) => cells[i]!);
      const isSteep = layers[3]! > 8;
      const flat = isSteep ? 0 : byRules(layers);
      expect(value).toBe(isKept(layers, i) ? flat : CLASS_NODATA);
      if (value !== CLASS_NODATA) {
        counts[value]!++;
      }
    });
    expect(Math.min(...counts)).toBeGreaterThan(50);
  });
  test('the margin of "seen on both dates", by distance to the nearest gap', async () => {
    const evaluator = new Evaluator({ sources });
    const changeNodes = buildChange(await inputs(), setup);
    const seen = (await whole(evaluator, changeNodes.masks[0]!.node))[0]!;
    const raw = [await whole(evaluator, sourceNode("b")), await whole(evaluator, sourceNode("a"))];
    for (let r = 0; r < height; r++) {
      for (let c = 0; c < width; c++) {
        let gap = false;
        for (let i = -2; i <= 2; i++) {
          for (let j = -2; j <= 2; j++) {
            const cc = c + j;
            const rr = r + i;
            if (
              cc < 0 ||
              rr < 0 ||
              cc >= width ||
              rr >= height ||
              raw.some((x) => Number.isNaN(x[0]![rr * width + cc]!))
            ) {
              gap = true;
            }
          }
        }
        expect(Number.isNaN(seen[r * width + c]!)).toBe(gap);
      }
    }
  });
});
