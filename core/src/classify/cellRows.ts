import type { Workspace } from "../wasm/kernels";

/** Training cells as trees read them. */
export interface Cells {
  /** Bins by cell, band after band. */
  bins: Uint8Array;
  bands: number;
  /** By band: the edges between its bins. */
  edges: readonly Float64Array[];
  labels: Uint8Array;
  classes: number;
}

/** Some of the cells in the kernels' memory: a row each of its bins and its class. */
export class CellRows {
  /** Where the first row begins. */
  readonly at: number;
  /** Bytes of a row: a byte each, and what is missing to eight. */
  readonly stride: number;

  constructor(
    private readonly workspace: Workspace,
    private readonly count: number,
    bands: number,
  ) {
    this.stride = 8 * Math.ceil((bands + 1) / 8);
    this.at = workspace.take(count * this.stride);
  }

  /** @param chosen numbers of as many cells as there is room for, some of them perhaps twice */
  fill({ bins, bands, labels }: Cells, chosen: Int32Array): void {
    const { stride, count } = this;
    const rows = this.workspace.u8(this.at, count * stride);
    for (let i = 0; i < count; i++) {
      const cell = chosen[i]!;
      const row = i * stride;
      for (let band = 0; band < bands; band++) {
        rows[row + band] = bins[cell * bands + band]!;
      }
      rows[row + bands] = labels[cell]!;
    }
  }
}
