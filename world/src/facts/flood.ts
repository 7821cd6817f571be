import { buildChange, stagesNode } from "@hindglance/core/change/build";
import { emptySetup } from "@hindglance/core/change/defaults";
import { withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapAsk, firstMapOf } from "@hindglance/core/change/firstMap/sampling";
import { WATER_LABELS } from "@hindglance/core/change/firstMap/rules";
import { limitName } from "@hindglance/core/change/limits/all";
import { measureOf } from "@hindglance/core/change/measures/all";
import type { ChangeInputs, ChangeSetup } from "@hindglance/core/change/setup";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, sourceNode } from "@hindglance/core/graph/node";
import { type Grid, fullWindow } from "@hindglance/core/grid/grid";
import { LOOKS_BINS, addLocalLooks, looksAtPeak } from "@hindglance/core/radar/estimateLooks";
import { type Cells, labelCells, realCells } from "@hindglance/core/raster/block";
import { normalFrom } from "@hindglance/core/testing/normal";
import { memorySources } from "@hindglance/core/testing/support";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { type Ground, floodLevel } from "../ground";
import { AFTER, BEFORE, imageOf } from "../radar";
import { TRUTH, isFlood, truthOf } from "../truth";
import { studyAreaGeoJson } from "../vectors";
import { FACTOR, imageGrid } from "../write";
import { type Coverage, intervalCoverage } from "./sampling";
import { type DepthScore, scoreDepth, wholeDepth } from "./depth";
import { type SecondScore, askedOf, cameraOf, scoreSecond } from "./second";
import { type DoubtScore, scoreDoubt, wholeDoubt } from "./doubt";
import { type Score, type Truth, isOneOf, scored } from "./scored";

const PAIR: BandInfo[] = ["VV", "VH"].map((polarisation) => ({
  name: polarisation,
  unit: "",
  role: "power",
  polarisation,
}));
const imageInfo = (grid: Grid, bands: BandInfo[]): ImageInfo => ({ grid, type: "float32", bands });

/** Bands of a pass on the grid of images; what nobody saw is nodata. */
const bandsOf = (ground: Ground, pass: typeof BEFORE, grid: Grid): Float32Array[] =>
  imageOf(ground, pass, grid, FACTOR).map((band) =>
    band.map((value) => (value === 0 ? NaN : value)),
  );

/** The flood between two radar images, ready to be mapped. */
class FloodStudy {
  private constructor(
    readonly grid: Grid,
    private readonly evaluator: Evaluator,
    readonly inputs: ChangeInputs,
    private readonly images: { before: Float32Array; after: Float32Array },
    private readonly flooded: (i: number) => boolean,
    private readonly truthLabels: Uint8Array,
  ) {}

  static async of(ground: Ground): Promise<FloodStudy> {
    const grid = imageGrid(ground);
    const before = bandsOf(ground, BEFORE, grid);
    const after = bandsOf(ground, AFTER, grid);
    const earlier = bandsOf(ground, { ...BEFORE, seed: BEFORE.seed + 40 }, grid);
    const heights: BandInfo[] = [{ name: "elevation", unit: "m", role: "elevation" }];
    const sources = memorySources({
      b: { info: imageInfo(grid, PAIR), bands: before },
      a: { info: imageInfo(grid, PAIR), bands: after },
      o: { info: imageInfo(grid, PAIR), bands: earlier },
      e: { info: imageInfo(ground.grid, heights), bands: [ground.elevation] },
      h: cameraOf(ground),
    });
    const side = async (id: string) => ({ node: sourceNode(id), info: await sources.info(id) });
    const inputs: ChangeInputs = {
      before: await side("b"),
      after: await side("a"),
      others: { o: await side("o") },
      second: { before: null, after: await side("h") },
      elevation: { id: "e", info: await sources.info("e") },
      studyArea: multiPolygonFrom(studyAreaGeoJson()),
    };
    const truth = truthOf(ground, FACTOR, grid.width, grid.height);
    const images = { before: before[0]!, after: after[0]! };
    const evaluator = new Evaluator({ sources });
    return new FloodStudy(grid, evaluator, inputs, images, (i) => isFlood(truth[i]!), truth);
  }

  /** Looks of the image of before, measured on it. */
  looks(): number | null {
    const bins = new Array<number>(LOOKS_BINS).fill(0);
    addLocalLooks(this.images.before, this.grid.width, this.grid.height, bins);
    return looksAtPeak(bins);
  }

  /** All cells of a node. */
  async cells(node: NodeSpec): Promise<Cells[]> {
    return (await this.evaluator.read(node, 0, fullWindow(this.grid))).bands;
  }

  /** The settings that a study of a flood begins with, its thresholds by the histograms. */
  async preset(): Promise<ChangeSetup> {
    const start = emptySetup({ looks: this.looks(), hasStudyArea: true, hasElevation: true });
    const ask = firstMapAsk(this.inputs, start, ["o"]);
    return withFirstMap(start, await firstMapOf(this.evaluator, ask));
  }

  /** Every cell of the study area that both images hold; what a limit leaves uncounted is not mapped. */
  async truth(preset: ChangeSetup): Promise<Truth> {
    const area = (await this.cells(buildChange(this.inputs, preset).masks.at(-1)!.node))[0]!;
    const { before, after } = this.images;
    return {
      real: this.flooded,
      counts: (i) => area[i] === 1 && before[i]! > 0 && after[i]! > 0,
      cellKm2: (this.grid.transform[1] / 1000) ** 2,
    };
  }

  /** How the doubt of a map holds: open water and flooded plants against all that was flooded. */
  async doubt(setup: ChangeSetup, truth: Truth): Promise<DoubtScore> {
    const { classes, doubtFrom } = buildChange(this.inputs, setup);
    const doubt = await wholeDoubt(this.evaluator, doubtFrom!, classes, this.grid);
    return scoreDoubt(doubt!, [WATER_LABELS.newWater, WATER_LABELS.vegetation], truth, this.grid);
  }

  /** How deep the water is by its shores, against the level that it really has. */
  async depth(setup: ChangeSetup, noiseM: number): Promise<DepthScore> {
    const nodes = buildChange(this.inputs, setup);
    const labels = labelCells((await this.cells(nodes.classes))[0]!);
    const elevation = realCells((await this.cells(nodes.elevation!))[0]!);
    const normal = normalFrom(9);
    const seen = elevation.map((height) => height + noiseM * normal());
    const { width, transform } = this.grid;
    const cellM = transform[1];
    return scoreDepth(
      wholeDepth(labels, seen, WET, this.grid),
      elevation,
      (i) => floodLevel((((i % width) + 0.5) * cellM) / 1000),
      (i) => labels[i] === WATER_LABELS.newWater && this.truthLabels[i] === TRUTH.newWater,
      cellM ** 2,
    );
  }

  /** How often samples of a map tell what is true within their intervals. */
  async coverage(setup: ChangeSetup): Promise<Coverage> {
    const labels = labelCells((await this.cells(buildChange(this.inputs, setup).classes))[0]!);
    const reference = (i: number) => LABEL_OF[this.truthLabels[i]!]!;
    return intervalCoverage(labels, reference, this.grid, SAMPLED);
  }

  /** What a camera says of the first class of a map the day after. */
  async asked(setup: ChangeSetup, truth: Truth): Promise<SecondScore> {
    const { confirmed } = buildChange(this.inputs, { ...setup, second: askedOf([1]) });
    return scoreSecond(labelCells((await this.cells(confirmed!))[0]!), truth);
  }

  /** Scores of the map after each limit. */
  async stages(setup: ChangeSetup, truth: Truth): Promise<({ limit: string } & Score)[]> {
    const nodes = buildChange(this.inputs, setup);
    const bands = await this.cells(stagesNode(nodes));
    return nodes.stages.map(({ name }, k) => ({
      limit: limitName(name),
      ...scored(bands[k]!, isOneOf(1), truth),
    }));
  }
}

/** Class of the map that each class of the truth would be, in their order. */
const LABEL_OF: readonly number[] = [
  0,
  WATER_LABELS.newWater,
  WATER_LABELS.standing,
  WATER_LABELS.vegetation,
  WATER_LABELS.vegetation,
  WATER_LABELS.receded,
];
/** Classes that are water, or plants that stand in it. */
const WET = new Set<number>([
  WATER_LABELS.newWater,
  WATER_LABELS.standing,
  WATER_LABELS.vegetation,
  WATER_LABELS.rough,
]);
/** Places of a sample, by class and near change (99). */
const SAMPLED = { 0: 500, 1: 300, 2: 75, 3: 75, 4: 26, 6: 50, 99: 200 };

/** Limits that somebody would add who looks at the map. */
const refinedOf = (preset: ChangeSetup): ChangeSetup => ({
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
});

/**
 * Water told by the after date alone: what stands there anyway, smooth ground and shadow come along
 * until limits take them out.
 */
function aloneOf(preset: ChangeSetup): ChangeSetup {
  const refined = refinedOf(preset);
  return {
    ...refined,
    rules: [{ ...preset.rules[0]!, all: [preset.rules[0]!.all[1]!] }],
    limits: { ...refined.limits, majorityCells: null, holeCells: null, minPatchCells: 6 },
  };
}

/** Water of the after date alone, where a camera does not say that there is none. */
const seenByTwo = (alone: ChangeSetup): ChangeSetup => ({
  ...alone,
  second: askedOf([1]),
  limits: { ...alone.limits, maxSlopeDeg: null, drainage: null, standing: null, against: true },
});

/** Change by both polarisations that is dark after. */
const probableOf = (preset: ChangeSetup, reweighted: boolean): ChangeSetup => ({
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

/** The flood on the finished pair of radar images, 20 m cells. */
export async function floodFacts(ground: Ground) {
  const study = await FloodStudy.of(ground);
  const preset = await study.preset();
  const truth = await study.truth(preset);
  const stages = (setup: ChangeSetup) => study.stages(setup, truth);
  const last = async (setup: ChangeSetup): Promise<Score> => {
    const { limit: _limit, ...score } = (await stages(setup)).at(-1)!;
    return score;
  };
  const unsmoothed: ChangeSetup = { ...preset, speckle: { ...preset.speckle, filter: "none" } };
  return {
    thresholds: preset.rules[0]!.all.map(({ value }) => value),
    cells: study.grid.width * study.grid.height,
    doubt: await study.doubt(preset, truth),
    coverage: await study.coverage(preset),
    depth: {
      "elevation as it is": await study.depth(preset, 0),
      "elevation with errors of 0.5 m": await study.depth(preset, 0.5),
      "elevation with errors of 1 m": await study.depth(preset, 1),
    },
    preset: await stages(preset),
    refined: await stages(refinedOf(preset)),
    alone: await stages(aloneOf(preset)),
    byTwo: await stages(seenByTwo(aloneOf(preset))),
    second: {
      preset: await study.asked(preset, truth),
      alone: await study.asked(aloneOf(preset), truth),
    },
    others: {
      "preset without a speckle filter": await last(unsmoothed),
      "MAD of VV and VH under 1 %, and dark after": await last(probableOf(preset, false)),
      "reweighted MAD of VV and VH under 1 %, and dark after": await last(probableOf(preset, true)),
    },
  };
}
