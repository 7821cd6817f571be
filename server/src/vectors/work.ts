import type { OverlayFeatures } from "@hindglance/contract/scenes";
import type { AreaGeometry } from "@hindglance/contract/studies";
import type { FoundLayer } from "@hindglance/contract/upload";
import { isRepairable } from "@hindglance/core/vector/check";
import { type Feature, polygonsOf, propertiesOf } from "@hindglance/core/vector/features";
import { repaired } from "@hindglance/core/vector/repair";
import { openArchive } from "@hindglance/formats/archive";
import { FormatError } from "@hindglance/formats/errors";
import { MemorySource } from "@hindglance/formats/source";
import type { VectorLayer } from "@hindglance/formats/vector/layer";
import { onGlobe, systemDoubt } from "@hindglance/formats/vector/onGlobe";
import { openVectorArchive, openVectors } from "@hindglance/formats/vector/openVectors";
import { AppError } from "../errors";
import { areaOfFeatures, requireAreas } from "../products/studyArea";
import { foundIn } from "./found";
import type { Meant, UsableFeatures, VectorFiles, VectorPerformers, VectorReader } from "./tasks";

const IN_SCENES = "Drop the file in Scenes, where that can be answered.";

const invalid = (message: string, field: string, hint?: string): AppError =>
  new AppError(422, "invalid", message, field, hint);

/** Layers of features in files, as they stand there. @throws FormatError where they cannot be read */
async function layersOf({ files, name }: VectorFiles): Promise<VectorLayer[]> {
  const archive = files.length === 1 ? await openArchive(new MemorySource(files[0]!.bytes)) : null;
  return archive ? openVectorArchive(archive, name) : openVectors(files);
}

/** What the layers of files say. @throws FormatError where none of them can be used */
async function look(files: VectorFiles): Promise<FoundLayer[]> {
  const layers: FoundLayer[] = [];
  for (const layer of await layersOf(files)) {
    layers.push(await foundIn(layer));
  }
  if (layers.every(({ refused }) => refused !== null)) {
    throw new FormatError(
      "unsupported",
      `${files.name}: ${layers[0]!.refused}`,
      "Correct that feature, or take it out.",
    );
  }
  return layers;
}

/**
 * Features of a layer in longitude and latitude, mended where that was said.
 * @throws AppError naming a feature that is wrong
 */
async function mendedOf({ name, epsg, repair }: Meant, layer: VectorLayer) {
  const { features, faults } = await onGlobe(layer, epsg);
  const [fatal] = faults.filter((fault) => !isRepairable(fault));
  if (fatal) {
    throw invalid(`Feature ${fatal.feature} of ${name} ${fatal.said}`, "epsg");
  }
  if (faults[0] && !repair) {
    throw invalid(
      `Feature ${faults[0].feature} of ${name} ${faults[0].said}`,
      "repair",
      "Correct it, or say that faults are to be mended.",
    );
  }
  return {
    features: faults.length > 0 ? repaired(features, faults) : features,
    mended: new Set(faults.map(({ feature }) => feature)).size,
  };
}

/** Features as polygons. @throws AppError naming the first that is none, or where there are none */
function polygonsFrom(features: readonly Feature[], name: string): Feature[] {
  requireAreas(features, name, "uploadId");
  if (features.length === 0) {
    throw invalid(`Nothing is left of ${name} once its faults are mended`, "repair");
  }
  return features.map(({ properties, geometry }) => ({
    properties,
    geometry: { type: "MultiPolygon", coordinates: polygonsOf(geometry) },
  }));
}

/** The JSON of a collection of features, a feature at a time. */
function jsonOf(features: readonly Feature[]): Uint8Array {
  const parts = features.map((feature, k) =>
    Buffer.from(`${k === 0 ? "" : ","}${JSON.stringify({ type: "Feature", ...feature })}`),
  );
  return Buffer.concat([
    Buffer.from('{"type":"FeatureCollection","features":['),
    ...parts,
    Buffer.from("]}"),
  ]);
}

/** Features of a layer as what they are meant to be. @throws AppError where they cannot be that */
async function use(meant: Meant): Promise<UsableFeatures> {
  const { as, name, layer } = meant;
  const layers = await layersOf(meant);
  const { features: all, mended } = await mendedOf(meant, layers[layer]!);
  const features = as === "overlay" ? all : polygonsFrom(all, name);
  return {
    json: as === "area" ? new Uint8Array(0) : jsonOf(features),
    count: features.length,
    fields: propertiesOf(features),
    mended,
    area: as === "area" ? areaOfFeatures(features) : null,
  };
}

/** Features of a file that says everything of them. @throws AppError, FormatError where it does not */
async function faultless(files: VectorFiles, wanted?: number): Promise<Feature[]> {
  const { name } = files;
  const layers = await layersOf(files);
  const layer = layers[wanted ?? 0];
  if (!layer || (wanted === undefined && layers.length > 1)) {
    const names = layers.map((one) => one.name).join(", ");
    throw invalid(`${name} has ${layers.length} layers: ${names}`, "file", IN_SCENES);
  }
  const doubt = systemDoubt(layer);
  if (doubt) {
    throw invalid(`${name}: ${doubt}`, "file", IN_SCENES);
  }
  const { features, faults } = await onGlobe(layer);
  const [fault] = faults;
  if (fault) {
    throw invalid(
      `Feature ${fault.feature} of ${name} ${fault.said}`,
      "file",
      "Correct it, or take it out.",
    );
  }
  return features;
}

/** The polygons of a file as one area. @throws AppError where a feature is no polygon */
async function area(files: VectorFiles): Promise<AreaGeometry> {
  const features = await faultless(files);
  requireAreas(features, files.name, "file");
  return areaOfFeatures(features);
}

/** @param layer which of the layers, counted from 0, where there are several */
async function features({
  layer,
  ...files
}: VectorFiles & { layer?: number }): Promise<OverlayFeatures> {
  const all = await faultless(files, layer);
  return {
    type: "FeatureCollection",
    features: all.flatMap(({ properties, geometry }) =>
      geometry ? [{ type: "Feature" as const, properties, geometry }] : [],
    ),
  };
}

/** What does each kind of task with files of features. */
export const PERFORMERS: VectorPerformers = { look, use, area, features };

/** Reads files where it is asked, in workers and tests; the server has a process for it. */
export const readHere: VectorReader = {
  run: async (kind, prepare) => PERFORMERS[kind](await prepare()),
};
