import { buildChange } from "@hindglance/core/change/build";
import { emptySetup } from "@hindglance/core/change/defaults";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapAsk, firstMapOf } from "@hindglance/core/change/firstMap/sampling";
import type { ChangeInputs, ChangeSetup, ChangeSide } from "@hindglance/core/change/setup";
import { WATER_LABELS } from "@hindglance/core/change/firstMap/rules";
import { type SuggestionMethod, suggestions } from "@hindglance/core/change/suggestions";
import { utm } from "@hindglance/core/geodesy/crs";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { type Grid, fullWindow, northUp } from "@hindglance/core/grid/grid";
import { LOOKS_BINS, addLocalLooks, looksAtPeak } from "@hindglance/core/radar/estimateLooks";
import { CLASS_NODATA, type Cells, labelCells, realCells } from "@hindglance/core/raster/block";
import { addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import { memorySources } from "@hindglance/core/testing/support";
import { type DoubtScore, scoreDoubt, wholeDoubt } from "../facts/doubt";
import type { Truth } from "../facts/scored";
import { type MadePair, USUAL_GROUND, USUAL_INSTRUMENT } from "./catalogue";
import { type Instrument, type Weather, imagesOf } from "./images";
import {
  CELLS_WIDE,
  GROUND_CELL,
  GROUND_SIDE,
  LAND,
  type Landscape,
  landscapeOf,
} from "./landscape";

const SIDE = GROUND_SIDE / CELLS_WIDE;
const CELL_M = GROUND_CELL * CELLS_WIDE;

/** What really is in a cell of a pair. */
export const REAL = {
  land: 0,
  newWater: 1,
  standing: 2,
  vegetation: 3,
  /** Flooded town, and cells of more than one kind: not counted. */
  mixed: 4,
  sand: 5,
} as const;

/** Part of the scene in image cells. */
interface Part {
  col: number;
  row: number;
  width: number;
  height: number;
}

const partOf = ({ area }: MadePair): Part => {
  const [col, row, width, height] = area ?? [0, 0, SIDE, SIDE];
  return { col, row, width, height };
};

function cut(image: Float32Array, { col, row, width, height }: Part): Float32Array {
  const out = new Float32Array(width * height);
  for (let r = 0; r < height; r++) {
    const from = (row + r) * SIDE + col;
    out.set(image.subarray(from, from + width), r * width);
  }
  return out;
}

/** Cells of the ground that an image cell covers. */
function groundCells({ col, row, width }: Part, i: number): number[] {
  const c = (col + (i % width)) * CELLS_WIDE;
  const r = (row + Math.floor(i / width)) * CELLS_WIDE;
  const cells = [];
  for (let down = 0; down < CELLS_WIDE; down++) {
    for (let along = 0; along < CELLS_WIDE; along++) {
      cells.push((r + down) * GROUND_SIDE + c + along);
    }
  }
  return cells;
}

function realOf(ground: Landscape, isFlooded: boolean, cells: readonly number[]): number {
  const count = (holds: (k: number) => boolean) => cells.filter(holds).length;
  const half = cells.length / 2;
  const isNew = (k: number) => isFlooded && ground.flooded[k] === 1 && ground.water[k] === 0;
  const plants = count(
    (k) => isNew(k) && (ground.land[k] === LAND.reed || ground.land[k] === LAND.wood),
  );
  if (count((k) => isNew(k) && ground.land[k] === LAND.town) > 0) {
    return REAL.mixed;
  }
  if (plants > 0) {
    return plants > half ? REAL.vegetation : REAL.mixed;
  }
  if (count((k) => ground.water[k] === 1) >= half) {
    return REAL.standing;
  }
  if (count(isNew) >= half) {
    return REAL.newWater;
  }
  return count((k) => ground.land[k] === LAND.sand) > half ? REAL.sand : REAL.land;
}

const kept = new Map<string, Landscape>();

/** The landscape of a pair; the last few are kept. */
function groundOf(pair: MadePair): Landscape {
  const kind = { ...USUAL_GROUND, ...pair.ground };
  const key = JSON.stringify(kind);
  const ground = kept.get(key) ?? landscapeOf(kind);
  kept.set(key, ground);
  return ground;
}

const dates = new Map<string, Float32Array[]>();

/** Images of a date; pairs have many in common. */
function dateOf(pair: MadePair, weather: Weather, instrument: Instrument): Float32Array[] {
  const key = JSON.stringify([{ ...USUAL_GROUND, ...pair.ground }, weather, instrument]);
  const images = dates.get(key) ?? imagesOf(groundOf(pair), weather, instrument);
  dates.set(key, images);
  return images;
}

/** How both dates are smoothed before Compare looks at them, and by Compare. */
export interface Smoothing {
  name: string;
  compare: ChangeSetup["speckle"]["filter"];
  chain?(side: NodeSpec, pair: readonly NodeSpec[], index: number): NodeSpec;
  /** Compare is told to keep what blurs banks in the chain. */
  blurred?: true;
}

const filtered =
  (kind: string, params: Record<string, unknown>) =>
  (side: NodeSpec): NodeSpec =>
    node(kind, params, side);
const LOOKS = 4 * USUAL_INSTRUMENT.looks;

const acrossBoth: Smoothing["chain"] = (_side, pair, index) =>
  node("radar.acrossDates", { index, windowCells: 7 }, ...pair);

/** The filters of Compare and of a chain. */
export const SMOOTHINGS: readonly Smoothing[] = [
  { name: "Refined Lee in Compare", compare: "refinedLee" },
  { name: "none", compare: "none" },
  { name: "Lee in Compare", compare: "lee" },
  {
    name: "Mean 3 x 3 in the chain",
    compare: "none",
    chain: filtered("radar.mean", { windowCells: 3 }),
  },
  {
    name: "Mean 5 x 5 in the chain",
    compare: "none",
    chain: filtered("radar.mean", { windowCells: 5 }),
  },
  {
    name: "Mean 5 x 5 in the chain, looked at as it is",
    compare: "none",
    chain: filtered("radar.mean", { windowCells: 5 }),
    blurred: true,
  },
  {
    name: "Median 5 x 5 in the chain",
    compare: "none",
    chain: filtered("radar.median", { windowCells: 5 }),
  },
  {
    name: "Lee in the chain, refined Lee after",
    compare: "refinedLee",
    chain: filtered("radar.lee", { windowCells: 7, looks: LOOKS }),
  },
  {
    name: "Gamma MAP in the chain",
    compare: "none",
    chain: filtered("radar.gammaMap", { windowCells: 7, looks: LOOKS }),
  },
  {
    name: "Across the two dates, refined Lee after",
    compare: "refinedLee",
    chain: acrossBoth,
  },
  {
    name: "Across the two dates, refined Lee after, looked at as it is",
    compare: "refinedLee",
    chain: acrossBoth,
    blurred: true,
  },
];

const FLOODED: readonly number[] = [WATER_LABELS.newWater, WATER_LABELS.vegetation];

/** A made-up pair, ready to be mapped. */
export class PairStudy {
  private constructor(
    readonly pair: MadePair,
    private readonly grid: Grid,
    private readonly evaluator: Evaluator,
    private readonly sides: { before: ChangeSide; after: ChangeSide },
    private readonly others: Record<string, ChangeSide>,
    private readonly elevation: ChangeInputs["elevation"],
    private readonly looks: number | null,
    readonly real: Uint8Array,
  ) {}

  static async of(pair: MadePair): Promise<PairStudy> {
    const ground = groundOf(pair);
    const part = partOf(pair);
    const instrument = { ...USUAL_INSTRUMENT, ...pair.instrument };
    const { width, height } = part;
    const grid = northUp(utm(27, true), 500_000, 5_170_000, CELL_M, CELL_M, width, height);
    const date = (weather: Partial<Weather>, seed: number) =>
      dateOf(pair, { seed, ...weather }, instrument)
        .map((band) => cut(band, part))
        .slice(0, pair.single ? 1 : 2);
    const bands = ["VV", "VH"].slice(0, pair.single ? 1 : 2).map((polarisation): BandInfo => ({
      name: polarisation,
      unit: "",
      role: "power",
      polarisation,
    }));
    const info: ImageInfo = { grid, type: "float32", bands, radiometry: "gamma" };
    const before = date(pair.before, 100);
    const images: Record<string, { info: ImageInfo; bands: Cells[] }> = {
      before: { info, bands: before },
      after: { info, bands: date(pair.after, 200) },
    };
    pair.others?.forEach((weather, k) => {
      images[`other${k}`] = { info, bands: date(weather, 300 + k) };
    });
    const heights = Float32Array.from({ length: width * height }, (_, i) =>
      mean(groundCells(part, i).map((k) => ground.elevation[k]!)),
    );
    images.elevation = {
      info: { grid, type: "float32", bands: [{ name: "elevation", unit: "m", role: "elevation" }] },
      bands: [heights],
    };
    const bins = new Array<number>(LOOKS_BINS).fill(0);
    addLocalLooks(before[0]!, width, height, bins);
    const side = (id: string): ChangeSide => ({ node: sourceNode(id), info });
    return new PairStudy(
      pair,
      grid,
      new Evaluator({ sources: memorySources(images) }),
      { before: side("before"), after: side("after") },
      Object.fromEntries((pair.others ?? []).map((_, k) => [`other${k}`, side(`other${k}`)])),
      pair.noElevation ? null : { id: "elevation", info: images.elevation.info },
      looksAtPeak(bins),
      Uint8Array.from({ length: width * height }, (_, i) =>
        realOf(ground, !!pair.after.flooded, groundCells(part, i)),
      ),
    );
  }

  /**
   * Strength of small changes at a rate of false alarms, in place of the first map's measure.
   * @param km2 square kilometres of unchanged ground with one
   */
  async smallChanges(km2: number): Promise<Float32Array> {
    const { before, after } = this.sides;
    const params = { looks: this.looks ?? LOOKS, km2 };
    const strength = node("change.small", params, before.node, after.node);
    const block = await this.evaluator.read(strength, 0, fullWindow(this.grid));
    return realCells(block.bands[0]!);
  }

  /** The ground of the pair, cell by cell. */
  get ground(): Landscape {
    return groundOf(this.pair);
  }

  /**
   * Maps of new water by the change alone, refined Lee before it: below the threshold that a method
   * finds in the histogram of the whole pair.
   */
  async changeAlone(): Promise<{ method: SuggestionMethod; labels: Uint8Array }[]> {
    const inputs: ChangeInputs = { ...this.sides, elevation: this.elevation, studyArea: null };
    const setup = emptySetup({ looks: this.looks, hasStudyArea: false, hasElevation: false });
    const { measure } = buildChange(inputs, setup);
    const block = await this.evaluator.read(measure, 0, fullWindow(this.grid));
    const change = realCells(block.bands[0]!);
    const histogram = emptyHistogram(-25, 15, 800);
    addToHistogram(histogram, change);
    return suggestions(histogram).map(({ method, value }) => ({
      method,
      labels: Uint8Array.from(change, (db) => {
        const label = db < value ? WATER_LABELS.newWater : 0;
        return Number.isNaN(db) ? CLASS_NODATA : label;
      }),
    }));
  }

  /** The first map, untouched, with its labels. */
  async map(
    smoothing: Smoothing,
  ): Promise<{ first: FirstMap; labels: Uint8Array; doubt(): Promise<DoubtScore | null> }> {
    const { compare, chain, blurred } = smoothing;
    const pair = [this.sides.before.node, this.sides.after.node];
    const smoothed = (side: ChangeSide, index: number): ChangeSide => ({
      ...side,
      node: chain ? chain(side.node, pair, index) : side.node,
    });
    const inputs: ChangeInputs = {
      before: smoothed(this.sides.before, 0),
      after: smoothed(this.sides.after, 1),
      others: this.others,
      elevation: this.elevation,
      studyArea: null,
    };
    const start = emptySetup({
      looks: this.looks,
      hasStudyArea: false,
      hasElevation: this.elevation !== null,
    });
    const setup = {
      ...start,
      speckle: { ...start.speckle, filter: compare, blurred: blurred === true },
    };
    const ask = firstMapAsk(inputs, setup, Object.keys(this.others));
    const first = await firstMapOf(this.evaluator, ask);
    const { classes, doubtFrom } = buildChange(inputs, withFirstMap(setup, first));
    const block = await this.evaluator.read(classes, 0, fullWindow(this.grid));
    const doubt = async () => {
      const found = doubtFrom && (await wholeDoubt(this.evaluator, doubtFrom, classes, this.grid));
      return found && scoreDoubt(found, FLOODED, this.flooded(), this.grid);
    };
    return { first, labels: labelCells(block.bands[0]!), doubt };
  }

  /** What of the pair is flooded, plants too; mixed cells do not count. */
  private flooded(): Truth {
    return {
      real: (i) => this.real[i] === REAL.newWater || this.real[i] === REAL.vegetation,
      counts: (i) => this.real[i] !== REAL.mixed,
      cellKm2: this.cellKm2,
    };
  }

  /** Square kilometres of a cell. */
  get cellKm2(): number {
    return (CELL_M / 1000) ** 2;
  }
}

const mean = (values: readonly number[]): number =>
  values.reduce((sum, value) => sum + value, 0) / values.length;
