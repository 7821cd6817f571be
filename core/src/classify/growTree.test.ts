import { Workspace } from "../wasm/kernels";
import { CellRows } from "./cellRows";
import { randomFrom } from "./random";

/** Cells of chance in one band, and the classes that they are of. */
function cellsOf(count: number, classes: number, bins: number, seed: number) {
  const random = randomFrom(seed);
  const any = (below: number) => Math.floor(random() * below);
  const labels = Uint8Array.from({ length: count }, () => any(classes));
  // Classes lie one beside the other, with much between them.
  const at = labels.map((label) => Math.min(255, Math.floor((label * bins) / classes) + any(bins)));
  return { bins: at, labels };
}

/** Gini's impurity of some labels, times how many they are. */
function impurity(labels: readonly number[]): number {
  const counts = new Map<number, number>();
  labels.forEach((label) => counts.set(label, (counts.get(label) ?? 0) + 1));
  return labels.length - [...counts.values()].reduce((sum, n) => sum + n * n, 0) / labels.length;
}

/** The best split by its definition: every bin is tried, and the impurity of both sides summed. */
function bestByTrying(bins: Uint8Array, labels: Uint8Array, least: number) {
  let best = { bin: -1, impurity: Infinity };
  for (let bin = 0; bin < 255; bin++) {
    const below = [...labels].filter((_label, i) => bins[i]! <= bin);
    const above = [...labels].filter((_label, i) => bins[i]! > bin);
    if (below.length >= least && above.length >= least) {
      const sum = impurity(below) + impurity(above);
      best = sum < best.impurity - 1e-9 ? { bin, impurity: sum } : best;
    }
  }
  return best;
}

/** The best split by the kernel, twice: what it needs for its own must be as it was. */
function bestByKernel(bins: Uint8Array, labels: Uint8Array, classes: number, least: number) {
  const workspace = Workspace.begin();
  const { kernels } = workspace;
  const count = bins.length;
  const rows = new CellRows(workspace, count, 1);
  const size = kernels.bestBinScratch(classes);
  const scratch = workspace.take(size);
  const counts = workspace.take(classes * 4);
  const out = workspace.take(16);
  workspace.u8(scratch, size).fill(0);
  const edges = [new Float64Array(255)];
  rows.fill({ bins, labels, bands: 1, classes, edges }, Int32Array.from(bins.keys()));
  kernels.countClasses(rows.at, rows.stride, 1, 0, count, counts, classes);
  const found = [0, 1].map(() => {
    const bin = kernels.bestBin(
      ...([rows.at, rows.stride, 1, 0, count, 0, counts, classes, least, scratch, out] as const),
    );
    return {
      bin,
      impurity: count - workspace.f64(out, 1)[0]!,
      above: workspace.u32(out + 8, 1)[0]!,
    };
  });
  expect(found[1]).toEqual(found[0]);
  expect(workspace.u8(scratch, size).every((byte) => byte === 0)).toBe(true);
  const parts = kernels.partRows(rows.at, rows.stride, 0, count, 0, found[0]!.bin);
  return { ...found[0]!, parts };
}

describe("the best split of a node", () => {
  test.each([
    { count: 400, classes: 2, bins: 40, least: 1 },
    { count: 300, classes: 5, bins: 120, least: 30 },
    { count: 900, classes: 130, bins: 140, least: 1 },
    { count: 7, classes: 8, bins: 200, least: 1 },
  ])("of $count cells and $classes classes is that of trying them all", (one) => {
    const { bins, labels } = cellsOf(one.count, one.classes, one.bins, one.count);
    const { above, parts, ...found } = bestByKernel(bins, labels, one.classes, one.least);
    const known = bestByTrying(bins, labels, one.least);
    expect(found.impurity).toBeCloseTo(known.impurity, 8);
    expect(found.bin).toBe(known.bin);
    expect(above).toBe(Math.min(...[...bins].filter((bin) => bin > found.bin)));
    expect(parts).toBe([...bins].filter((bin) => bin <= found.bin).length);
  });

  test("there is none where all cells lie in one bin, or too few on a side", () => {
    const labels = Uint8Array.of(0, 1, 1, 0);
    expect(bestByKernel(Uint8Array.of(9, 9, 9, 9), labels, 2, 1).bin).toBe(-1);
    expect(bestByKernel(Uint8Array.of(1, 9, 9, 9), labels, 2, 2).bin).toBe(-1);
  });
});
