import { buildChange } from "@hindglance/core/change/build";
import { emptySetup } from "@hindglance/core/change/defaults";
import type { ChangeInputs, ChangeSetup, ChangeSide } from "@hindglance/core/change/setup";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { type Grid, fullWindow } from "@hindglance/core/grid/grid";
import { OMNIBUS } from "@hindglance/core/radar/omnibus";
import { realCells } from "@hindglance/core/raster/block";
import { memorySources } from "@hindglance/core/testing/support";
import type { Ground } from "../ground";
import { AFTER, BEFORE, LOOKS, type Pass, imageOf } from "../radar";
import { TRUTH, isFlood, score, truthOf } from "../truth";
import { FACTOR, imageGrid } from "../write";

/** Days of the passes since the first; the flood stands on the last two. */
const DAYS = [0, 12, 24, 36, 48];
const FIRST_FLOODED = 3;
/** Passes over one frame, each with its own weather and speckle. */
const PASSES: Pass[] = [
  { ...BEFORE, seed: 408, wind: 0.4, wetness: 0.1 },
  { ...BEFORE, seed: 420, wind: 0.2, wetness: 0.4 },
  { ...BEFORE, seed: 502 },
  { ...AFTER, frame: BEFORE.frame },
  { ...AFTER, seed: 526, wind: 0.1, wetness: 0.3, frame: BEFORE.frame },
];
/** Deviations that a cell lies away. */
const BEYOND = 3.5;
/** How rare a change of unchanged ground is to be, −log₁₀ of the chance. */
const RARITY = 3;
/** Cells from all change from which on land is taken to be still. */
const APART = 3;

/** How what departs from normal holds against the truth. */
export interface SeriesScore {
  /** Of cells below normal against new open water; cells on rims, half water, are left out of neither. */
  iou: number;
  producers: number;
  /** Share of still land, away from all change, that departs on either side. */
  falseAlarms: number;
  /** Share of new open water that left its normal, and on the day of the flood first. */
  firstDay: number;
  omnibus: {
    /** Share of new open water that is called changed; of those cells, that whose first change is of that day. */
    found: number;
    firstDay: number;
    /** Share of still land that is called changed. */
    falseAlarms: number;
  };
}

const VV: BandInfo[] = [{ name: "VV", unit: "", role: "power", polarisation: "VV" }];

/** A series of the made-up radar over the flood. */
class Series {
  readonly grid: Grid;
  readonly truth: Uint8Array;
  private readonly evaluator: Evaluator;
  private readonly sides: ChangeSide[];

  constructor(ground: Ground) {
    this.grid = imageGrid(ground);
    const info: ImageInfo = { grid: this.grid, type: "float32", bands: VV };
    this.truth = truthOf(ground, FACTOR, this.grid.width, this.grid.height);
    const images = PASSES.map((pass) => {
      const [vv] = imageOf(ground, pass, this.grid, FACTOR);
      return { info, bands: [vv!.map((value) => (value === 0 ? NaN : value))] };
    });
    this.sides = PASSES.map((_pass, k) => ({ node: sourceNode(`p${k}`), info }));
    const sources = memorySources(Object.fromEntries(images.map((image, k) => [`p${k}`, image])));
    this.evaluator = new Evaluator({ sources });
  }

  /** Bands of a node, whole. */
  async bands(spec: NodeSpec): Promise<Float32Array[]> {
    const { bands } = await this.evaluator.read(spec, 0, fullWindow(this.grid));
    return bands.map((band) => realCells(band));
  }

  /** The measure of the flood's pair by a series measure. */
  async measure(measure: ChangeSetup["measure"]): Promise<Float32Array> {
    const watched = this.sides.slice(FIRST_FLOODED);
    const inputs: ChangeInputs = {
      ...{ before: this.sides[FIRST_FLOODED - 1]!, after: this.sides[FIRST_FLOODED]! },
      series: {
        normal: this.sides.slice(0, FIRST_FLOODED),
        watched: watched.map((side, k) => ({ side, day: DAYS[FIRST_FLOODED + k]! - DAYS[2]! })),
      },
      elevation: null,
      studyArea: null,
    };
    const setup: ChangeSetup = {
      ...emptySetup({ looks: LOOKS * FACTOR ** 2, hasStudyArea: false, hasElevation: false }),
      ...{ measure, awayBeyond: BEYOND, awaySide: "below" },
    };
    const [cells] = await this.bands(buildChange(inputs, setup).measure);
    return cells!;
  }

  /** When and how often cells changed, by the test of all dates. */
  omnibus(): Promise<Float32Array[]> {
    const params = { looks: LOOKS * FACTOR ** 2, rarity: RARITY, days: DAYS };
    return this.bands(node("radar.omnibus", params, ...this.sides.map((side) => side.node)));
  }

  /** Whether a cell is land that stays as it is, as is everything near it. */
  isStill(i: number): boolean {
    const { width, height } = this.grid;
    const [col, row] = [i % width, Math.floor(i / width)];
    for (let r = Math.max(0, row - APART); r <= Math.min(height - 1, row + APART); r++) {
      for (let c = Math.max(0, col - APART); c <= Math.min(width - 1, col + APART); c++) {
        if (this.truth[r * width + c] !== TRUTH.land) {
          return false;
        }
      }
    }
    return true;
  }
}

/** Share of cells of a kind of which something holds; cells without a value are left out. */
function shareOf(
  cells: Float32Array,
  isOfKind: (i: number) => boolean,
  holds: (value: number, i: number) => boolean,
): number {
  let [all, held] = [0, 0];
  cells.forEach((value, i) => {
    if (value === value && isOfKind(i)) {
      all++;
      held += Number(holds(value, i));
    }
  });
  return held / all;
}

/** The flood by what departs from normal, and by the test of all dates, against the truth. */
export async function seriesFacts(ground: Ground): Promise<SeriesScore> {
  const series = new Series(ground);
  const { truth } = series;
  const isOpen = (i: number) => truth[i] === TRUTH.newWater;
  const isStill = (i: number) => series.isStill(i);
  const departure = await series.measure("departure");
  const below = score(
    (i) => departure[i]! < -BEYOND,
    isOpen,
    (i) => !Number.isNaN(departure[i]!) && (isOpen(i) || !isFlood(truth[i]!)),
    departure.length,
  );
  const first = await series.measure("firstAway");
  const changes = await series.omnibus();
  const [count, firstChange] = [changes[OMNIBUS.count]!, changes[OMNIBUS.first]!];
  return {
    iou: below.iou,
    producers: below.producers,
    falseAlarms: shareOf(departure, isStill, (value) => Math.abs(value) > BEYOND),
    firstDay: shareOf(first, isOpen, (value) => value === DAYS[FIRST_FLOODED]! - DAYS[2]!),
    omnibus: {
      found: shareOf(count, isOpen, (value) => value > 0),
      firstDay: shareOf(firstChange, isOpen, (value) => value === DAYS[FIRST_FLOODED]!),
      falseAlarms: shareOf(count, isStill, (value) => value > 0),
    },
  };
}
