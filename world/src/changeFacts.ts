import { emptySetup, emptyValueSetup, initialRules } from "@hindglance/core/change/defaults";
import { buildChange, stagesNode } from "@hindglance/core/change/build";
import { type ChangeInputs, type ChangeSetup } from "@hindglance/core/change/setup";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { fullWindow, northUp } from "@hindglance/core/grid/grid";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import { addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import { LOOKS_BINS, addLocalLooks, looksAtPeak } from "@hindglance/core/radar/estimateLooks";
import { memorySources } from "@hindglance/core/testing/support";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { COVER, buildGround } from "./ground";
import { GREENNESS, greennessOf } from "./optical/greenness";
import { HELIO_BANDS, fireSeverity, opticalGrid, severityOnGrid } from "./optical/ground";
import { SCENES, helioTruth } from "./optical/helio";
import { generator, hash2 } from "./random";
import { AFTER, BEFORE, imageOf } from "./radar";
import { isFlood, score, truthOf } from "./truth";
import { fireAreaGeoJson, studyAreaGeoJson } from "./vectors";
import { FACTOR, imageGrid } from "./write";
import { greennessRules } from "@hindglance/core/change/presets";
import { measureOf } from "@hindglance/core/change/measures/all";
import { limitName } from "@hindglance/core/change/limits/all";

// Maps of the flood, the fire and of greenness by presets as they come and after refinement, limit
// by limit, against the truth of the world; prints JSON for
// the tests and for the tables of docs/methods.md.
const ground = buildGround(27);
const round = (value: number) => Math.round(value * 1e4) / 1e4;
interface Score {
  iou: number;
  producers: number;
  users: number;
  km2: number;
}
const scored = (
  labels: ArrayLike<number>,
  of: (label: number) => boolean,
  truth: (i: number) => boolean,
  counts: (i: number) => boolean,
  cellKm2: number,
): Score => {
  let n = 0;
  for (let i = 0; i < labels.length; i++) {
    if (counts(i) && of(labels[i]!)) {
      n++;
    }
  }
  const s = score((i) => of(labels[i]!), truth, counts, labels.length);
  return {
    iou: round(s.iou),
    producers: round(s.producers),
    users: round(s.users),
    km2: round(n * cellKm2),
  };
};

/**
 * The flood on the finished pair of radar images, 20 m cells. Every cell of the study area that
 * both images hold counts; what a limit leaves uncounted is not mapped.
 */
async function flood() {
  const grid = imageGrid(ground);
  const n = grid.width * grid.height;
  const truth = truthOf(ground, FACTOR, grid.width, grid.height);
  const w = fullWindow(grid);
  const info = (bands: ImageInfo["bands"], onImage = true): ImageInfo => ({
    grid: onImage ? grid : ground.grid,
    type: "float32",
    bands,
  });
  const pair = ["VV", "VH"].map((part) => ({
    name: part,
    unit: "",
    role: "power" as const,
    polarisation: part,
  }));
  const image = (pass: typeof BEFORE) =>
    imageOf(ground, pass, grid, FACTOR).map((b) => b.map((value) => (value === 0 ? NaN : value)));
  const earlier = { ...BEFORE, seed: BEFORE.seed + 40 };
  const before = image(BEFORE);
  const after = image(AFTER);
  const bins = new Array<number>(LOOKS_BINS).fill(0);
  const sources = memorySources({
    b: { info: info(pair), bands: before },
    a: { info: info(pair), bands: after },
    o: { info: info(pair), bands: image(earlier) },
    e: {
      info: info([{ name: "elevation", unit: "m", role: "elevation" }], false),
      bands: [ground.elevation],
    },
  });
  const evaluator = new Evaluator({ sources });
  addLocalLooks(before[0]!, grid.width, grid.height, bins);
  const side = async (id: string) => ({ node: sourceNode(id), info: await sources.info(id) });
  const inputs: ChangeInputs = {
    before: await side("b"),
    after: await side("a"),
    others: { o: await side("o") },
    elevation: { id: "e", info: await sources.info("e") },
    studyArea: multiPolygonFrom(studyAreaGeoJson()),
  };
  const start = emptySetup({ looks: looksAtPeak(bins), hasStudyArea: true, hasElevation: true });
  const whole = async (x: NodeSpec) => (await evaluator.read(x, 0, w)).bands;
  const gated = await whole(buildChange(inputs, start).gated);
  const h = (
    [
      [-40, 10],
      [-40, 10],
      [-25, 25],
    ] as const
  ).map(([lo, hi], k) => {
    const histogram = emptyHistogram(lo, hi, 500);
    addToHistogram(histogram, gated[k]!);
    return histogram;
  });
  const preset: ChangeSetup = {
    ...start,
    rules: initialRules({ before: h[0]!, after: h[1]!, measure: h[2]! }),
  };
  const area = (await whole(buildChange(inputs, preset).masks.at(-1)!.node))[0]!;
  const counts = (i: number) => area[i] === 1 && before[0]![i]! > 0 && after[0]![i]! > 0;
  const real = (i: number) => isFlood(truth[i]!);
  const km2 = (grid.transform[1] / 1000) ** 2;
  const stagesOf = async (setup: ChangeSetup) => {
    const n2 = buildChange(inputs, setup);
    const bands = await whole(stagesNode(n2));
    return n2.stages.map((stage, k) => ({
      limit: limitName(stage.name),
      ...scored(bands[k]!, (label) => label === 1, real, counts, km2),
    }));
  };
  const refined: ChangeSetup = {
    ...preset,
    limits: {
      ...preset.limits,
      seenMarginCells: 1,
      hidden: null,
      drainage: { maxM: 15, leastKm2: 1 },
      standing: { sceneIds: ["o"], op: "<", value: preset.rules[0]!.all[1]!.value, label: 1 },
      majorityCells: 3,
      holeCells: 6,
      minPatchCells: 6,
    },
  };
  const last = async (setup: ChangeSetup) => {
    const { limit: _l, ...x } = (await stagesOf(setup)).at(-1)!;
    return x;
  };
  const unsmoothed: ChangeSetup = { ...preset, speckle: { ...preset.speckle, filter: "none" } };
  const probable = (reweighted: boolean): ChangeSetup => ({
    ...preset,
    measure: "noChange",
    reweighted,
    rules: [
      {
        ...measureOf("noChange").rules!(null)[0]!,
        all: [{ layer: "measure", op: "<", value: 1 }, preset.rules[0]!.all[1]!],
      },
    ],
  });
  // Water told by the after date alone: what stands there anyway, smooth ground and shadow come
  // along until limits take them out.
  const alone: ChangeSetup = {
    ...refined,
    rules: [{ ...preset.rules[0]!, all: [preset.rules[0]!.all[1]!] }],
    limits: { ...refined.limits, majorityCells: null, holeCells: null, minPatchCells: 6 },
  };
  return {
    thresholds: preset.rules[0]!.all.map((condition) => condition.value),
    cells: n,
    preset: await stagesOf(preset),
    refined: await stagesOf(refined),
    alone: await stagesOf(alone),
    others: {
      "preset without a speckle filter": await last(unsmoothed),
      "MAD of VV and VH under 1 %, and dark after": await last(probable(false)),
      "reweighted MAD of VV and VH under 1 %, and dark after": await last(probable(true)),
    },
  };
}

/**
 * The fire on HELIO2 bands of before and after, dark object taken off, 30 m cells; water left out.
 */
async function fire() {
  const fine = fireSeverity(ground);
  const severity = severityOnGrid(fine);
  const grid = opticalGrid();
  const w = fullWindow(grid);
  const km2 = (grid.transform[1] / 1000) ** 2;
  const images = Object.fromEntries(
    (["before", "after"] as const).map((k) => {
      const t = helioTruth(ground, SCENES[k], fine);
      return [
        k,
        {
          info: {
            grid,
            type: "float32" as const,
            bands: HELIO_BANDS.map((b) => ({
              name: `B${b.id}`,
              unit: "",
              role: "reflectance" as const,
              wavelengthNm: b.nm,
            })),
            optical: {
              level: 1 as const,
              sunElevationDeg: SCENES[k].date.sunElevationDeg,
              sunAzimuthDeg: SCENES[k].date.sunAzimuthDeg,
            },
          },
          bands: t.toa.map((b) =>
            b.map((value, i) => (t.gaps[i] === 1 || t.cloud[i]! > 0.02 ? NaN : value)),
          ),
        },
      ];
    }),
  );
  const evaluator = new Evaluator({ sources: memorySources(images) });
  const at = (k: string) =>
    node(
      "optical.indices",
      { outputs: [{ name: "NBR", formula: "(nir - swir2) / (nir + swir2)" }], keep: true },
      node("optical.surface", { method: "darkObject" }, sourceNode(k)),
    );
  const side = async (k: string) => ({ node: at(k), info: await evaluator.info(at(k)) });
  const inputs: ChangeInputs = {
    before: await side("before"),
    after: await side("after"),
    elevation: null,
    studyArea: multiPolygonFrom(fireAreaGeoJson()),
  };
  const preset = emptyValueSetup(inputs.before.info.bands, { hazard: "fire", hasStudyArea: true });
  const water = (i: number) =>
    ground.cover[(Math.floor(i / grid.width) * 3 + 1) * 2400 + (i % grid.width) * 3 + 1] ===
    COVER.water;
  const burned = (label: number) => label >= 1 && label <= 4;
  const map = async (setup: ChangeSetup) =>
    (await evaluator.read(buildChange(inputs, setup).classes, 0, w)).bands[0]!;
  const base = await map({ ...preset, limits: { ...preset.limits, minPatchCells: null } });
  const counts = (i: number) => base[i] !== CLASS_NODATA && !water(i);
  const real = (i: number) => severity[i]! > 0;
  const of = async (setup: ChangeSetup, is = burned) =>
    scored(await map(setup), is, real, counts, km2);
  const one = (label: number) => label === 1;
  const bands = inputs.before.info.bands
    .map((_b, k) => k)
    .filter((k) => inputs.before.info.bands[k]!.role === "reflectance");
  const vegetated = { layer: "before" as const, op: ">=" as const, value: 0.1 };
  // Groups are picked as somebody would who knows the burn: those of which more than half is
  // burned.
  const grouping = {
    of: "differences" as const,
    method: "kMeans" as const,
    groups: 8,
    seed: 1,
    splitSpread: 1,
    mergeDistance: 0.8,
    leastShare: 0.01,
    classes: [{ label: 1, name: "Burned", color: "#b8562f", groups: [] as number[] }],
  };
  const picked = async (
    g2: typeof grouping | (Omit<typeof grouping, "method"> & { method: "isodata" }),
  ) => {
    const labels = (
      await evaluator.read(buildChange(inputs, { ...preset, groups: g2 }).groups!.groups, 0, w)
    ).bands[0]!;
    const cells = new Array<number>(256).fill(0);
    const burnt = new Array<number>(256).fill(0);
    for (let i = 0; i < labels.length; i++) {
      cells[labels[i]!]!++;
      if (real(i)) {
        burnt[labels[i]!]!++;
      }
    }
    const groups = [...Array(254).keys()]
      .map((k) => k + 1)
      .filter((label) => burnt[label]! > 0.5 * cells[label]!);
    const found = cells.slice(1, 255).filter((c) => c > 0).length;
    return {
      name: `${g2.method === "kMeans" ? "k-means" : "ISODATA"} of the differences in seven bands, ${groups.length} of ${found} groups picked`,
      score: await of(
        { ...preset, groups: { ...g2, classes: [{ ...g2.classes[0]!, groups }] } },
        one,
      ),
    };
  };
  const mad = (reweighted: boolean): ChangeSetup => ({
    ...preset,
    measure: "noChange",
    reweighted,
    bands,
    rules: [
      {
        label: 1,
        name: "Change",
        color: "#b8562f",
        all: [{ layer: "measure", op: "<", value: 1 }],
      },
    ],
  });
  const byMeans = await picked(grouping);
  const byIsodata = await picked({ ...grouping, method: "isodata" as const, groups: 6 });
  return {
    "dNBR, preset": await of(preset),
    "dNBR, over 0.12, majority 3 x 3 and holes filled": await of({
      ...preset,
      rules: preset.rules.map((rule) =>
        rule.label === 4
          ? { ...rule, all: [{ ...rule.all[0]!, value: 0.12 }, ...rule.all.slice(1)] }
          : rule,
      ),
      limits: { ...preset.limits, majorityCells: 3, holeCells: 12 },
    }),
    "RdNBR over 0.2": await of(
      {
        ...preset,
        measure: "relativeLoss",
        rules: [
          {
            label: 1,
            name: "Burned",
            color: "#b8562f",
            all: [{ layer: "measure", op: ">", value: 0.2 }, vegetated],
          },
        ],
      },
      one,
    ),
    "change vector of seven bands over 0.06": await of(
      {
        ...preset,
        measure: "changeVector",
        bands,
        rules: [
          {
            label: 1,
            name: "Change",
            color: "#b8562f",
            all: [{ layer: "measure", op: ">", value: 0.06 }],
          },
        ],
      },
      one,
    ),
    "MAD of seven bands under 1 %": await of(mad(false), one),
    "reweighted MAD of seven bands under 1 %": await of(mad(true), one),
    [byMeans.name]: byMeans.score,
    [byIsodata.name]: byIsodata.score,
  };
}

/**
 * Greenness of two composites a year apart, before and after the fire, 250 m cells with the noise
 * and fill of the product.
 */
async function greenness() {
  const severity = fireSeverity(ground);
  const day = 65;
  const [b, a] = [2024, 2025].map((y) => greennessOf(ground, severity, y)(day)) as [
    Float32Array,
    Float32Array,
  ];
  const width = Math.floor(2400 / 25);
  const height = b.length / width;
  const grid = northUp(
    ground.grid.crs,
    ground.grid.transform[0],
    ground.grid.transform[3],
    GREENNESS.cellM,
    GREENNESS.cellM,
    width,
    height,
  );
  const product = (t: Float32Array, year: number) => {
    const random = generator(year * 400 + day);
    return t.map((value, i) => {
      const noisy = value + 0.008 * (random() + random() - 1);
      return hash2((i % width) >> 3, Math.floor(i / width) >> 3, year * 400 + day) < 0.05
        ? NaN
        : Math.round(noisy / GREENNESS.scale) * GREENNESS.scale;
    });
  };
  const info: ImageInfo = {
    grid,
    type: "float32",
    bands: [{ name: "EVI", unit: "", role: "value" }],
  };
  const sources = memorySources({
    b: { info, bands: [product(b, 2024)] },
    a: { info, bands: [product(a, 2025)] },
  });
  const evaluator = new Evaluator({ sources });
  const inputs: ChangeInputs = {
    before: { node: sourceNode("b"), info },
    after: { node: sourceNode("a"), info },
    elevation: null,
    studyArea: null,
  };
  const start = emptyValueSetup(info.bands, { hazard: "other", hasStudyArea: false });
  const map = async (at: number) =>
    (
      await evaluator.read(
        buildChange(inputs, {
          ...start,
          rules: greennessRules(false, at),
          limits: { ...start.limits, seenMarginCells: 0, minPatchCells: null },
        }).classes,
        0,
        fullWindow(grid),
      )
    ).bands[0]!;
  const km2 = (GREENNESS.cellM / 1000) ** 2;
  const of = async (at: number) => {
    const cells = await map(at);
    return {
      loss: scored(
        cells,
        (label) => label === 1,
        (i) => a[i]! - b[i]! < -at,
        (i) => cells[i] !== CLASS_NODATA,
        km2,
      ),
      gain: scored(
        cells,
        (label) => label === 2,
        (i) => a[i]! - b[i]! > at,
        (i) => cells[i] !== CLASS_NODATA,
        km2,
      ),
    };
  };
  return {
    largestLoss: round(Math.min(...a.map((value, i) => value - b[i]!))),
    largestGain: round(Math.max(...a.map((value, i) => value - b[i]!))),
    preset: await of(0.4),
    refined: await of(0.1),
  };
}

console.log(
  JSON.stringify({ flood: await flood(), fire: await fire(), greenness: await greenness() }),
);
