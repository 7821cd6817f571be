import type { Window } from "@hindglance/core/grid/grid";
import { RunSums } from "@hindglance/core/patches/facts";

/** A row of blocks as one, so that runs of cells can be summed along it. */
interface Strip {
  row: number;
  height: number;
  labels: Uint8Array;
  layers: Float32Array[];
}

/** Sums layers over runs of equal class, from windows that come from the left and from the top. */
export class StripSums {
  private readonly sums = new RunSums();
  private strip: Strip | null = null;

  /** @param width cells of the map across */
  constructor(
    private readonly width: number,
    private readonly layers: number,
  ) {}

  /** @param values by layer; null where the window has none */
  add(labels: Uint8Array, values: readonly Float32Array[] | null, window: Window): void {
    const strip = this.stripAt(window);
    const put = (from: Uint8Array | Float32Array, to: Uint8Array | Float32Array) => {
      for (let r = 0; r < window.height; r++) {
        const row = from.subarray(r * window.width, (r + 1) * window.width);
        to.set(row, r * this.width + window.col);
      }
    };
    put(labels, strip.labels);
    values?.forEach((layer, k) => put(layer, strip.layers[k]!));
  }

  private stripAt({ row, height }: Window): Strip {
    if (this.strip?.row === row) {
      return this.strip;
    }
    this.close();
    const cells = this.width * height;
    const layers = Array.from({ length: this.layers }, () => new Float32Array(cells).fill(NaN));
    this.strip = { row, height, labels: new Uint8Array(cells), layers };
    return this.strip;
  }

  private close(): void {
    const { strip, width } = this;
    for (let r = 0; r < (strip?.height ?? 0); r++) {
      const [from, to] = [r * width, (r + 1) * width];
      this.sums.addRow(
        strip!.labels.subarray(from, to),
        strip!.layers.map((layer) => layer.subarray(from, to)),
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
