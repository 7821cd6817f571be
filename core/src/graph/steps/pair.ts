import { InputError } from "../../errors";
import type { ImageInfo } from "../image";
import { requireOneGrid } from "./common";

/**
 * Both dates with the same real-valued bands in the same order. @throws InputError naming what
 * differs
 */
export function requirePair(
  title: string,
  inputs: readonly ImageInfo[],
): { before: ImageInfo; after: ImageInfo } {
  requireOneGrid(title, inputs);
  const before = inputs[0]!;
  const after = inputs[1]!;
  if (before.type !== "float32" || after.type !== "float32") {
    throw new InputError(`${title} takes real-valued bands`, "inputs");
  }
  if (before.bands.length !== after.bands.length) {
    throw new InputError(
      `${title} takes the same bands on both dates, not ${before.bands.length} and ${after.bands.length}`,
      "bands",
    );
  }
  before.bands.forEach((band, k) => {
    const a = after.bands[k]!;
    if (a.unit !== band.unit || a.role !== band.role) {
      throw new InputError(
        `${title}: ${band.name} is ${band.unit || band.role} before and ${a.unit || a.role} after`,
        "bands",
        "Prepare both dates alike.",
      );
    }
  });
  return { before, after };
}

/** One band of change on the grid of an image. */
export const changeBand = (info: ImageInfo, name: string, unit: string): ImageInfo => ({
  grid: info.grid,
  type: "float32",
  bands: [{ name, unit, role: "change" }],
});
