import type { Transitions } from "../change/transitions";
import type { Evaluator } from "../graph/evaluator";
import type { NodeSpec } from "../graph/node";
import { type Window, grow } from "../grid/grid";
import { CLASS_NODATA, labelCells, realCells } from "../raster/block";
import { type Appearance, appearanceOf } from "./appearance";
import { AROUND_CELLS } from "./around";
import { probabilitiesOf } from "./probabilities";
import { type ClassSample, Samples } from "./samples";
import { transitionProbabilities } from "./transitions";

/** Classes, and what they look like. */
export interface LabelledImage {
  labels: NodeSpec;
  values: NodeSpec;
}

/**
 * What the doubt of a map is found from: values that its own classes are looked at in, or, of a from–to
 * map, both classified dates with their pictures.
 */
export type DoubtFrom =
  | { kind: "cells"; values: NodeSpec }
  | { kind: "dates"; transitions: Transitions; before: LabelledImage; after: LabelledImage };

/** The classified images that are looked at: the map, or both dates of a from–to map. */
export const imagesOf = (from: DoubtFrom, map: NodeSpec): LabelledImage[] =>
  from.kind === "cells" ? [{ labels: map, values: from.values }] : [from.before, from.after];

/** Draws cells of every class from windows of an image. */
export async function samplesIn(
  evaluator: Evaluator,
  { labels, values }: LabelledImage,
  windows: readonly Window[],
): Promise<ClassSample[]> {
  const { bands } = await evaluator.info(values);
  const samples = new Samples(bands.length);
  for (const window of windows) {
    const cells = labelCells((await evaluator.read(labels, 0, window)).bands[0]!);
    if (cells.some((label) => label !== CLASS_NODATA)) {
      const block = await evaluator.read(values, 0, window);
      samples.add(cells, block.bands.map(realCells), window);
    }
  }
  return samples.finish();
}

/** How classes look by what was drawn from parts of an image; null where nothing can be told. */
export function appearanceFrom(
  parts: readonly (readonly ClassSample[])[],
  values: number,
): Appearance | null {
  const samples = new Samples(values);
  for (const part of parts) {
    samples.merge(part);
  }
  return appearanceOf(samples.finish(), values);
}

/** A window of a map with the probabilities of its classes. */
export interface DoubtWindow {
  /** The map. */
  labels: Uint8Array;
  /** Labels whose probabilities follow, no class among them. */
  classes: readonly number[];
  /** By class; NaN where the map is nodata. */
  probabilities: Float32Array[];
}

async function probabilitiesAt(
  evaluator: Evaluator,
  { labels, values }: LabelledImage,
  appearance: Appearance,
  window: Window,
) {
  const wide = grow(window, AROUND_CELLS);
  const around = labelCells((await evaluator.read(labels, 0, wide)).bands[0]!);
  const isEmpty = around.every((label) => label === CLASS_NODATA);
  const read = isEmpty ? [] : (await evaluator.read(values, 0, window)).bands.map(realCells);
  return probabilitiesOf(appearance, { labels: around, width: wide.width, values: read });
}

/**
 * Probabilities of a map's classes in a window.
 * @param appearances of the images that are looked at, in their order
 */
export async function doubtIn(
  evaluator: Evaluator,
  { from, map }: { from: DoubtFrom; map: NodeSpec },
  appearances: readonly Appearance[],
  window: Window,
): Promise<DoubtWindow> {
  const labels = labelCells((await evaluator.read(map, 0, window)).bands[0]!);
  const images = imagesOf(from, map);
  const found = [];
  for (const [k, image] of images.entries()) {
    const appearance = appearances[k]!;
    found.push({
      labels: appearance.labels,
      probabilities: await probabilitiesAt(evaluator, image, appearance, window),
    });
  }
  if (from.kind === "cells") {
    return { labels, classes: found[0]!.labels, probabilities: found[0]!.probabilities };
  }
  const both = transitionProbabilities(from.transitions, found[0]!, found[1]!);
  for (const band of both.probabilities) {
    for (let i = 0; i < labels.length; i++) {
      if (labels[i] === CLASS_NODATA) {
        band[i] = NaN;
      }
    }
  }
  return { labels, classes: both.labels, probabilities: both.probabilities };
}
