import { KERNELS } from "./kernels.generated";

/**
 * What the compiled kernels export; addresses and counts are plain numbers. Their contracts stand
 * in core/kernels.
 */
export interface Kernels {
  memory: WebAssembly.Memory;
  heapBase(): number;
  REFINED_SCRATCH: WebAssembly.Global;
  decibels(src: number, out: number, n: number): void;
  logRatios(before: number, after: number, out: number, n: number): void;
  leeStrip(
    src: number,
    width: number,
    height: number,
    size: number,
    looks: number,
    out: number,
    scratch: number,
    gaps: number,
  ): void;
  refinedLeeStrip(
    src: number,
    width: number,
    height: number,
    looks: number,
    out: number,
    scratch: number,
    gaps: number,
  ): void;
  calibrateRow(
    dn: number,
    a0: number,
    a1: number,
    n0: number,
    n1: number,
    share: number,
    noiseShare: number,
    noiseScale: number,
    out: number,
    n: number,
  ): void;
  facetRow(
    x0: number,
    y0: number,
    z0: number,
    x1: number,
    y1: number,
    z1: number,
    hidden: number,
    from: number,
    to: number,
    flat: number,
    columnRise: number,
    rowRise: number,
    out: number,
    left: number,
    top: number,
    width: number,
    height: number,
  ): void;
  hiddenLines(
    slant: number,
    look: number,
    width: number,
    height: number,
    byColumn: number,
    forward: number,
    drift: number,
    firstAlong: number,
    firstAcross: number,
    reach: number,
    out: number,
    scratch: number,
  ): void;
  rangePositions(
    line: number,
    sample: number,
    nx: number,
    ny: number,
    nz: number,
    col: number,
    dx: number,
    i0: number,
    du: number,
    value: number,
    heights: number,
    k0: number,
    perMetre: number,
    cx: number,
    ox: number,
    left: number,
    cy: number,
    oy: number,
    top: number,
    xs: number,
    ys: number,
    n: number,
  ): void;
  sampleCubic(
    src: number,
    width: number,
    height: number,
    xs: number,
    ys: number,
    out: number,
    n: number,
  ): void;
  sampleBilinear(
    src: number,
    width: number,
    height: number,
    xs: number,
    ys: number,
    out: number,
    n: number,
  ): void;
  median3(src: number, width: number, height: number, out: number): void;
  medianScratch(cells: number): number;
  medianTile(
    src: number,
    width: number,
    rows: number,
    size: number,
    out: number,
    scratch: number,
  ): void;
  smallChangesScratch(wide: number, high: number): number;
  smallChanges(
    before: number,
    after: number,
    bands: number,
    wide: number,
    high: number,
    independent: number,
    unit: number,
    out: number,
    scratch: number,
  ): void;
  nearestGroups(
    bands: number,
    bandCount: number,
    middles: number,
    groupCount: number,
    weights: number,
    out: number,
    n: number,
  ): void;
  gaussianScores(
    bands: number,
    bandCount: number,
    classes: number,
    classCount: number,
    scratch: number,
    scores: number,
    stride: number,
    n: number,
  ): void;
  likeliest(scores: number, classCount: number, stride: number, out: number, n: number): void;
  binValues(
    src: number,
    edges: number,
    starts: number,
    base: number,
    scale: number,
    half: number,
    out: number,
    wide: number,
    n: number,
  ): void;
  countClasses(
    rows: number,
    stride: number,
    label: number,
    from: number,
    to: number,
    counts: number,
    classes: number,
  ): void;
  bestBinScratch(classes: number): number;
  bestBin(
    rows: number,
    stride: number,
    label: number,
    from: number,
    to: number,
    band: number,
    counts: number,
    classes: number,
    least: number,
    scratch: number,
    out: number,
  ): number;
  partRows(
    rows: number,
    stride: number,
    from: number,
    to: number,
    band: number,
    bin: number,
  ): number;
  leavesOf(
    rows: number,
    stride: number,
    nodes: number,
    depth: number,
    leaves: number,
    n: number,
  ): void;
  addTree(
    cells: number,
    wide: number,
    top: number,
    levels: number,
    entries: number,
    nodes: number,
    depth: number,
    shares: number,
    quads: number,
    out: number,
    n: number,
  ): void;
  descendBoxes(cells: number, wide: number, boxes: number, inside: number, n: number): void;
  gatherCells(cells: number, wide: number, numbers: number, n: number): void;
  keepUndecided(
    cells: number,
    wide: number,
    sums: number,
    quads: number,
    classes: number,
    numbers: number,
    tops: number,
    gains: number,
    others: number,
    out: number,
    n: number,
  ): number;
  labelByRules(
    rules: number,
    ruleCount: number,
    conditions: number,
    seen: number,
    seenCount: number,
    out: number,
    n: number,
  ): void;
}

const PAGE = 65536;
let shared: Workspace | null = null;

/**
 * The linear memory of this thread's kernels, handed out front to back. One kernel call at a time:
 * each takes what it needs after
 * `begin`, and nothing in it outlives the next `begin`. Never shrinks, so callers work in strips.
 */
export class Workspace {
  private top = 0;
  private constructor(readonly kernels: Kernels) {}

  static begin(): Workspace {
    if (!shared) {
      const bytes = Uint8Array.from(atob(KERNELS), (c) => c.charCodeAt(0));
      shared = new Workspace(
        new WebAssembly.Instance(new WebAssembly.Module(bytes)).exports as unknown as Kernels,
      );
    }
    shared.top = (shared.kernels.heapBase() + 63) & ~63;
    return shared;
  }

  /**
   * Address of `bytes` bytes and some room after them, so that vector loads may reach past the end.
   */
  take(bytes: number): number {
    const at = this.top;
    this.top = (at + bytes + 127) & ~63;
    const short = this.top - this.kernels.memory.buffer.byteLength;
    if (short > 0) {
      this.kernels.memory.grow(Math.ceil(short / PAGE));
    }
    return at;
  }

  /** Views are taken anew after each `take`: growing the memory ends earlier ones. */
  f32(at: number, n: number): Float32Array {
    return new Float32Array(this.kernels.memory.buffer, at, n);
  }
  f64(at: number, n: number): Float64Array {
    return new Float64Array(this.kernels.memory.buffer, at, n);
  }
  u8(at: number, n: number): Uint8Array {
    return new Uint8Array(this.kernels.memory.buffer, at, n);
  }
  u16(at: number, n: number): Uint16Array {
    return new Uint16Array(this.kernels.memory.buffer, at, n);
  }
  u32(at: number, n: number): Uint32Array {
    return new Uint32Array(this.kernels.memory.buffer, at, n);
  }
}

/** Cells of one strip of cell-by-cell work: small enough for the processor's cache. */
const CHUNK = 1 << 12;

/** Cells of one strip of neighbourhood work. */
const STRIP = 1 << 16;

/**
 * Runs cell-by-cell work over any number of cells in chunks. `run` gets the addresses of the
 * inputs, of the output, and the count.
 */
export function inChunks(
  inputs: readonly Float32Array[],
  out: Float32Array,
  run: (kernels: Kernels, src: number[], out: number, n: number) => void,
): void {
  const workspace = Workspace.begin();
  const n = out.length;
  const size = Math.min(n, CHUNK);
  const at = inputs.map(() => workspace.take(size * 4));
  const to = workspace.take(size * 4);
  for (let i = 0; i < n; i += size) {
    const m = Math.min(size, n - i);
    inputs.forEach((input, k) => workspace.f32(at[k]!, m).set(input.subarray(i, i + m)));
    run(workspace.kernels, at, to, m);
    out.set(workspace.f32(to, m), i);
  }
}

/**
 * Runs neighbourhood work over strips of rows.
 * @param src (width + 2·halo) x (height + 2·halo) cells; @param out width x height
 * @param scratchBytes for one strip; `run` gets the address of the strip with its halo, its rows,
 * the output and the scratch
 */
export function inStrips(
  src: Float32Array,
  width: number,
  height: number,
  halo: number,
  out: Float32Array,
  scratchBytes: number,
  run: (kernels: Kernels, src: number, rows: number, out: number, scratch: number) => void,
): void {
  const workspace = Workspace.begin();
  const wide = width + 2 * halo;
  const rows = Math.max(1, Math.min(height, Math.ceil(STRIP / wide)));
  const at = workspace.take(wide * (rows + 2 * halo) * 4);
  const to = workspace.take(width * rows * 4);
  const scratch = workspace.take(scratchBytes);
  for (let r = 0; r < height; r += rows) {
    const m = Math.min(rows, height - r);
    workspace.f32(at, wide * (m + 2 * halo)).set(src.subarray(r * wide, (r + m + 2 * halo) * wide));
    run(workspace.kernels, at, m, to, scratch);
    out.set(workspace.f32(to, width * m), r * width);
  }
}
