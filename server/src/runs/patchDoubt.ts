import type { Evaluator } from "@hindglance/core/graph/evaluator";
import { sourceNode } from "@hindglance/core/graph/node";
import type { StepState } from "@hindglance/core/graph/step";
import { type Window, grow } from "@hindglance/core/grid/grid";
import { edgeCells } from "@hindglance/core/patches/edges";
import { RunSums, patchMeans } from "@hindglance/core/patches/facts";
import { type PatchedImage, numbersOf } from "@hindglance/core/patches/overlap";
import { CLASS_NODATA, labelCells, realCells } from "@hindglance/core/raster/block";
import { agreementWith } from "@hindglance/core/review/otherDates";
import type { PatchDoubt } from "../db/doubt";
import type { DoubtParams } from "./countDoubt";
import { sumsFrom } from "./doubtStates";
import type { RangeContext } from "./kind";
import { patchedImage } from "./mapPatches";

/** Layers before those of other dates: certainty, edge, and both dates of the pair. */
const OWN_LAYERS = 4;

const layersOf = ({ others }: DoubtParams): number => OWN_LAYERS + others.length;

/** A row of blocks as one, so that runs of cells can be summed along it. */
interface Strip {
  row: number;
  height: number;
  labels: Uint8Array;
  layers: Float32Array[];
}

/** Sums what patches are doubted by over runs of equal class, from window to window of a range. */
export class DoubtRuns {
  private readonly sums = new RunSums();
  private strip: Strip | null = null;
  private readonly width: number;

  constructor(
    private readonly params: DoubtParams,
    private readonly evaluator: Evaluator,
  ) {
    this.width = params.info.grid.width;
  }

  /** Windows come from the left and from the top, row of blocks by row of blocks. */
  async add(labels: Uint8Array, certainty: Float32Array, window: Window): Promise<void> {
    const strip = this.stripAt(window);
    const put = (from: Uint8Array | Float32Array, to: Uint8Array | Float32Array) => {
      for (let r = 0; r < window.height; r++) {
        const row = from.subarray(r * window.width, (r + 1) * window.width);
        to.set(row, r * this.width + window.col);
      }
    };
    put(labels, strip.labels);
    if (labels.some((label) => label !== 0 && label !== CLASS_NODATA)) {
      const read = await this.layersAt(window);
      [certainty, ...read].forEach((layer, k) => put(layer, strip.layers[k]!));
    }
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

  private stripAt({ row, height }: Window): Strip {
    if (this.strip?.row === row) {
      return this.strip;
    }
    this.close();
    const cells = this.width * height;
    const layers = Array.from({ length: layersOf(this.params) }, () =>
      new Float32Array(cells).fill(NaN),
    );
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

  finish(): Float64Array {
    this.close();
    return this.sums.finish();
  }
}

function joined(parts: readonly Float64Array[]): Float64Array {
  const out = new Float64Array(parts.reduce((sum, part) => sum + part.length, 0));
  parts.reduce((at, part) => {
    out.set(part, at);
    return at + part.length;
  }, 0);
  return out;
}

/** Doubt of every patch of a map. @param parts what ranges kept, from the top */
export async function doubtOfPatches(
  params: DoubtParams,
  parts: readonly (StepState | null)[],
  ctx: RangeContext,
): Promise<PatchDoubt[]> {
  const { mapImageId, mapInfo, setup, others } = params;
  const image = await patchedImage({ imageId: mapImageId, info: mapInfo, setup }, ctx);
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
