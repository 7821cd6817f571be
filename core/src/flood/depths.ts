import type { CellAreas } from "../grid/area";
import type { Window } from "../grid/grid";

/** [zone · 256 + label, m² of known depth, m³ of water, m² whose depth is not known]. */
export type DepthEntry = [key: number, areaM2: number, volumeM3: number, unknownM2: number];

/** Water by zone and class; merges. */
export interface DepthSums {
  zones: number;
  entries: DepthEntry[];
  /** The greatest depth of any cell, metres. */
  deepestM: number;
}

/** Gathers volumes window by window. */
export class DepthTally {
  private readonly found = new Map<number, DepthEntry>();
  private deepestM = 0;

  /** @param zones number of zones; zone 0 is "in no zone" */
  constructor(private readonly zones: number) {}

  /**
   * Adds a window.
   * @param wet labels that are water @param depth metres; NaN where it is not known
   * @param zone by cell; null for all in zone 0
   */
  add(
    labels: Uint8Array,
    wet: ReadonlySet<number>,
    depth: Float32Array,
    zone: Uint16Array | null,
    { col, row, width }: Window,
    areas: CellAreas,
  ): void {
    for (let i = 0; i < labels.length; i++) {
      const label = labels[i]!;
      if (!wet.has(label)) {
        continue;
      }
      const entry = this.entryOf((zone ? zone[i]! : 0) * 256 + label);
      const area = areas.cell(col + (i % width), row + Math.floor(i / width));
      const metres = depth[i]!;
      if (Number.isNaN(metres)) {
        entry[3] += area;
      } else {
        entry[1] += area;
        entry[2] += area * metres;
        this.deepestM = Math.max(this.deepestM, metres);
      }
    }
  }

  merge({ entries, deepestM }: DepthSums): void {
    for (const [key, areaM2, volumeM3, unknownM2] of entries) {
      const own = this.entryOf(key);
      own[1] += areaM2;
      own[2] += volumeM3;
      own[3] += unknownM2;
    }
    this.deepestM = Math.max(this.deepestM, deepestM);
  }

  toJSON(): DepthSums {
    const entries = [...this.found.values()].sort((a, b) => a[0] - b[0]);
    return { zones: this.zones, entries, deepestM: this.deepestM };
  }

  private entryOf(key: number): DepthEntry {
    const entry: DepthEntry = this.found.get(key) ?? [key, 0, 0, 0];
    this.found.set(key, entry);
    return entry;
  }
}

/** Water of some classes in a zone. */
export interface WaterThere {
  areaM2: number;
  volumeM3: number;
  unknownM2: number;
}

/** Sums water over classes. @param zone null: all zones together */
export function waterOf(
  { entries }: Pick<DepthSums, "entries">,
  labels: readonly number[],
  zone: number | null,
): WaterThere {
  const out = { areaM2: 0, volumeM3: 0, unknownM2: 0 };
  for (const [key, areaM2, volumeM3, unknownM2] of entries) {
    if (labels.includes(key % 256) && (zone === null || Math.floor(key / 256) === zone)) {
      out.areaM2 += areaM2;
      out.volumeM3 += volumeM3;
      out.unknownM2 += unknownM2;
    }
  }
  return out;
}
