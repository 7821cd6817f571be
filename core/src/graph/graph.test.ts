import { nameGeoid } from "../geodesy/geoid";
import { buildChange } from "../change/build";
import { changeSetupSchema, type ChangeSetup } from "../change/setup";
import { LONLAT, transformer } from "../geodesy/crs";
import { blockWindows, fullWindow, northUp, toMap, type Grid } from "../grid/grid";
import { cellAreas } from "../grid/area";
import { CLASS_NODATA, copyWindow, type Cells } from "../raster/block";
import { slopeDegrees } from "../raster/slope";
import { halveMean, halveMode } from "../raster/pyramid";
import { Tally } from "../tally/tally";
import { lcg, memorySources, testGrid } from "../testing/support";
import { multiPolygonFrom } from "../vector/polygons";
import { rasterise } from "../vector/rasterise";
import { fillWindow, runsOf } from "../patches/runs";
import { sieve } from "../patches/sieve";
import { Evaluator, gatheringNodes } from "./evaluator";
import type { ImageInfo } from "./image";
import { canonicalJson, nodeHash, type NodeSpec, node, sourceNode } from "./node";
import { STEPS, versionOf } from "./registry";
import type { StepState } from "./step";

const width = 83;
const height = 67;
const power = (grid: Grid): ImageInfo => ({
  grid,
  type: "float32",
  bands: [{ name: "VV", unit: "", role: "power", polarisation: "VV" }],
});
const field = (w: number, h: number, seed: number, dark: [number, number]) => {
  const random = lcg(seed);
  const a = Float32Array.from(
    { length: w * h },
    (_v, i) =>
      ((i % w > dark[0] && i % w < dark[1] ? 0.01 : 0.15) *
        (-Math.log(1 - random()) - Math.log(1 - random()))) /
      2,
  );
  for (let r = 0; r < h; r++) {
    for (let c = 0; c < w; c++) {
      if (r + c < 9 || (c === 40 && r === 30)) {
        a[r * w + c] = NaN;
      }
    }
  }
  return a;
};
const coarse = northUp(testGrid(1, 1).crs, 499900, 5170100, 50, 50, 50, 40);
const hills = Float32Array.from(
  { length: 2000 },
  (_v, i) => 40 * Math.sin((i % 50) / 6) * Math.cos(Math.floor(i / 50) / 5),
);
const sources = memorySources({
  b: { info: power(testGrid(width, height)), bands: [field(width, height, 3, [10, 22])] },
  a: { info: power(testGrid(width, height)), bands: [field(width, height, 4, [10, 50])] },
  q: {
    info: {
      grid: testGrid(width, height),
      type: "float32",
      bands: [{ name: "quality", unit: "", role: "quality" }],
    },
    bands: [
      Float32Array.from({ length: width * height }, (_v, i) =>
        i % 7 === 0 ? NaN : (i * 37) % 256,
      ),
    ],
  },
  dem: {
    info: {
      grid: coarse,
      type: "float32",
      bands: [{ name: "elevation", unit: "m", role: "elevation" }],
    },
    bands: [hills],
  },
});
const ring = (): [number, number][] => {
  const pointTransform = transformer(testGrid(1, 1).crs, LONLAT);
  const grid = testGrid(width, height);
  return [
    [5, 4],
    [78, 8],
    [70, 60],
    [8, 63],
    [5, 4],
  ].map(([c, r]) => pointTransform(...toMap(grid, c!, r!)));
};
const setup: ChangeSetup = {
  band: 0,
  speckle: { filter: "refinedLee", windowCells: 7, looks: 2 },
  measure: "logRatio",
  rules: [
    {
      label: 1,
      name: "New water",
      color: "#c8246f",
      all: [
        { layer: "measure", op: "<", value: -4 },
        { layer: "after", op: "<", value: -14 },
      ],
    },
    {
      label: 2,
      name: "Standing water",
      color: "#33498c",
      all: [
        { layer: "before", op: "<", value: -14 },
        { layer: "after", op: "<", value: -14 },
      ],
    },
  ],
  limits: { studyArea: true, seenMarginCells: 2, maxSlopeDeg: 8, minPatchCells: 6, neighbours: 8 },
};
const inputs = async () => ({
  before: { node: sourceNode("b"), info: await sources.info("b") },
  after: { node: sourceNode("a"), info: await sources.info("a") },
  elevation: { id: "dem", info: await sources.info("dem") },
  studyArea: [[ring()]],
});

/** Nodes over several bands of both dates, groups and limits on layers. */
function multiple(): Record<string, NodeSpec> {
  const two = (x: NodeSpec) =>
    node(
      "bands.join",
      {},
      node("radar.decibel", {}, x),
      node("radar.decibel", {}, node("radar.lee", { windowCells: 5, looks: 2 }, x)),
    );
  const b = two(sourceNode("b"));
  const a = two(node("radar.lee", { windowCells: 3, looks: 2 }, sourceNode("b")));
  const differences = node("change.differences", {}, b, a);
  const groups = node(
    "classify.groups",
    {
      method: "kMeans",
      groups: 4,
      seed: 1,
      splitSpread: 1,
      mergeDistance: 0.5,
      leastShare: 0.01,
    },
    differences,
  );
  const pick = node(
    "classify.pick",
    { classes: [{ label: 3, name: "Darker", color: "#c8246f", groups: [1, 2] }] },
    groups,
  );
  const warp = (n: NodeSpec) =>
    node("grid.warp", { grid: testGrid(width, height), kernel: "bilinear" }, n);
  const above = node("terrain.aboveDrainage", { leastKm2: 0.05 }, sourceNode("dem"));
  const always = node(
    "mask.always",
    { op: "<", value: -12 },
    node("radar.decibel", {}, sourceNode("b")),
    node("radar.decibel", {}, sourceNode("a")),
  );
  const cloud = node("mask.cloud", {}, sourceNode("q"));
  const low = node("limit.layer", { layer: "drainage", max: 12, labels: [3] }, pick, warp(above));
  return {
    vector: node("change.vector", {}, b, a),
    direction: node("change.direction", {}, b, a),
    noChange: node("change.noChange", { reweighted: false }, b, a),
    twoDates: node(
      "change.formula",
      { formula: "(after.db - before.db) / 2 + before.smooth", names: ["db", "smooth"] },
      b,
      a,
    ),
    differences,
    groups,
    picked: pick,
    numbers: node("classes.numbers", {}, pick),
    drainage: above,
    always,
    cloud,
    either: node("mask.either", {}, cloud, always),
    low,
    stages: node("limit.stages", { names: ["rules", "drainage"] }, pick, low),
  };
}

async function whole(evaluator: Evaluator, n: NodeSpec, level = 0): Promise<Cells[]> {
  const info = await evaluator.info(n);
  const size = {
    width: Math.ceil(info.grid.width / 2 ** level),
    height: Math.ceil(info.grid.height / 2 ** level),
  };
  return (await evaluator.read(n, level, fullWindow(size))).bands;
}
async function byBlocks(evaluator: Evaluator, n: NodeSpec, block: number): Promise<Cells[]> {
  const info = await evaluator.info(n);
  const out = info.bands.map(() =>
    info.type === "float32"
      ? new Float32Array(info.grid.width * info.grid.height)
      : new Uint8Array(info.grid.width * info.grid.height),
  );
  for (const w of blockWindows(info.grid, block)) {
    const b = await evaluator.read(n, 0, w);
    b.bands.forEach((src, k) => copyWindow(src, w, out[k]!, fullWindow(info.grid)));
  }
  return out;
}

describe("node identity", () => {
  test("equal values, equal text, whatever the order of keys", () => {
    expect(canonicalJson({ b: 1, a: [true, null, "x"] })).toBe('{"a":[true,null,"x"],"b":1}');
    expect(() => canonicalJson({ a: NaN })).toThrow();
  });
  test("a hash changes with parameters, inputs and their order", () => {
    const h = (n: NodeSpec) => nodeHash(n, versionOf);
    const base = node("change.logRatio", {}, sourceNode("b"), sourceNode("a"));
    expect(h(base)).toBe(h(node("change.logRatio", {}, sourceNode("b"), sourceNode("a"))));
    expect(h(base)).not.toBe(h(node("change.logRatio", {}, sourceNode("a"), sourceNode("b"))));
    expect(h(node("radar.refinedLee", { looks: 4 }, sourceNode("a")))).not.toBe(
      h(node("radar.refinedLee", { looks: 5 }, sourceNode("a"))),
    );
    expect(h(base)).toMatch(/^[0-9a-f]{32}$/);
  });
  test("every step has a title, help and a kind of its own", () => {
    expect(new Set(STEPS.map((step) => step.kind)).size).toBe(STEPS.length);
    STEPS.forEach((step) => {
      expect(step.title.length).toBeGreaterThan(2);
      expect(step.help).toMatch(/\.$/);
    });
  });
});

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
    const { layers: _l, stages: _s, groups: _g, masks, ...plain } = changeNodes;
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
      moved,
      above: node("terrain.ellipsoidal", {}, sourceNode("dem")),
      pick: node("bands.select", { bands: [2, 0] }, changeNodes.stack),
    };
    const kinds = new Set<string>();
    for (const [name, spec] of Object.entries(nodes)) {
      if (!spec) {
        continue;
      }
      const visit = (s: NodeSpec) => {
        kinds.add(s.step);
        s.inputs.forEach(visit);
      };
      visit(spec);
      const a = await whole(new Evaluator({ sources }), spec);
      for (const block of [16, 31]) {
        const b = await byBlocks(new Evaluator({ sources }), spec, block);
        // Positions counted from the start of a window can differ in their last bit; everything
        // else is the same to the bit.
        a.forEach((cells, k) => {
          let worst = 0;
          cells.forEach((value, i) => {
            const y = b[k]![i]!;
            if (Number.isNaN(value) !== Number.isNaN(y)) {
              worst = Infinity;
            } else if (!Number.isNaN(value)) {
              worst = Math.max(worst, Math.abs(value - y));
            }
          });
          expect([
            name,
            worst <= (["slope", "elevation", "stack", "gated", "pick"].includes(name) ? 1e-5 : 0),
          ]).toEqual([name, true]);
        });
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
    const counts = [0, 0, 0];
    classes[0]!.forEach((value, i) => {
      const [b, a, m, s] = [0, 1, 2, 3].map((k) => stack[k]![i]!) as [
        number,
        number,
        number,
        number,
      ];
      let dark: 1 | 0 | 2;
      if (a < -14 && m < -4) {
        dark = 1;
      } else if (a < -14 && b < -14) {
        dark = 2;
      } else {
        dark = 0;
      }
      let out: 1 | 0 | 2 | 255;
      if (
        Number.isNaN(b) ||
        Number.isNaN(a) ||
        Number.isNaN(m) ||
        Number.isNaN(seen[0]![i]!) ||
        Number.isNaN(area[0]![i]!)
      ) {
        out = CLASS_NODATA;
      } else if (s > 8) {
        out = 0;
      } else {
        out = dark;
      }
      expect(value).toBe(out);
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

describe("evaluator", () => {
  test("whole-image facts are found once and kept", async () => {
    const store = new Map<string, StepState>();
    let puts = 0;
    const states = {
      get: async (k: string) => store.get(k) ?? null,
      put: async (k: string, state: StepState) => {
        puts++;
        store.set(k, state);
      },
      remove: async (keys: readonly string[]) => {
        keys.forEach((key) => store.delete(key));
      },
    };
    const classes = buildChange(await inputs(), setup).classes;
    const a = await whole(new Evaluator({ sources, states }), classes);
    const b = await byBlocks(new Evaluator({ sources, states }), classes, 32);
    expect(puts).toBe(1);
    expect(b[0]).toEqual(a[0]);
  });
  test("strips gathered apart and merged by another evaluator give the same", async () => {
    const height = 1100;
    const tall = testGrid(30, height);
    const random = lcg(21);
    const info = {
      grid: tall,
      type: "class8" as const,
      bands: [{ name: "c", unit: "", role: "classes" as const }],
      classes: [],
    };
    const cells = Uint8Array.from({ length: 30 * height }, () => {
      if (random() < 0.5) {
        return 1;
      }
      if (random() < 0.5) {
        return 0;
      }
      return 2;
    });
    const sourceReader = memorySources({ c: { info, bands: [cells] } });
    const store = new Map<string, StepState>();
    const states = {
      get: async (k: string) => store.get(k) ?? null,
      put: async (k: string, state: StepState) => {
        store.set(k, state);
      },
      remove: async (keys: readonly string[]) => {
        keys.forEach((key) => store.delete(key));
      },
    };
    const n = node("limit.minimumPatch", { minCells: 9, neighbours: 4 }, sourceNode("c"));
    expect(gatheringNodes(n)).toEqual([n]);
    await new Evaluator({ sources: sourceReader, states }).gatherStrips(n, 1, 3);
    await new Evaluator({ sources: sourceReader, states }).gatherStrips(n, 0, 1);
    expect(store.size).toBe(3);
    const got = (
      await whole(
        new Evaluator({
          sources: {
            ...sourceReader,
            read: () => {
              throw new Error("everything is gathered");
            },
          },
          states,
        }),
        n,
      )
    )[0]!;
    expect([...store.keys()]).toEqual([`${nodeHash(n, versionOf)}/0`]);
    const { runs } = sieve(runsOf(cells, 30, height), 9, 4);
    const expected = new Uint8Array(cells.length);
    fillWindow(runs, 0, 0, 30, height, expected);
    expect(got).toEqual(expected);
  });
  test("a preview of the minimum patch differs at most near its window", async () => {
    const classes = buildChange(await inputs(), setup).classes;
    const full = (await whole(new Evaluator({ sources }), classes))[0]!;
    const block = await new Evaluator({ sources, preview: true }).read(classes, 0, {
      col: 20,
      row: 20,
      width: 40,
      height: 30,
    });
    let same = 0;
    block.bands[0]!.forEach((value, i) => {
      if (value === full[(20 + Math.floor(i / 40)) * width + 20 + (i % 40)]) {
        same++;
      }
    });
    expect(same).toBe(1200);
  });
  test("kept nodes are read, not computed", async () => {
    const changeNodes = buildChange(await inputs(), setup);
    const h = nodeHash(changeNodes.gated, versionOf);
    let reads = 0;
    const evaluator = new Evaluator({
      sources: {
        ...sources,
        read: () => {
          throw new Error("sources must not be read");
        },
      },
      kept: {
        has: (x) => x === h,
        info: () => new Evaluator({ sources }).info(changeNodes.gated),
        read: async (_x, _l, w) => {
          reads++;
          return {
            window: w,
            bands: Array.from({ length: 5 }, () => new Float32Array(w.width * w.height).fill(-20)),
          };
        },
      },
    });
    const block = await evaluator.read(changeNodes.raw, 0, { col: 0, row: 0, width: 8, height: 8 });
    expect(reads).toBe(1);
    expect([...block.bands[0]!].every((value) => value === 1)).toBe(true);
  });
  test("cells outside the image are nodata", async () => {
    const block = await new Evaluator({ sources }).read(sourceNode("a"), 0, {
      col: -2,
      row: -2,
      width: 3,
      height: 3,
    });
    expect([...block.bands[0]!].every(Number.isNaN)).toBe(true);
  });
  test("mistakes in order and kind are refused with the reason", async () => {
    const evaluator = new Evaluator({ sources });
    await expect(
      evaluator.info(
        node("radar.refinedLee", { looks: 4 }, node("radar.decibel", {}, sourceNode("a"))),
      ),
    ).rejects.toThrow(/power, never on decibels/);
    await expect(
      evaluator.info(node("change.logRatio", {}, sourceNode("a"), sourceNode("dem"))),
    ).rejects.toThrow(/different grids/);
    await expect(
      evaluator.info(node("radar.lee", { windowCells: 4, looks: 4 }, sourceNode("a"))),
    ).rejects.toThrow(/windowCells/);
    await expect(
      evaluator.info(node("radar.lee", { windowCells: 5, looks: 4, extra: 1 }, sourceNode("a"))),
    ).rejects.toThrow(/extra/);
    await expect(evaluator.info(node("nonsense", {}, sourceNode("a")))).rejects.toThrow(/no step/);
    await expect(evaluator.info(node("change.logRatio", {}, sourceNode("a")))).rejects.toThrow(
      /takes 2 to 2/,
    );
    await expect(
      evaluator.info(node("bands.select", { bands: [4] }, sourceNode("a"))),
    ).rejects.toThrow(/no band 5/);
  });
  test("cancel stops it", async () => {
    const abortController = new AbortController();
    abortController.abort();
    await expect(
      new Evaluator({ sources, signal: abortController.signal }).read(sourceNode("a"), 0, {
        col: 0,
        row: 0,
        width: 4,
        height: 4,
      }),
    ).rejects.toThrow("Cancelled");
  });
  test("coarser levels agree with the steps run on the averaged source", async () => {
    const evaluator = new Evaluator({ sources });
    const db = (await whole(evaluator, node("radar.decibel", {}, sourceNode("a")), 1))[0]!;
    const src = (await whole(evaluator, sourceNode("a"), 1))[0]!;
    expect(db).toHaveLength(42 * 34);
    db.forEach((value, i) => {
      if (src[i]! > 0) {
        expect(value).toBeCloseTo(10 * Math.log10(src[i]!), 5);
      } else {
        expect(value).toBeNaN();
      }
    });
  });
});

describe("warp", () => {
  test("a plane comes out as the same plane on a finer and turned grid", async () => {
    const grid = northUp(testGrid(1, 1).crs, 499900, 5170100, 50, 50, 60, 60);
    const plane = Float32Array.from({ length: 3600 }, (_v, i) => {
      const [x, y] = toMap(grid, (i % 60) + 0.5, Math.floor(i / 60) + 0.5);
      return (x - 500000) * 0.01 + (y - 5168000) * 0.02;
    });
    const sourceReader = memorySources({
      p: {
        info: { grid, type: "float32", bands: [{ name: "z", unit: "m", role: "elevation" }] },
        bands: [plane],
      },
    });
    const target: Grid = {
      crs: grid.crs,
      transform: [500200, 30, 5, 5169500, 5, -30],
      width: 40,
      height: 40,
    };
    const out = (
      await whole(
        new Evaluator({ sources: sourceReader }),
        node("grid.warp", { grid: target, kernel: "bilinear" }, sourceNode("p")),
      )
    )[0]!;
    out.forEach((value, i) => {
      const [x, y] = toMap(target, (i % 40) + 0.5, Math.floor(i / 40) + 0.5);
      expect(value).toBeCloseTo((x - 500000) * 0.01 + (y - 5168000) * 0.02, 3);
    });
  });
  test("from lon/lat: positions within a hundredth of a cell of the exact projection", async () => {
    const grid = northUp(LONLAT, -21.02, -43.58, 0.0005, 0.0005, 90, 80);
    const lon = Float32Array.from({ length: 7200 }, (_v, i) => (i % 90) + 0.5);
    const sourceReader = memorySources({
      p: {
        info: { grid, type: "float32", bands: [{ name: "col", unit: "", role: "value" }] },
        bands: [lon],
      },
    });
    const target = northUp(testGrid(1, 1).crs, 498700, 5173900, 40, 40, 60, 50);
    const pointTransform = transformer(target.crs, LONLAT);
    const out = (
      await whole(
        new Evaluator({ sources: sourceReader }),
        node("grid.warp", { grid: target, kernel: "bilinear" }, sourceNode("p")),
      )
    )[0]!;
    let checked = 0;
    out.forEach((value, i) => {
      if (Number.isNaN(value)) {
        return;
      }
      const [x] = pointTransform(...toMap(target, (i % 60) + 0.5, Math.floor(i / 60) + 0.5));
      const c = (x + 21.02) / 0.0005;
      if (c > 1 && c < 89) {
        checked++;
        expect(Math.abs(value - c)).toBeLessThan(0.01);
      }
    });
    expect(checked).toBeGreaterThan(2000);
  });
});

describe("small kernels", () => {
  test("slope of a tilted plane", () => {
    const w = 12;
    const h = 9;
    const src = Float32Array.from(
      { length: w * h },
      (_v, i) => (i % w) * 2 + Math.floor(i / w) * 3,
    );
    const out = new Float32Array(70);
    slopeDegrees(src, 10, 7, 20, 20, out);
    const expected = (Math.atan(Math.hypot(2 / 20, 3 / 20)) * 180) / Math.PI;
    out.forEach((value) => expect(value).toBeCloseTo(expected, 4));
  });
  test("halving keeps means, odd edges and gaps", () => {
    const out = new Float32Array(4);
    halveMean(Float32Array.from([1, 3, NaN, 5, 7, 9, NaN, NaN, 8]), 3, 3, out);
    expect([out[0], out[1], out[2], out[3]]).toEqual([4, 9, NaN, 8]);
    const m = new Uint8Array(4);
    halveMode(Uint8Array.from([1, 2, 255, 2, 1, 3, 255, 255, 4]), 3, 3, m);
    expect([...m]).toEqual([1, 3, 255, 4]);
  });
  test("rasterising agrees with an even–odd test of every centre", () => {
    const grid = testGrid(60, 50);
    const poly: [number, number][] = [
      [3.2, 2],
      [40, 7.7],
      [57, 30],
      [30, 25],
      [22, 48.4],
      [9, 44],
      [3.2, 2],
    ];
    const hole: [number, number][] = [
      [15, 15],
      [25, 15],
      [25, 22],
      [15, 15],
    ];
    const map = (r: [number, number][]) => r.map(([c, next]) => toMap(grid, c, next));
    const out = new Uint8Array(3000);
    rasterise([[map(poly), map(hole)]], grid, fullWindow(grid), 1, out);
    out.forEach((value, i) => {
      const x = (i % 60) + 0.5;
      const y = Math.floor(i / 60) + 0.5;
      let inside = false;
      for (const r of [poly, hole]) {
        for (let k = 0; k + 1 < r.length; k++) {
          const [x0, y0] = r[k]!;
          const [x1, y1] = r[k + 1]!;
          if (y0 > y !== y1 > y && x < x0 + ((y - y0) / (y1 - y0)) * (x1 - x0)) {
            inside = !inside;
          }
        }
      }
      expect([i, value === 1]).toEqual([i, inside]);
    });
  });
  test("a tally by zone equals cell-by-cell sums, and merges", () => {
    const grid = testGrid(70, 20);
    const areas = cellAreas(grid);
    const random = lcg(9);
    const labels = Uint8Array.from(
      { length: 1400 },
      () => [0, 0, 0, 1, 1, 2, 255][Math.floor(random() * 7)]!,
    );
    const zones = Uint8Array.from({ length: 1400 }, (_v, i) => (i % 70 > 33 ? 1 : 2));
    const tally = new Tally(3);
    const parts = [new Tally(3), new Tally(3)];
    tally.add(labels, zones, fullWindow(grid), areas);
    parts[0]!.add(
      labels.slice(0, 700),
      zones.slice(0, 700),
      { col: 0, row: 0, width: 70, height: 10 },
      areas,
    );
    parts[1]!.add(
      labels.slice(700),
      zones.slice(700),
      { col: 0, row: 10, width: 70, height: 10 },
      areas,
    );
    const joined = Tally.from(structuredClone(parts[0]!.toJSON()));
    joined.merge(parts[1]!.toJSON());
    for (const z of [1, 2]) {
      for (const value of [0, 1, 2, 255]) {
        let n = 0;
        let a = 0;
        labels.forEach((x, i) => {
          if (x === value && zones[i] === z) {
            n++;
            a += areas.cell(i % 70, Math.floor(i / 70));
          }
        });
        for (const one of [tally, joined]) {
          expect(one.of(value, z).cells).toBe(n);
          expect(one.of(value, z).areaM2 / a - 1).toBeCloseTo(0, 10);
        }
      }
    }
    expect(tally.total(1).cells).toBe(tally.of(1, 1).cells + tally.of(1, 2).cells);
  });
});

describe("bad input", () => {
  test("study areas say what is wrong", () => {
    expect(() => multiPolygonFrom({ type: "Point", coordinates: [0, 0] })).toThrow(
      /Point has no area/,
    );
    expect(() => multiPolygonFrom("nonsense")).toThrow(/not GeoJSON/);
    expect(() =>
      multiPolygonFrom({
        type: "Polygon",
        coordinates: [
          [
            [0, 0],
            [1, 1],
          ],
        ],
      }),
    ).toThrow(/fewer than three corners/);
    expect(() =>
      multiPolygonFrom({
        type: "Polygon",
        coordinates: [
          [
            [0, 0],
            [1, "x"],
            [1, 0],
            [0, 0],
          ],
        ],
      }),
    ).toThrow(/not two numbers/);
    expect(() => multiPolygonFrom({ type: "FeatureCollection", features: [] })).toThrow(
      /no polygon/,
    );
    expect(
      multiPolygonFrom({
        type: "Feature",
        geometry: {
          type: "Polygon",
          coordinates: [
            [
              [0, 0],
              [1, 0],
              [1, 1],
            ],
          ],
        },
      })[0]![0],
    ).toHaveLength(4);
  });
  test("a setup with a wrong number names its field", () => {
    expect(() =>
      changeSetupSchema.validateSync(
        { ...setup, limits: { ...setup.limits, maxSlopeDeg: 95 } },
        { strict: true },
      ),
    ).toThrow(/limits.maxSlopeDeg/);
    expect(() => changeSetupSchema.validateSync({ ...setup, rules: [] }, { strict: true })).toThrow(
      /rules/,
    );
    expect(changeSetupSchema.validateSync(setup, { strict: true })).toEqual(setup);
  });
  test("limits that need what is not there are refused", async () => {
    const i = await inputs();
    expect(() => buildChange({ ...i, elevation: null }, setup)).toThrow(/needs elevation/);
    expect(() => buildChange({ ...i, studyArea: null }, setup)).toThrow(/no study area/);
    expect(() => buildChange(i, { ...setup, band: 3 })).toThrow(/no band 4/);
  });
});
