import { Workspace } from "../wasm/kernels";
import { unchangedStrength } from "./falseAlarms";

/** Cells around a window that its values depend on. */
export const SMALL_CHANGES_HALO = 18;

/**
 * What is small and changed strongly between two dates: a detector of constant false-alarm rate on
 * the logarithm of the ratio of mean powers (3 x 3 cells, all polarisations together). Each cell is
 * held against eight windows of 11 x 11 cells around it, the nearest cells of which are five away
 * (the guard). Its contrast is what lies between it and the nearest of their means on the way to no
 * change (of those that do not lie across an edge): so what stayed as it was in the midst of a large
 * change did not come, and beside one a thing can still be told from both. The unit is the deviation
 * within the quieter windows (the mean of the second and third least variance; six times as much is
 * an edge, and half of what independent cells of so many looks have is the least), and more where a
 * few bright cells make the mean on both dates, as on a bank, since they have fewer looks than nine;
 * of cells that go together, which know their spread less well, some hundredths are taken off. A
 * thing must end within eight cells: what has half of a cell's contrast and hangs together with it
 * may leave a box of 17 x 17 cells in three cells at most, which the edge of a large change and its
 * corners do not. Of a thing that is found the cells count that reach two thirds of its strongest
 * one.
 *
 * Source: windows behind a guard, Finn & Johnson 1968; quieter windows beside edges, Rohling 1983;
 * their use on log ratios, and what ends within eight cells, are our own.
 *
 * @param before, after power by polarisation, not filtered, with a halo of SMALL_CHANGES_HALO cells;
 * NaN is nodata
 * @param width, height of the cells without the halo
 * @param perCell false alarms a cell that are asked for
 * @param looks of a cell
 * @param out signed strength: ±1 is what unchanged ground reaches at the rate that is asked for,
 * positive is brighter after, and what stays under half of that or is not small is 0; NaN where the
 * cell is nodata or has less than three windows that are half filled
 */
export function smallChanges(
  before: readonly Float32Array[],
  after: readonly Float32Array[],
  width: number,
  height: number,
  { perCell, looks }: { perCell: number; looks: number },
  out: Float32Array,
): void {
  const workspace = Workspace.begin();
  const { kernels } = workspace;
  const bands = before.length;
  const wide = width + 2 * SMALL_CHANGES_HALO;
  const high = height + 2 * SMALL_CHANGES_HALO;
  const cells = wide * high;
  const firsts = workspace.take(bands * cells * 4);
  const seconds = workspace.take(bands * cells * 4);
  const to = workspace.take(width * height * 4);
  const scratch = workspace.take(kernels.smallChangesScratch(wide, high));
  const unit = unchangedStrength(perCell, looks * bands);
  before.forEach((band, k) => workspace.f32(firsts + k * cells * 4, cells).set(band));
  after.forEach((band, k) => workspace.f32(seconds + k * cells * 4, cells).set(band));
  const independent = 2 / (9 * looks * bands);
  kernels.smallChanges(firsts, seconds, bands, wide, high, independent, unit, to, scratch);
  out.set(workspace.f32(to, width * height));
}
