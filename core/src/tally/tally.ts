import type { CellAreas } from "../grid/area";
import type { Window } from "../grid/grid";
import type { LimitEffect } from "./effects";

/**
 * Cells and ellipsoidal area of each label in each zone; merges, so that it can be gathered block
 * by block.
 */
export class Tally {
  readonly cells: Float64Array;
  readonly areaM2: Float64Array;
  /** @param zones number of zones; zone 0 is "in no zone" */
  constructor(readonly zones: number) {
    this.cells = new Float64Array(256 * zones);
    this.areaM2 = new Float64Array(256 * zones);
  }

  /**
   * Adds a window of labels. Runs of equal label and zone are summed in closed form.
   * @param labels w.width x w.height labels (255 = nodata); @param zone the same size, or null for
   * all in zone 0
   */
  add(
    labels: Uint8Array,
    zone: Uint8Array | Uint16Array | null,
    w: Window,
    areas: CellAreas,
  ): void {
    const { width } = w;
    for (let r = 0; r < w.height; r++) {
      const offset = r * width;
      for (let c = 0; c < width;) {
        const label = labels[offset + c]!;
        const z = zone ? zone[offset + c]! : 0;
        const from = c;
        if (zone) {
          do {
            c++;
          } while (c < width && labels[offset + c] === label && zone[offset + c] === z);
        } else {
          do {
            c++;
          } while (c < width && labels[offset + c] === label);
        }
        const k = z * 256 + label;
        this.cells[k]! += c - from;
        this.areaM2[k]! += areas.run(w.row + r, w.col + from, w.col + c);
      }
    }
  }

  merge(other: TallyData): void {
    for (const [k, cells, area] of other.entries) {
      this.cells[k]! += cells;
      this.areaM2[k]! += area;
    }
  }

  toJSON(): TallyData {
    const entries: [number, number, number][] = [];
    this.cells.forEach((n, k) => {
      if (n > 0) {
        entries.push([k, n, this.areaM2[k]!]);
      }
    });
    return { zones: this.zones, entries };
  }

  static from(tally: TallyData): Tally {
    const t = new Tally(tally.zones);
    t.merge(tally);
    return t;
  }

  of(label: number, zone: number): { cells: number; areaM2: number } {
    const k = zone * 256 + label;
    return { cells: this.cells[k]!, areaM2: this.areaM2[k]! };
  }

  /** Sum over all zones. */
  total(label: number): { cells: number; areaM2: number } {
    let cells = 0;
    let areaM2 = 0;
    for (let z = 0; z < this.zones; z++) {
      cells += this.cells[z * 256 + label]!;
      areaM2 += this.areaM2[z * 256 + label]!;
    }
    return { cells, areaM2 };
  }
}

/**
 * Sparse form: [zone·256 + label, cells, m²]; `limits`: what each limit did on the way to the map,
 * in its order.
 */
export interface TallyData {
  zones: number;
  entries: [number, number, number][];
  limits?: LimitEffect[];
  /** What a second sensor says of the map, where one was asked while it was counted. */
  confirmed?: TallyData;
}
