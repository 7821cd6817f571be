import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { fullWindow, levelCount, levelGrid } from "@hindglance/core/grid/grid";
import { realCells } from "@hindglance/core/raster/block";
import type { Stretch } from "@hindglance/core/sheet/paint";

/** A date by bands of it; natural: they are red, green and blue light. */
export interface BandPicture {
  kind: "bands";
  node: NodeSpec;
  bands: readonly number[];
  isNatural: boolean;
}

/** Share of the values of both dates that are cut off at either end of a stretch. */
const CUT = 0.02;
/** Cells of a date that its stretch is told by, at the most. */
const SAMPLE = 4e5;

/** Values of bands of an image at a level that is soon read. */
async function sampled(evaluator: Evaluator, spec: NodeSpec, bands: readonly number[]) {
  const { grid } = await evaluator.info(spec);
  const sizes = Array.from({ length: levelCount(grid.width, grid.height) }, (_v, level) =>
    levelGrid(grid, level),
  );
  const found = sizes.findIndex(({ width, height }) => width * height <= SAMPLE);
  const level = found < 0 ? sizes.length - 1 : found;
  const block = await evaluator.read(spec, level, fullWindow(sizes[level]!));
  return bands.map((band) => realCells(block.bands[band]!));
}

/** Ends between which nearly all values lie. */
function stretchOf(parts: readonly Float32Array[]): Stretch {
  const values = Float32Array.from(
    parts.flatMap((part) => [...part].filter((value) => !Number.isNaN(value))),
  ).sort();
  const at = (share: number) => values[Math.round(share * (values.length - 1))] ?? 0;
  const [lo, hi] = [at(CUT), at(1 - CUT)];
  return hi > lo ? { lo, hi } : { lo: lo - 0.5, hi: hi + 0.5 };
}

/** Stretches of the bands of dates, the same for all of them: what differs on the sheet differs on the ground. */
export async function stretchesOf(
  evaluator: Evaluator,
  dates: readonly BandPicture[],
): Promise<Stretch[]> {
  const parts: Float32Array[][] = [];
  for (const { node, bands } of dates) {
    parts.push(await sampled(evaluator, node, bands));
  }
  const first = dates[0]!;
  // Colours of the light keep their shares: all bands have one stretch.
  return first.isNatural
    ? first.bands.map(() => stretchOf(parts.flat()))
    : first.bands.map((_band, k) => stretchOf(parts.map((own) => own[k]!)));
}
