import { emptySetup } from "@hindglance/core/change/defaults";
import { buildChange } from "@hindglance/core/change/build";
import { type ChangeNodes, type ChangeSetup } from "@hindglance/core/change/setup";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { type NodeSpec, nodeHash, sourceNode } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { cellAreas } from "@hindglance/core/grid/area";
import { fullWindow, toMap } from "@hindglance/core/grid/grid";
import { emptyHistogram } from "@hindglance/core/raster/histogram";
import { lcg, memorySources, testGrid } from "@hindglance/core/testing/support";
import { Tally } from "@hindglance/core/tally/tally";
import type { Comparison, NodeView, Scene } from "../api/types";
import { aRun, aScene, aStudy, anImage } from "../testing/things";
import { NodeCells } from "../map/nodeCells";
import { ruleShape, ruleVariables } from "../map/ruleLayer";
import { barsOf } from "../ui/Bars";
import { secondsLeft } from "../lib/secondsLeft";
import { LiveMeter, liveLevel } from "./liveAreas";
import { useCompare } from "./state";
import { labelRows, colorAt, moveThreshold, thresholdsOf } from "./histogram/thresholds";
import { areasOf, comparableScenes, pairKinds, proposePair } from "./pair";
import { labelCells } from "@hindglance/core/raster/block";
import { type LayerLimit, layerLimits } from "@hindglance/core/change/limits/all";

// The map library draws on a graphics card that is not there in these tests; what is tested here
// does not draw.
jest.mock("ol/layer/WebGLTile", () => ({ default: class {} }));
jest.mock("ol/source/DataTile", () => ({ default: class {} }));
jest.mock("ol/tilegrid/TileGrid", () => ({ default: class {} }));
jest.mock("ol/View", () => ({ default: class {} }));
jest.mock("../map/projection", () => ({ projectionOf: () => null }));

const setup = emptySetup({ looks: 2, hasStudyArea: true, hasElevation: true });

describe("thresholds", () => {
  test("equal conditions are one line and move together", () => {
    const after = thresholdsOf(setup.rules, "after");
    expect(after).toHaveLength(1);
    expect(after[0]!.at).toEqual([
      [0, 1],
      [1, 1],
    ]);
    const moved = moveThreshold(setup, after[0]!.at, -19);
    expect(
      moved.rules.map((rule) => rule.all.find((condition) => condition.layer === "after")?.value),
    ).toEqual([-19, -19, undefined]);
    expect(setup.rules[0]!.all[1]!.value).toBe(-17);
  });
  test("colours of the histogram are those of the classes", () => {
    expect([
      colorAt(setup.rules, "measure", -5),
      colorAt(setup.rules, "measure", 0),
      colorAt(setup.rules, "measure", 5),
    ]).toEqual(["#c8246f", null, "#c29a1b"]);
    expect(colorAt(setup.rules, "slope", 3)).toBeNull();
  });
  test("only numbers are variables of the shader; everything else is its shape", () => {
    const moved = moveThreshold(setup, [[0, 0]], -9);
    const bands = ["before", "after", "measure", "slope", "elevation"];
    const limits = (maxSlopeDeg: number) =>
      layerLimits({ ...setup.limits, maxSlopeDeg, elevationM: { min: 2, max: null } });
    const shape = (r: ChangeSetup["rules"], eachLimits: LayerLimit[]) =>
      ruleShape(r, eachLimits, bands);
    expect(shape(moved.rules, limits(5))).toEqual(shape(setup.rules, limits(9)));
    expect(ruleVariables(moved.rules, limits(5))).toMatchObject({
      low0: 2,
      high1: 5,
      t0x0: -9,
      t0x1: -17,
    });
    expect(shape(setup.rules.slice(1), limits(5))).not.toEqual(shape(setup.rules, limits(5)));
    expect(shape(setup.rules, limits(5).slice(1))).not.toEqual(shape(setup.rules, limits(5)));
  });
});

test("bars keep every count", () => {
  const histogram = emptyHistogram(-40, 10, 500);
  histogram.counts.forEach((_c, i) => {
    histogram.counts[i] = i % 7;
  });
  const bars = barsOf(histogram, -40, 10, 90);
  expect(bars.length).toBeLessThanOrEqual(90);
  expect(bars.reduce((s, b) => s + b.count, 0)).toBe(histogram.counts.reduce((a, b) => a + b));
  expect(bars[0]!.from).toBe(-40);
  expect(bars[bars.length - 1]!.to).toBeCloseTo(10, 9);
});

test("pairs are made within one kind of scene: radar first, another one when it is asked for", () => {
  const scene = (id: string, kind: string, day: string): Scene =>
    aScene({
      id,
      kind,
      acquiredAt: `2025-0${day}T00:00:00Z`,
      imageId: id,
      info: anImage(),
    });
  const all = [
    scene("o2", "optical", "2-15"),
    scene("r1", "radar", "5-02"),
    scene("o1", "optical", "1-22"),
    scene("r2", "radar", "5-14"),
    scene("x", "other", "3-01"),
    { ...scene("c", "optical", "3-01"), info: anImage({ type: "class8" }) },
  ];
  const study = aStudy({ eventAt: "2025-02-03T00:00:00Z" });
  expect(pairKinds(all)).toEqual(["radar", "optical"]);
  expect(comparableScenes(all).map((s) => s.id)).toEqual(["r1", "r2"]);
  expect(comparableScenes(all, "optical").map((s) => s.id)).toEqual(["o1", "o2"]);
  expect(proposePair(study, all, "optical")).toEqual({ beforeId: "o1", afterId: "o2" });
  // The event lies before both radar dates: the first and the last stand in.
  expect(proposePair(study, all)).toEqual({ beforeId: "r1", afterId: "r2" });
});

describe("settings with undo", () => {
  test("a drag is one step back, and a change clears what was ahead", () => {
    const state = useCompare.getState();
    const begun = { beforeId: "a", afterId: "b", setup };
    state.open("x", { version: 1, comparison: begun });
    for (const threshold of [-4, -5, -6]) {
      state.drag((x) => moveThreshold(x, [[0, 0]], threshold));
    }
    expect(useCompare.getState().dragFrom).toBe(begun);
    state.drop();
    const value = () => useCompare.getState().comparison!.setup!.rules[0]!.all[0]!.value;
    expect([value(), useCompare.getState().past.length]).toEqual([-6, 1]);
    state.undo();
    expect(value()).toBe(-3);
    state.redo();
    expect(value()).toBe(-6);
    state.undo();
    state.change((x) => moveThreshold(x, [[0, 0]], -8));
    expect(useCompare.getState().future).toEqual([]);
  });
});

describe("versions of a comparison", () => {
  const whole = (value: number): Comparison => ({
    beforeId: "a",
    afterId: "b",
    setup: moveThreshold(setup, [[0, 0]], value),
  });
  const value = () => useCompare.getState().comparison!.setup!.rules[0]!.all[0]!.value;
  beforeEach(() => useCompare.getState().open("x", { version: 1, comparison: whole(-3) }));

  test("undo after a change of measure goes back to measure, thresholds and pair as one", () => {
    const state = useCompare.getState();
    state.changeAll((comparison) => ({
      ...comparison,
      afterId: "c",
      setup: { ...moveThreshold(comparison.setup!, [[0, 0]], 2), measure: "difference" },
    }));
    state.undo();
    expect(useCompare.getState().comparison).toEqual(whole(-3));
    state.redo();
    expect(useCompare.getState().comparison).toMatchObject({
      afterId: "c",
      setup: { measure: "difference" },
    });
    expect(value()).toBe(2);
  });
  test("what another page changed is taken in; what was changed here and not sent yet stays", () => {
    const state = useCompare.getState();
    state.change((s) => moveThreshold(s, [[0, 0]], -5));
    const theirs = { ...whole(-3), afterId: "c" };
    expect(state.adopt({ version: 2, comparison: theirs })).toBe(true);
    expect(useCompare.getState().comparison).toEqual({ ...whole(-5), afterId: "c" });
    expect(useCompare.getState().saved!.version).toBe(2);
  });
  test("where both changed the same, theirs is shown and undo brings back what was here", () => {
    const state = useCompare.getState();
    state.change((s) => moveThreshold(s, [[0, 0]], -5));
    expect(state.adopt({ version: 2, comparison: whole(-9) })).toBe(false);
    expect(value()).toBe(-9);
    state.undo();
    expect(value()).toBe(-5);
  });
  test("an answer that comes while more is changed does not take that back", () => {
    const state = useCompare.getState();
    state.change((s) => moveThreshold(s, [[0, 0]], -5));
    const sent = useCompare.getState().comparison!;
    state.change((s) => moveThreshold(s, [[0, 0]], -6));
    state.savedAs(sent, { version: 2, comparison: { ...whole(-5), afterId: "c" } });
    expect(value()).toBe(-6);
    expect(useCompare.getState().comparison!.afterId).toBe("c");
    expect(useCompare.getState().past).toHaveLength(2);
  });
  test("what a study begins with is no step to undo", () => {
    const state = useCompare.getState();
    state.open("y", { version: 1, comparison: null });
    state.begin(whole(-4));
    expect([value(), useCompare.getState().past.length]).toEqual([-4, 0]);
  });
});

describe("the pair that is proposed", () => {
  const scene = (
    id: string,
    acquiredAt: string,
    kind = "radar",
    imageId: string | null = id,
  ): Scene => aScene({ id, acquiredAt, kind, imageId, info: anImage({ bands: [] }) });
  const all = [
    scene("c", "2025-05-14T18:00:00Z"),
    scene("a", "2025-04-20T18:00:00Z"),
    scene("b", "2025-05-02T18:00:00Z"),
    scene("d", "2025-05-26T18:00:00Z"),
    scene("e", "2025-05-13T00:00:00Z", "elevation"),
    scene("f", "2025-05-13T00:00:00Z", "radar", null),
  ];
  test("nearest on both sides of the event; the last two without one", () => {
    expect(proposePair(aStudy({ eventAt: "2025-05-12T00:00:00Z" }), all)).toEqual({
      beforeId: "b",
      afterId: "c",
    });
    expect(proposePair(aStudy({ eventAt: null }), all)).toEqual({ beforeId: "c", afterId: "d" });
    expect(proposePair(aStudy({ eventAt: "2026-01-01T00:00:00Z" }), all)).toEqual({
      beforeId: "a",
      afterId: "d",
    });
    expect(proposePair(aStudy({ eventAt: null }), all.slice(0, 1))).toBeNull();
    // Radar goes with radar; a study without it takes its optical dates.
    const fire = [
      scene("x", "2025-01-22T13:00:00Z", "optical"),
      scene("y", "2025-02-15T13:00:00Z", "optical"),
      all[0]!,
    ];
    expect(proposePair(aStudy({ eventAt: "2025-02-03T00:00:00Z" }), fire)).toEqual({
      beforeId: "x",
      afterId: "y",
    });
  });
});

test("time left of a run follows from what is done", () => {
  const run = aRun({ createdAt: "2025-01-01T00:00:00Z", progress: 0.25 });
  const t0 = Date.parse(run.createdAt);
  expect(secondsLeft(run, t0 + 10_000)).toBeCloseTo(30, 6);
  expect(secondsLeft({ ...run, progress: 0.01 }, t0 + 10_000)).toBeNull();
});

describe("live areas", () => {
  const width = 620;
  const height = 540;
  const grid = testGrid(width, height);
  const random = lcg(8);
  const power = (dark: [number, number]) =>
    Float32Array.from({ length: width * height }, (_v, i) =>
      i % width < 4
        ? NaN
        : (i % width > dark[0] && i % width < dark[1] ? 0.008 : 0.15) * (0.6 + 0.8 * random()),
    );
  const info = (name: string, role: "power" | "elevation") => ({
    grid,
    type: "float32" as const,
    bands: [
      {
        name,
        unit: role === "elevation" ? "m" : "",
        role,
        ...(role === "power" ? { polarisation: "VV" } : {}),
      },
    ],
  });
  const sources = memorySources({
    b: { info: info("VV", "power"), bands: [power([100, 140])] },
    a: { info: info("VV", "power"), bands: [power([60, 240])] },
    e: {
      info: info("z", "elevation"),
      bands: [
        Float32Array.from({ length: width * height }, (_v, i) =>
          i % width > 200 ? (i % width) * 4 : 0,
        ),
      ],
    },
  });
  const area = [
    [
      [
        [20, 15],
        [600, 30],
        [590, 520],
        [25, 500],
        [20, 15],
      ].map(([c, r]) => transformer(grid.crs, LONLAT)(...toMap(grid, c!, r!))),
    ],
  ];

  test("equal the areas of the full evaluation, and fetch each tile once", async () => {
    const inputs = {
      before: { node: sourceNode("b"), info: await sources.info("b") },
      after: { node: sourceNode("a"), info: await sources.info("a") },
      elevation: { id: "e", info: await sources.info("e") },
      studyArea: area,
    };
    const nodes = buildChange(inputs, setup);
    const evaluator = new Evaluator({ sources });
    const viewOf = async (node: NodeSpec): Promise<NodeView> => ({
      hash: nodeHash(node, versionOf),
      info: await evaluator.info(node),
      levels: 2,
      block: 512,
    });
    const view = await viewOf(nodes.gated);
    expect(liveLevel(view)).toBe(0);
    const asked: string[] = [];
    // Stands for the server: tiles of the gated stack and of groups, band after band.
    const grouped = buildChange(inputs, {
      ...setup,
      groups: {
        of: "measure",
        method: "kMeans",
        groups: 3,
        seed: 1,
        splitSpread: 1,
        mergeDistance: 0.5,
        leastShare: 0.01,
        classes: [{ label: 4, name: "Darkest", color: "#c8246f", groups: [1] }],
      },
    });
    const known = [nodes.gated, grouped.groups!.groups];
    const fetcher = async (url: string) => {
      asked.push(url);
      const [level = NaN, row = NaN, col = NaN] = url.split("/").slice(-3).map(Number);
      const w = {
        col: col * 512,
        row: row * 512,
        width: Math.min(512, width - col * 512),
        height: Math.min(512, height - row * 512),
      };
      const block = await evaluator.read(
        known.find((node) => url.includes(nodeHash(node, versionOf)))!,
        level,
        w,
      );
      const out = new Uint8Array(block.bands.reduce((n, cells) => n + cells.byteLength, 0));
      block.bands.forEach((band, k) =>
        out.set(new Uint8Array(band.buffer, band.byteOffset, band.byteLength), k * band.byteLength),
      );
      return { ok: true, status: 200, arrayBuffer: async () => out.buffer };
    };
    const layers = (changeNodes: ChangeNodes) =>
      changeNodes.layers.map((layer) => ({
        name: layer.name,
        hash: nodeHash(layer.node, versionOf),
      }));
    const meter = new LiveMeter({ gated: view, groups: null, layers: layers(nodes) }, fetcher);
    for (const t of [-3, -6, -9]) {
      const s = moveThreshold(setup, [[0, 0]], t);
      const changeNodes = buildChange(inputs, s);
      const live = await meter.measure(changeNodes.classes);
      const labels = labelCells(
        (await evaluator.read(changeNodes.classes, 0, fullWindow(grid))).bands[0]!,
      );
      const tally = new Tally(1);
      tally.add(labels, null, fullWindow(grid), cellAreas(grid));
      const exact = areasOf(tally.toJSON());
      expect(live.byLabel).toEqual(exact.byLabel);
      expect(live.seenM2).toBe(exact.seenM2);
      expect(live.byLabel[1]!.cells).toBeGreaterThan(1000);
    }
    expect(asked).toHaveLength(4);
    const live = await new LiveMeter(
      { gated: view, groups: await viewOf(grouped.groups!.groups), layers: layers(grouped) },
      fetcher,
    ).measure(grouped.classes);
    const tally = new Tally(1);
    tally.add(
      labelCells((await evaluator.read(grouped.classes, 0, fullWindow(grid))).bands[0]!),
      null,
      fullWindow(grid),
      cellAreas(grid),
    );
    expect(live.byLabel).toEqual(areasOf(tally.toJSON()).byLabel);
    expect(live.byLabel[4]!.cells).toBeGreaterThan(1000);
  });
  test("cells answer for a place from the finest level that is there", async () => {
    const info2 = await sources.info("b");
    const bytes = new Float32Array(310 * 270).fill(7);
    const fine = new Float32Array(512 * 512).fill(3);
    const cells = new NodeCells(
      { hash: "h", info: info2, levels: 2, block: 512 },
      async (address: string) => ({
        ok: true,
        status: 200,
        arrayBuffer: async () => (address.includes("/1/0/0") ? bytes : fine).buffer,
      }),
    );
    const place = toMap(grid, 100.5, 100.5);
    expect(cells.valueAt(...place)).toBeNull();
    await cells.tile(1, 0, 0);
    expect(cells.valueAt(...place)).toEqual({ values: [7], level: 1 });
    await cells.tile(0, 0, 0);
    expect(cells.valueAt(...place)).toEqual({ values: [3], level: 0 });
    expect(cells.valueAt(0, 0)).toBeNull();
    await expect(cells.tile(0, 1, 1)).rejects.toThrow(/bytes/);
  });
});
test("numbers of close thresholds stand in rows of their own", () => {
  expect(labelRows([100, 16, 30, 200, 60])).toEqual([0, 0, 1, 0, 0]);
  expect(labelRows([])).toEqual([]);
});
