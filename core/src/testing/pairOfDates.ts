import { type ChangeSetup } from "../change/setup";
import { LONLAT, transformer } from "../geodesy/crs";
import { blockWindows, fullWindow, northUp, type Grid, toMap } from "../grid/grid";
import { copyWindow, type Cells } from "../raster/block";
import { lcg, memorySources, testGrid } from "./support";
import type { Model } from "../classify/model";
import { Evaluator, type SourceReader } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { type NodeSpec, node, sourceNode } from "../graph/node";

/** Cells of the two dates across and down. */
export const width = 83;
export const height = 67;
/** A radar image on a grid. */
export const power = (grid: Grid): ImageInfo => ({
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
/** Grid of the elevation, coarser than the dates. */
export const coarse = northUp(testGrid(1, 1).crs, 499900, 5170100, 50, 50, 50, 40);
/** Its heights. */
export const hills = Float32Array.from(
  { length: 2000 },
  (_v, i) => 40 * Math.sin((i % 50) / 6) * Math.cos(Math.floor(i / 50) / 5),
);
/** Two dates "b" and "a", a quality band "q" and the elevation "dem". */
const stored = memorySources({
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
/** A study area that cuts the dates. */
export const ring = (): [number, number][] => {
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
/** Settings with two classes and every usual limit. */
export const setup: ChangeSetup = {
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
/** Two classes of power in decibels, as they are and smoothed, whose bands go together. */
const MODEL: Model = {
  kind: "signatures",
  classes: [
    { label: 4, name: "Dark", color: "#224466" },
    { label: 9, name: "Bright", color: "#ddcc88" },
  ],
  inputs: ["decibel", "smoothed"],
  signatures: [-14, -8].map((mean) => ({
    count: 50,
    mean: Float64Array.of(mean, mean),
    covariance: Float64Array.of(6, 2, 2, 3),
  })),
};
/** The images, and the model "two classes". */
export const sources: SourceReader = { ...stored, model: () => Promise.resolve(MODEL) };

/** What a comparison of the two dates is built from. */
export const inputs = async () => ({
  before: { node: sourceNode("b"), info: await sources.info("b") },
  after: { node: sourceNode("a"), info: await sources.info("a") },
  elevation: { id: "dem", info: await sources.info("dem") },
  studyArea: [[ring()]],
});

/** Nodes over several bands of both dates, groups and limits on layers. */
export function multiple(): Record<string, NodeSpec> {
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
    equal: node("change.equalPower", { looks: 4 }, sourceNode("b"), sourceNode("a")),
    small: node("change.small", { looks: 2, km2: 1 }, sourceNode("b"), sourceNode("a")),
    twoDates: node(
      "change.formula",
      { formula: "(after.db - before.db) / 2 + before.smooth", names: ["db", "smooth"] },
      b,
      a,
    ),
    differences,
    groups,
    ...classified(b),
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

/** Classes by a model of two inputs, and how sure they are. */
function classified(stack: NodeSpec): Record<string, NodeSpec> {
  const params = (method: string, output: string) => ({
    ...{ model: "two classes", method, priors: [1, 2], reject: 0.02, output },
    classes: MODEL.classes,
  });
  return {
    likeliest: node("classify.apply", params("likelihood", "labels"), stack),
    probabilities: node("classify.apply", params("likelihood", "probabilities"), stack),
    farther: node("classify.apply", params("mahalanobis", "second"), stack),
  };
}

/** A node read at once. */
export async function whole(evaluator: Evaluator, n: NodeSpec, level = 0): Promise<Cells[]> {
  const info = await evaluator.info(n);
  const size = {
    width: Math.ceil(info.grid.width / 2 ** level),
    height: Math.ceil(info.grid.height / 2 ** level),
  };
  return (await evaluator.read(n, level, fullWindow(size))).bands;
}
/** A node read block by block. */
export async function byBlocks(evaluator: Evaluator, n: NodeSpec, block: number): Promise<Cells[]> {
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
