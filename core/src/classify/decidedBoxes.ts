import { GROUP } from "./binGroups";
import { MOST_BINS } from "./bins";
import { type Box, BoxSurvey, type Cut } from "./boxSurvey";
import type { Forest } from "./forest";

/**
 * Cells that must have come to a box before it is looked at whether it can be decided; twice as many after
 * each so many boxes, since one more among many spares less than it costs.
 */
const VISITS = 64;
const BOXES_TO_TWICE = 1 << 13;

/** Boxes at the most. */
const MOST_BOXES = 1 << 15;

/** What rounding of sums may have moved a difference by. */
export const ROUNDED = 1e-3;

/** Share of the trees that must have one leaf for a whole box before all leaves of the others are looked at. */
const PROMISING = 0.1;

/** Verdict of a box that is not looked at any more. */
const LEFT_ALONE = -1;

/**
 * Boxes of the space of bins in which a forest has one class for all cells, whatever leaves they end in:
 * the least that its trees say for that class is more than the most that they say for any other. A cell
 * in such a box has its class without a walk through the trees; in another one, it is known by how much
 * the trees that are left can change what those before them say. Boxes are found as cells come: one that
 * many came to is decided, or cut in two where the most trees part its cells.
 */
export class DecidedBoxes {
  /** The tree of boxes as the kernel reads it: step to the band and bin of the cut, and the left child. */
  readonly nodes = new Uint32Array(2 * MOST_BOXES);
  /** The class of a box, counted from 1; not above nought where it is not known. */
  readonly verdicts = new Int16Array(MOST_BOXES);
  /** The class that is likely in a box, from nought. */
  readonly tops = new Uint8Array(MOST_BOXES);
  /** By box and look: what another class may still gain on that one. */
  readonly gains: Float32Array;
  private readonly visits = new Uint16Array(MOST_BOXES);
  private enough = VISITS;
  /** By box the first and then the last bins. */
  private readonly limits: Uint8Array;
  private readonly survey: BoxSurvey;
  private made = 1;
  private ripe: number[] = [];

  /** @param looks numbers of trees after which is looked which cells are decided, ascending from nought */
  constructor(
    private readonly forest: Forest,
    readonly looks: readonly number[],
  ) {
    const bands = forest.bins.length;
    this.survey = new BoxSurvey(forest, looks);
    this.gains = new Float32Array(MOST_BOXES * looks.length);
    this.gains.set(looks.map((trees) => forest.trees.length - trees));
    this.limits = new Uint8Array(MOST_BOXES * 2 * bands);
    this.boxAt(0).high.fill(MOST_BINS - 1);
    this.setNode(0, 0, MOST_BINS - 1, 0);
  }

  /** How many there are. */
  get count(): number {
    return this.made;
  }

  /** The bins of a box; others written there become its. */
  boxAt(box: number): Box {
    const bands = this.forest.bins.length;
    const at = box * 2 * bands;
    return {
      low: this.limits.subarray(at, at + bands),
      high: this.limits.subarray(at + bands, at + 2 * bands),
    };
  }

  /** Says that one more cell has come to a box that is not cut. */
  visit(box: number): void {
    const { verdicts, visits } = this;
    if (verdicts[box] === 0 && ++visits[box]! === this.enough) {
      this.ripe.push(box);
    }
  }

  /** Decides or cuts the boxes that many cells came to; whether any was cut. */
  grow(): boolean {
    const { ripe } = this;
    this.ripe = [];
    return ripe.reduce((isCut, box) => this.lookAt(box) || isCut, false);
  }

  /** Decides a box, or cuts it, or leaves it alone; whether it was cut. */
  private lookAt(box: number): boolean {
    const { survey } = this;
    const own = this.boxAt(box);
    const trees = this.forest.trees.length;
    survey.begin(own);
    const { top, gains } = survey.outlook(own, survey.settled >= PROMISING * trees);
    this.tops[box] = top;
    this.gains.set(gains, box * this.looks.length);
    const isDecided = gains[0]! < -ROUNDED;
    if (isDecided || survey.settled === trees || this.made + 2 > MOST_BOXES) {
      this.verdicts[box] = isDecided ? top + 1 : LEFT_ALONE;
      return false;
    }
    this.cut(box, survey.cut());
    return true;
  }

  private cut(box: number, { band, bin }: Cut): void {
    const own = this.boxAt(box);
    const left = this.made;
    this.made += 2;
    this.enough = VISITS << Math.floor(this.made / BOXES_TO_TWICE);
    this.setNode(box, band * GROUP, bin, left);
    const looks = this.looks.length;
    for (const child of [left, left + 1]) {
      this.setNode(child, 0, MOST_BINS - 1, child);
      this.boxAt(child).low.set(own.low);
      this.boxAt(child).high.set(own.high);
      // What holds in a box holds in a part of it.
      this.tops[child] = this.tops[box]!;
      this.gains.copyWithin(child * looks, box * looks, (box + 1) * looks);
    }
    this.boxAt(left).high[band] = bin;
    this.boxAt(left + 1).low[band] = bin + 1;
  }

  /** One that is not cut leads to itself. */
  private setNode(box: number, step: number, bin: number, left: number): void {
    this.nodes[2 * box] = step | (bin << 16);
    this.nodes[2 * box + 1] = 8 * left;
  }
}
