import type { Window } from "@hindglance/core/grid/grid";
import { RunSums } from "@hindglance/core/patches/facts";

/** A row of blocks as one, so that runs of cells can be summed along it. */
interface Strip {
  row: number;
  height: number;
  labels: Uint8Array;
  /** Numbers of patches that somebody gave an outline, where the map has any. */
  numbers: Uint32Array | undefined;
  layers: Float32Array[];
}

/** Numbers of patches that somebody gave an outline in whole rows of a map, 0 in none. */
export type NumbersAt = (row: number, height: number) => Promise<Uint32Array>;

/** Sums layers over runs of equal class, from windows that come from the left and from the top. */
export class StripSums {
  private readonly sums = new RunSums();
  private strip: Strip | null = null;

  /**
   * @param width cells of the map across
   * @param numbersAt numbers of patches that somebody gave an outline, by cell of some rows
   */
  constructor(
    private readonly width: number,
    private readonly layers: number,
    private readonly numbersAt: NumbersAt | null,
  ) {}

  /** @param values by layer; null where the window has none */
  async add(
    labels: Uint8Array,
    values: readonly Float32Array[] | null,
    window: Window,
  ): Promise<void> {
    const strip = await this.stripAt(window);
    const put = (from: Uint8Array | Float32Array, to: Uint8Array | Float32Array) => {
      for (let r = 0; r < window.height; r++) {
        const row = from.subarray(r * window.width, (r + 1) * window.width);
        to.set(row, r * this.width + window.col);
      }
    };
    put(labels, strip.labels);
    values?.forEach((layer, k) => put(layer, strip.layers[k]!));
  }

  private async stripAt({ row, height }: Window): Promise<Strip> {
    if (this.strip?.row === row) {
      return this.strip;
    }
    this.close();
    const cells = this.width * height;
    const layers = Array.from({ length: this.layers }, () => new Float32Array(cells).fill(NaN));
    const numbers = await this.numbersAt?.(row, height);
    this.strip = { row, height, labels: new Uint8Array(cells), numbers, layers };
    return this.strip;
  }

  private close(): void {
    const { strip, width } = this;
    for (let r = 0; r < (strip?.height ?? 0); r++) {
      const [from, to] = [r * width, (r + 1) * width];
      this.sums.addRow(
        strip!.labels.subarray(from, to),
        strip!.layers.map((layer) => layer.subarray(from, to)),
        strip!.numbers?.subarray(from, to),
      );
    }
    this.strip = null;
  }

  /** Sums of all runs, from the top. */
  finish(): Float64Array {
    this.close();
    return this.sums.finish();
  }
}
