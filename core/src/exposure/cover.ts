import type { CellAreas } from "../grid/area";
import { CLASS_NODATA } from "../raster/block";
import type { MapPart } from "./people";

/** Area of a class of land cover in a class and a zone of a map. */
export interface CoverSum {
  zone: number;
  label: number;
  cover: number;
  cells: number;
  areaM2: number;
}

const SIZE = 256;

/** Areas of land cover by zone and class of a map; merges, so that it can be gathered part by part. */
export class CoverTally {
  private readonly sums = new Map<number, CoverSum>();

  /** @param covers of the cells of the part; cells that the map did not see are left out */
  add({ window, labels, zones }: MapPart, covers: Uint8Array, areas: CellAreas): void {
    const { width } = window;
    for (let r = 0; r < window.height; r++) {
      const end = (r + 1) * width;
      for (let k = r * width; k < end;) {
        const begun = k;
        do {
          k++;
        } while (
          k < end &&
          labels[k] === labels[begun] &&
          covers[k] === covers[begun] &&
          (zones === null || zones[k] === zones[begun])
        );
        const label = labels[begun]!;
        if (label !== CLASS_NODATA) {
          const from = window.col + begun - r * width;
          this.put({
            ...{ zone: zones ? zones[begun]! : 0, label, cover: covers[begun]! },
            ...{ cells: k - begun, areaM2: areas.run(window.row + r, from, from + k - begun) },
          });
        }
      }
    }
  }

  private put(sum: CoverSum): void {
    const key = (sum.zone * SIZE + sum.label) * SIZE + sum.cover;
    const known = this.sums.get(key);
    if (known) {
      known.cells += sum.cells;
      known.areaM2 += sum.areaM2;
    } else {
      this.sums.set(key, { ...sum });
    }
  }

  merge(others: readonly CoverSum[]): void {
    others.forEach((sum) => this.put(sum));
  }

  toJSON(): CoverSum[] {
    return [...this.sums.values()].sort(
      (a, b) => a.zone - b.zone || a.label - b.label || a.cover - b.cover,
    );
  }
}
