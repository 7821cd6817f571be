import { buildChange } from "@hindglance/core/change/build";
import { emptyValueSetup } from "@hindglance/core/change/defaults";
import { withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapAsk, firstMapOf } from "@hindglance/core/change/firstMap/sampling";
import type { ChangeInputs, ChangeSetup } from "@hindglance/core/change/setup";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import { node, sourceNode } from "@hindglance/core/graph/node";
import { fullWindow } from "@hindglance/core/grid/grid";
import { CLASS_NODATA, type Cells } from "@hindglance/core/raster/block";
import { memorySources } from "@hindglance/core/testing/support";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { COVER, type Ground } from "../ground";
import { HELIO_BANDS, fireSeverity, opticalGrid, severityOnGrid } from "../optical/ground";
import { SCENES, helioTruth } from "../optical/helio";
import { fireAreaGeoJson } from "../vectors";
import { type DoubtScore, scoreDoubt, wholeDoubt } from "./doubt";
import { type Score, type Truth, isOneOf, scored } from "./scored";

type Rule = ChangeSetup["rules"][number];
type Grouping = NonNullable<ChangeSetup["groups"]>;

const SIDES = ["before", "after"] as const;
const BANDS: BandInfo[] = HELIO_BANDS.map(({ id, nm }) => ({
  name: `B${id}`,
  unit: "",
  role: "reflectance",
  wavelengthNm: nm,
}));
const BURNED = { label: 1, name: "Burned", color: "#b8562f" };
const CHANGE = { ...BURNED, name: "Change" };

/** A rule on the measure alone. */
const onMeasure = (words: typeof BURNED, op: ">" | "<", value: number): Rule => ({
  ...words,
  all: [{ layer: "measure", op, value }],
});

/** Reflectance at the top of the atmosphere on both dates, without clouds and gaps. */
function imagesOf(ground: Ground, severity: ReturnType<typeof fireSeverity>) {
  return Object.fromEntries(
    SIDES.map((side) => {
      const scene = SCENES[side];
      const { toa, gaps, cloud } = helioTruth(ground, scene, severity);
      const info: ImageInfo = {
        grid: opticalGrid(),
        type: "float32",
        bands: BANDS,
        optical: {
          level: 1,
          sunElevationDeg: scene.date.sunElevationDeg,
          sunAzimuthDeg: scene.date.sunAzimuthDeg,
        },
      };
      const bands = toa.map((band) =>
        band.map((value, i) => (gaps[i] === 1 || cloud[i]! > 0.02 ? NaN : value)),
      );
      return [side, { info, bands }];
    }),
  );
}

/** Surface reflectance of a date by its darkest object, with its burn ratio. */
const prepared = (side: string) =>
  node(
    "optical.indices",
    { outputs: [{ name: "NBR", formula: "(nir - swir2) / (nir + swir2)" }], keep: true },
    node("optical.surface", { method: "darkObject" }, sourceNode(side)),
  );

/** The fire between two optical dates, ready to be mapped; water is left out. */
class FireStudy {
  private constructor(
    private readonly evaluator: Evaluator,
    readonly inputs: ChangeInputs,
    readonly preset: ChangeSetup,
    private readonly truth: Truth,
  ) {}

  static async of(ground: Ground): Promise<FireStudy> {
    const fine = fireSeverity(ground);
    const evaluator = new Evaluator({ sources: memorySources(imagesOf(ground, fine)) });
    const side = async (name: string) => ({
      node: prepared(name),
      info: await evaluator.info(prepared(name)),
    });
    const inputs: ChangeInputs = {
      before: await side("before"),
      after: await side("after"),
      elevation: null,
      studyArea: multiPolygonFrom(fireAreaGeoJson()),
    };
    const preset = emptyValueSetup(inputs.before.info.bands, {
      hazard: "fire",
      hasStudyArea: true,
    });
    const { width, transform } = opticalGrid();
    const isWater = (i: number): boolean => {
      const fineRow = Math.floor(i / width) * 3 + 1;
      return ground.cover[fineRow * 2400 + (i % width) * 3 + 1] === COVER.water;
    };
    const severity = severityOnGrid(fine);
    const seen = { ...preset, limits: { ...preset.limits, minPatchCells: null } };
    const base = await classesOf(evaluator, inputs, seen);
    return new FireStudy(evaluator, inputs, preset, {
      real: (i) => severity[i]! > 0,
      counts: (i) => base[i] !== CLASS_NODATA && !isWater(i),
      cellKm2: (transform[1] / 1000) ** 2,
    });
  }

  /** Places of the bands of reflectance. */
  bands(): number[] {
    const { bands } = this.inputs.before.info;
    return [...bands.keys()].filter((k) => bands[k]!.role === "reflectance");
  }

  /** Settings with the first map of the pair. */
  async first(): Promise<ChangeSetup> {
    const ask = firstMapAsk(this.inputs, this.preset);
    return withFirstMap(this.preset, await firstMapOf(this.evaluator, ask));
  }

  /** Scores a map by the labels that stand for burned ground. */
  async score(setup: ChangeSetup, is = isOneOf(1)): Promise<Score> {
    return scored(await classesOf(this.evaluator, this.inputs, setup), is, this.truth);
  }

  /** How the doubt of a map holds: burned to any degree, or not. */
  async doubt(setup: ChangeSetup): Promise<DoubtScore> {
    const { classes, doubtFrom } = buildChange(this.inputs, setup);
    const doubt = await wholeDoubt(this.evaluator, doubtFrom!, classes, opticalGrid());
    return scoreDoubt(doubt!, [1, 2, 3, 4], this.truth, opticalGrid());
  }

  /**
   * A map by groups, picked as somebody would who knows the burn: those of which more than half is
   * burned.
   */
  async picked(grouping: Grouping): Promise<[name: string, score: Score]> {
    const { groups: nodes } = buildChange(this.inputs, { ...this.preset, groups: grouping });
    const labels = (await this.evaluator.read(nodes!.groups, 0, fullWindow(opticalGrid())))
      .bands[0]!;
    const cells = new Array<number>(256).fill(0);
    const burned = new Array<number>(256).fill(0);
    for (let i = 0; i < labels.length; i++) {
      cells[labels[i]!]!++;
      burned[labels[i]!]! += this.truth.real(i) ? 1 : 0;
    }
    const found = [...cells.keys()].filter((k) => k > 0 && k < CLASS_NODATA && cells[k]! > 0);
    const groups = found.filter((k) => burned[k]! > 0.5 * cells[k]!);
    const method = grouping.method === "kMeans" ? "k-means" : "ISODATA";
    const classes = [{ ...BURNED, groups }];
    return [
      `${method} of the differences in seven bands, ${groups.length} of ${found.length} groups picked`,
      await this.score({ ...this.preset, groups: { ...grouping, classes } }),
    ];
  }
}

async function classesOf(
  evaluator: Evaluator,
  inputs: ChangeInputs,
  setup: ChangeSetup,
): Promise<Cells> {
  const { classes } = buildChange(inputs, setup);
  return (await evaluator.read(classes, 0, fullWindow(opticalGrid()))).bands[0]!;
}

/** The burn ratio's difference with a lower threshold, smoothed. */
const refinedOf = (preset: ChangeSetup): ChangeSetup => ({
  ...preset,
  rules: preset.rules.map((rule) =>
    rule.label === 4
      ? { ...rule, all: [{ ...rule.all[0]!, value: 0.12 }, ...rule.all.slice(1)] }
      : rule,
  ),
  limits: { ...preset.limits, majorityCells: 3, holeCells: 12 },
});

/** Relative loss, where there was something to lose. */
function relativeOf(preset: ChangeSetup): ChangeSetup {
  const rule = onMeasure(BURNED, ">", 0.2);
  return {
    ...preset,
    measure: "relativeLoss",
    rules: [{ ...rule, all: [...rule.all, { layer: "before", op: ">=", value: 0.1 }] }],
  };
}

const GROUPING: Grouping = {
  of: "differences",
  method: "kMeans",
  groups: 8,
  seed: 1,
  splitSpread: 1,
  mergeDistance: 0.8,
  leastShare: 0.01,
  classes: [{ ...BURNED, groups: [] }],
};

/** The fire on HELIO2 bands of before and after, dark object taken off, 30 m cells. */
export async function fireFacts(
  ground: Ground,
): Promise<{ maps: Record<string, Score>; doubt: Record<string, DoubtScore> }> {
  const study = await FireStudy.of(ground);
  const { preset } = study;
  const bands = study.bands();
  const anyDegree = isOneOf(1, 2, 3, 4);
  const vector: ChangeSetup = {
    ...preset,
    measure: "changeVector",
    bands,
    rules: [onMeasure(CHANGE, ">", 0.06)],
  };
  const mad = (reweighted: boolean): ChangeSetup => ({
    ...preset,
    measure: "noChange",
    reweighted,
    bands,
    rules: [onMeasure(CHANGE, "<", 1)],
  });
  const byMeans = await study.picked(GROUPING);
  const byIsodata = await study.picked({ ...GROUPING, method: "isodata", groups: 6 });
  const maps = {
    "dNBR, published breaks": await study.score(preset, anyDegree),
    "dNBR, first map": await study.score(await study.first(), anyDegree),
    "dNBR, over 0.12, majority 3 x 3 and holes filled": await study.score(
      refinedOf(preset),
      anyDegree,
    ),
    "RdNBR over 0.2": await study.score(relativeOf(preset)),
    "change vector of seven bands over 0.06": await study.score(vector),
    "MAD of seven bands under 1 %": await study.score(mad(false)),
    "reweighted MAD of seven bands under 1 %": await study.score(mad(true)),
    ...Object.fromEntries([byMeans, byIsodata]),
  };
  const doubt = {
    "dNBR, published breaks": await study.doubt(preset),
    "dNBR, first map": await study.doubt(await study.first()),
  };
  return { maps, doubt };
}
