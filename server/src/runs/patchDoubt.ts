import type { Evaluator } from "@hindglance/core/graph/evaluator";
import { sourceNode } from "@hindglance/core/graph/node";
import type { StepState } from "@hindglance/core/graph/step";
import { type Window, grow } from "@hindglance/core/grid/grid";
import { edgeCells } from "@hindglance/core/patches/edges";
import { patchMeans } from "@hindglance/core/patches/facts";
import { type PatchedImage, numbersOf } from "@hindglance/core/patches/overlap";
import { CLASS_NODATA, labelCells, realCells } from "@hindglance/core/raster/block";
import { agreementWith } from "@hindglance/core/review/otherDates";
import type { PatchDoubt } from "../db/doubt";
import type { DoubtParams } from "./countDoubt";
import { joined, sumsFrom } from "./doubtStates";
import type { RangeContext } from "./kind";
import { numbersOfImage, patchedImage } from "./mapPatches";
import { StripSums } from "./stripSums";

/** Layers before those of other dates: certainty, edge, and both dates of the pair. */
const OWN_LAYERS = 4;

const layersOf = ({ others }: DoubtParams): number => OWN_LAYERS + others.length;

/** Sums what patches are doubted by over runs of equal class, from window to window of a range. */
export class DoubtRuns {
  private readonly sums: StripSums;

  constructor(
    private readonly params: DoubtParams,
    private readonly evaluator: Evaluator,
    ctx: RangeContext,
  ) {
    const { patchImageId, info } = params;
    const numbersAt = numbersOfImage(patchImageId ?? null, info.grid, ctx);
    this.sums = new StripSums(info.grid.width, layersOf(params), numbersAt);
  }

  /** Windows come from the left and from the top, row of blocks by row of blocks. */
  async add(labels: Uint8Array, certainty: Float32Array, window: Window): Promise<void> {
    const isThere = labels.some((label) => label !== 0 && label !== CLASS_NODATA);
    const layers = isThere ? [certainty, ...(await this.layersAt(window))] : null;
    await this.sums.add(labels, layers, window);
  }

  /** Edges, both dates and the others in a window. */
  private async layersAt(window: Window): Promise<Float32Array[]> {
    const { mapImageId, pair, others } = this.params;
    const wide = grow(window, 1);
    const around = (await this.evaluator.read(sourceNode(mapImageId), 0, wide)).bands[0]!;
    const layers = [edgeCells(labelCells(around), wide.width)];
    for (const node of [pair.before, pair.after, ...others.map((other) => other.node)]) {
      const { bands } = await this.evaluator.read(node, 0, window);
      layers.push(realCells(bands[0]!));
    }
    return layers;
  }

  finish(): Float64Array {
    return this.sums.finish();
  }
}

/** Doubt of every patch of a map. @param parts what ranges kept, from the top */
export async function doubtOfPatches(
  params: DoubtParams,
  parts: readonly (StepState | null)[],
  ctx: RangeContext,
): Promise<PatchDoubt[]> {
  const { mapImageId, patchImageId, mapInfo, setup, others } = params;
  const cut = { imageId: mapImageId, patchImageId, info: mapInfo, setup };
  const image = await patchedImage(cut, ctx);
  const layers = layersOf(params);
  const means = patchMeans(image.runs, image.labelling, joined(parts.map(sumsFrom)), layers);
  return patchNumbers(image).map((number, k): PatchDoubt => {
    const [certainty, edgeShare, before, after, ...dates] = means.subarray(
      k * layers,
      (k + 1) * layers,
    );
    const seen = dates.map((value, j) => ({ value, isEarlier: others[j]!.isEarlier }));
    return {
      number,
      certainty: Number.isFinite(certainty) ? certainty! : null,
      edgeShare: edgeShare!,
      ...agreementWith(seen, { before: before!, after: after! }),
    };
  });
}

/** Numbers of patches in the order in which their means come. */
const patchNumbers = (image: PatchedImage): number[] =>
  [...numbersOf(image)].filter((number) => number > 0);
