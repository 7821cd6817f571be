import type { Window } from "../grid/grid";
import { CLASS_NODATA } from "../raster/block";

/** Cells of each class that are looked at, at the most. */
export const MOST_CELLS = 6000;

/** Cells of one class: those whose keys are the least of all. */
export interface ClassSample {
  label: number;
  /** Cells of the class that were gone through. */
  seen: number;
  keys: Float64Array;
  /** `size` values a cell. */
  values: Float64Array;
}

/** A number from 0 to below 1 that goes with a place: the same whoever asks, in whatever order. */
function keyOf(row: number, col: number): number {
  let x = (Math.imul(row, 0x9e3779b1) ^ Math.imul(col, 0x85ebca6b)) >>> 0;
  x = Math.imul(x ^ (x >>> 16), 0x7feb352d) >>> 0;
  x = Math.imul(x ^ (x >>> 15), 0x846ca68b) >>> 0;
  return ((x ^ (x >>> 16)) >>> 0) / 4294967296;
}

/** Cells of one class that are kept while cells go by. */
class Kept {
  seen = 0;
  keys: number[] = [];
  values: number[] = [];
  /** Cells whose key is no less are left out. */
  private limit = Infinity;

  constructor(private readonly size: number) {}

  /** Whether a cell of this key would be kept as things stand. */
  takes(key: number): boolean {
    return key < this.limit;
  }

  /** Takes a cell whose values the caller has put at the end of `values`. */
  add(key: number): void {
    this.keys.push(key);
    if (this.keys.length >= 2 * MOST_CELLS) {
      this.thin();
    }
  }

  /** Lets all go but those of the least keys. */
  thin(): void {
    if (this.keys.length <= MOST_CELLS) {
      return;
    }
    const { keys, values, size } = this;
    this.limit = Float64Array.from(keys).sort()[MOST_CELLS]!;
    const stay = [...keys.keys()].filter((i) => keys[i]! < this.limit);
    this.keys = stay.map((i) => keys[i]!);
    this.values = stay.flatMap((i) => values.slice(i * size, (i + 1) * size));
  }
}

/**
 * Some thousands of cells of every class of a map, drawn evenly from all that are gone through: which
 * cells they are does not depend on the order, or on how the map is cut.
 */
export class Samples {
  private readonly classes = new Map<number, Kept>();

  /** @param size values a cell */
  constructor(private readonly size: number) {}

  /**
   * Goes through cells. One without a number in some value is counted for its class, and not drawn.
   * @param labels of a window; nodata is left out @param values by value, cells as in `labels`
   */
  add(labels: Uint8Array, values: readonly Float32Array[], { col, row, width }: Window): void {
    for (let i = 0; i < labels.length; i++) {
      const label = labels[i]!;
      if (label === CLASS_NODATA) {
        continue;
      }
      const kept = this.of(label);
      kept.seen++;
      const key = keyOf(row + Math.floor(i / width), col + (i % width));
      if (!kept.takes(key) || values.some((value) => Number.isNaN(value[i]!))) {
        continue;
      }
      for (const value of values) {
        kept.values.push(value[i]!);
      }
      kept.add(key);
    }
  }

  /** Takes what another one found in another part of the map. */
  merge(others: readonly ClassSample[]): void {
    for (const { label, seen, keys, values } of others) {
      const kept = this.of(label);
      kept.seen += seen;
      kept.keys.push(...keys);
      kept.values = [...kept.values, ...values];
      kept.thin();
    }
  }

  /** What was drawn, by label. */
  finish(): ClassSample[] {
    return [...this.classes]
      .sort(([a], [b]) => a - b)
      .map(([label, kept]) => {
        kept.thin();
        const { seen, keys, values } = kept;
        return { label, seen, keys: Float64Array.from(keys), values: Float64Array.from(values) };
      });
  }

  private of(label: number): Kept {
    const kept = this.classes.get(label) ?? new Kept(this.size);
    this.classes.set(label, kept);
    return kept;
  }
}
