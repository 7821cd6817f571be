import { utcText } from "@hindglance/core/radar/orbit";
import type { SensorModel } from "@hindglance/core/radar/sensor";
import { FormatError } from "@hindglance/formats/errors";
import { looksLikeGranule } from "@hindglance/formats/optical/granule";
import { looksLikeSafe, readSafe } from "@hindglance/formats/product/safe";
import type { FileSet } from "@hindglance/formats/zip";
import type { ProductInspection, StackInspection, UploadedFiles } from "../../db/inspection";
import { inspectGranule } from "./stack";

/** UTC text of the time in the middle of a scene, whole seconds. */
const middleOf = ({ firstLineT, lines, lineIntervalS }: SensorModel): string =>
  utcText(firstLineT + (lines / 2) * lineIntervalS).replace(/\.\d+Z$/, "Z");

/**
 * What a product says of itself. Tables and geometry are read again when it is imported; here they
 * are only checked.
 * @throws FormatError where it is no product that can be read, or is damaged
 */
export async function inspectProduct(
  set: FileSet,
  files: UploadedFiles,
): Promise<ProductInspection | StackInspection> {
  if (looksLikeGranule(set)) {
    return inspectGranule(set, files);
  }
  if (!looksLikeSafe(set)) {
    throw new FormatError(
      "unsupported",
      "This holds no manifest.safe: radar products in the SAFE layout, granules with their metadata and bands with their metadata text are taken as an archive or folder",
      "Pick single images one by one.",
    );
  }
  const { sensor, luts: _luts, ...product } = await readSafe(set);
  return {
    ...product,
    form: "product",
    files,
    lines: sensor.lines,
    samples: sensor.samples,
    kind: "radar",
    acquiredAt: middleOf(sensor),
  };
}
