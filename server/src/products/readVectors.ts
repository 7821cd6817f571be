import type { OverlayFeatures } from "@hindglance/contract/scenes";
import type { AreaGeometry } from "@hindglance/contract/studies";
import type { Feature } from "@hindglance/core/vector/features";
import { openArchive } from "@hindglance/formats/archive";
import { MemorySource } from "@hindglance/formats/source";
import { onGlobe, systemDoubt } from "@hindglance/formats/vector/onGlobe";
import { openVectorArchive, openVectors } from "@hindglance/formats/vector/openVectors";
import { AppError } from "../errors";
import { areaOfFeatures, requireAreas } from "./studyArea";

const IN_SCENES = "Drop the file in Scenes, where that can be answered.";

const invalid = (message: string, hint: string): AppError =>
  new AppError(422, "invalid", message, "file", hint);

/** Features of a file that says everything of them. @throws AppError, FormatError where it does not */
async function faultless(name: string, bytes: Uint8Array, wanted?: number): Promise<Feature[]> {
  const archive = await openArchive(new MemorySource(bytes));
  const layers = archive
    ? await openVectorArchive(archive, name)
    : await openVectors([{ name, bytes }]);
  const layer = layers[wanted ?? 0];
  if (!layer || (wanted === undefined && layers.length > 1)) {
    const names = layers.map((one) => one.name).join(", ");
    throw invalid(`${name} has ${layers.length} layers: ${names}`, IN_SCENES);
  }
  const doubt = systemDoubt(layer);
  if (doubt) {
    throw invalid(`${name}: ${doubt}`, IN_SCENES);
  }
  const { features, faults } = await onGlobe(layer);
  const [fault] = faults;
  if (fault) {
    throw invalid(
      `Feature ${fault.feature} of ${name} ${fault.said}`,
      "Correct it, or take it out.",
    );
  }
  return features;
}

/**
 * The polygons of a file as one area.
 *
 * @throws AppError where something has to be said of them, or a feature is no polygon
 * @throws FormatError where the file cannot be read
 */
export async function areaIn(name: string, bytes: Uint8Array): Promise<AreaGeometry> {
  const features = await faultless(name, bytes);
  requireAreas(features, name, "file");
  return areaOfFeatures(features);
}

/**
 * The features of a file in longitude and latitude.
 *
 * @param layer which of its layers, counted from 0, where it has several
 * @throws AppError where something has to be said of them
 * @throws FormatError where the file cannot be read
 */
export async function featuresIn(
  name: string,
  bytes: Uint8Array,
  layer: number | undefined,
): Promise<OverlayFeatures> {
  const features = await faultless(name, bytes, layer);
  return {
    type: "FeatureCollection",
    features: features.flatMap(({ properties, geometry }) =>
      geometry ? [{ type: "Feature" as const, properties, geometry }] : [],
    ),
  };
}
