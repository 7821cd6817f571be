import type { Grid } from "../grid/grid";
import { latticeCells } from "./lattice";
import type { RangeDoppler } from "./sensor";
import { type LookGeometry, lookGeometry } from "./terrain";

const mixed = (
  first: readonly [number, number],
  second: readonly [number, number],
  share: number,
): [number, number] => [
  first[0] + (second[0] - first[0]) * share,
  first[1] + (second[1] - first[1]) * share,
];

/** A look between two others. */
const between = (first: LookGeometry, second: LookGeometry, share: number): LookGeometry => ({
  flat: first.flat + (second.flat - first.flat) * share,
  perColumnRise: first.perColumnRise + (second.perColumnRise - first.perColumnRise) * share,
  perRowRise: first.perRowRise + (second.perRowRise - first.perRowRise) * share,
  incidence: first.incidence + (second.incidence - first.incidence) * share,
  away: mixed(first.away, second.away, share),
  cellM: mixed(first.cellM, second.cellM, share),
});

type FourLooks = readonly [LookGeometry, LookGeometry, LookGeometry, LookGeometry];

/**
 * Look geometry of ground on the ellipsoid over a grid, known on nodes that are anchored to the
 * grid's corner, so that a place has the same look in whatever window it is asked for. Null where the
 * sensor does not pass.
 */
export class LookNodes {
  /** Cells between nodes. */
  readonly step: number;
  private last: { i: number; j: number; four: FourLooks | null } | null = null;
  private readonly found = new Map<string, LookGeometry | null>();

  /** @param imageCells see `latticeCells` */
  constructor(
    private readonly rd: RangeDoppler,
    private readonly grid: Grid,
    imageCells = 1,
  ) {
    this.step = latticeCells(grid, imageCells);
  }

  private node(i: number, j: number): LookGeometry | null {
    const key = `${i} ${j}`;
    let look = this.found.get(key);
    if (look === undefined) {
      const { rd, grid, step } = this;
      look = lookGeometry(rd, grid, i * step, j * step, 0);
      this.found.set(key, look);
    }
    return look;
  }

  /** The look of the nearest node. */
  nearest(col: number, row: number): LookGeometry | null {
    return this.node(Math.round(col / this.step), Math.round(row / this.step));
  }

  /** The look between the four nodes around a place; the nearest one beside the sensor's reach. */
  at(col: number, row: number): LookGeometry | null {
    const x = col / this.step;
    const y = row / this.step;
    const i = Math.floor(x);
    const j = Math.floor(y);
    const around = this.around(i, j);
    if (!around) {
      return this.nearest(col, row);
    }
    const [upperLeft, upperRight, lowerLeft, lowerRight] = around;
    return between(
      between(upperLeft, upperRight, x - i),
      between(lowerLeft, lowerRight, x - i),
      y - j,
    );
  }

  /** The four nodes around places; null where one of them is not seen. */
  private around(i: number, j: number): FourLooks | null {
    // Places are asked for one beside the other.
    if (this.last?.i !== i || this.last.j !== j) {
      const upper = [this.node(i, j), this.node(i + 1, j)] as const;
      const lower = [this.node(i, j + 1), this.node(i + 1, j + 1)] as const;
      const isSeen = upper[0] && upper[1] && lower[0] && lower[1];
      const four = isSeen ? ([upper[0], upper[1], lower[0], lower[1]] as const) : null;
      this.last = { i, j, four };
    }
    return this.last.four;
  }
}
