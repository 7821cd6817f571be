import { isObject } from "@hindglance/core/values";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { type Blob, BlobSource, deleteBlob } from "../db/blobs";
import type { ZonesInspection } from "../db/inspection";
import { type Client, lending } from "../db/pool";
import { type ZoneLayer, createZones, findZonesByFile } from "../db/scenes";
import { addToLedger, touchStudy, updateStudy } from "../db/studies";
import { AppError } from "../errors";
import { areaFrom } from "./studyArea";

/** The features of an uploaded GeoJSON file. A single feature or geometry counts as one. */
async function featuresOf(client: Client, blob: Blob): Promise<ZoneLayer["features"]> {
  const bytes = await new BlobSource(lending(client), blob.id, blob.size).read(0, blob.size);
  return featureCollection(JSON.parse(new TextDecoder().decode(bytes)));
}

type Feature = ZoneLayer["features"]["features"][number];

/** A feature as it was found; what is no object becomes one without a geometry. */
const featureOf = (found: unknown): Feature => {
  const feature = isObject(found) ? found : {};
  return {
    ...feature,
    properties: isObject(feature.properties) ? feature.properties : {},
    geometry: isObject(feature.geometry) ? feature.geometry : {},
  };
};

/**
 * GeoJSON as a collection of features: a collection as it is, a feature or a bare geometry as the
 * only one; null for what is none of these.
 */
export function featureCollectionOf(geojson: unknown): ZoneLayer["features"] | null {
  if (!isObject(geojson)) {
    return null;
  }
  const collection = (features: Feature[]): ZoneLayer["features"] => ({
    type: "FeatureCollection",
    features,
  });
  switch (geojson.type) {
    case "FeatureCollection":
      return Array.isArray(geojson.features) ? collection(geojson.features.map(featureOf)) : null;
    case "Feature":
      return collection([featureOf(geojson)]);
    case "Polygon":
    case "MultiPolygon":
      return collection([featureOf({ type: "Feature", geometry: geojson })]);
    default:
      return null;
  }
}

function featureCollection(geojson: unknown): ZoneLayer["features"] {
  const features = featureCollectionOf(geojson);
  if (!features) {
    throw new AppError(422, "invalid", "The file holds no polygons", "uploadId");
  }
  return features;
}

/** What was found in an upload of polygons. @throws AppError when it is none of this study */
function polygonsOf(blob: Blob | null, studyId: string): { blob: Blob; detail: ZonesInspection } {
  const detail = blob?.detail;
  if (blob?.studyId !== studyId || blob.purpose !== "upload" || detail?.form !== "zones") {
    throw new AppError(422, "invalid", "This upload is not there, or holds no zones", "uploadId");
  }
  return { blob, detail };
}

/** The property of every zone that holds its name. @throws AppError when there is none such */
function nameFieldOf(name: string, detail: ZonesInspection, asked: string | undefined): string {
  const field = asked ?? detail.nameField;
  if (field && detail.nameFields.includes(field)) {
    return field;
  }
  throw new AppError(
    422,
    "invalid",
    field ? `Not every zone of ${name} has a "${field}"` : `The zones of ${name} have no name`,
    "nameField",
    "Every zone needs a property with its name.",
  );
}

/** That a file is in a study as a layer of zones. */
export const alreadyZones = (file: string, zones: string): AppError =>
  new AppError(
    409,
    "alreadyThere",
    `${file} is in this study already, as the zones "${zones}"`,
    "file",
    "Remove them first if they are to be imported anew.",
  );

/**
 * Uploaded polygons become a layer of zones.
 * @throws AppError when they have no name, or the same file is there already
 */
export async function zonesFrom(
  client: Client,
  studyId: string,
  upload: Blob | null,
  said: { name?: string; nameField?: string },
): Promise<ZoneLayer> {
  const { blob, detail } = polygonsOf(upload, studyId);
  const nameField = nameFieldOf(blob.name, detail, said.nameField);
  const twin = await findZonesByFile(client, studyId, blob.sha256!);
  if (twin) {
    throw alreadyZones(blob.name, twin.name);
  }
  const out = await createZones(client, {
    studyId,
    name: said.name ?? blob.name.replace(/\.[^.]+$/, ""),
    fileName: blob.name,
    fileSha256: blob.sha256!,
    nameField,
    features: await featuresOf(client, blob),
  });
  await deleteBlob(client, blob.id);
  await addToLedger(client, studyId, "Zones imported", {
    zones: out.id,
    file: blob.name,
    nameField,
  });
  await touchStudy(client, studyId);
  return out;
}

/** Uploaded polygons become the study area. @throws AppError when they lie off the globe */
export async function areaFromUpload(
  client: Client,
  studyId: string,
  upload: Blob | null,
): Promise<void> {
  const { blob } = polygonsOf(upload, studyId);
  const features = await featuresOf(client, blob);
  const studyArea = areaFrom({ type: "MultiPolygon", coordinates: multiPolygonFrom(features) });
  await updateStudy(client, studyId, { studyArea });
  await deleteBlob(client, blob.id);
  await addToLedger(client, studyId, "Study changed", {
    studyArea,
    file: blob.name,
    sha256: blob.sha256,
  });
}
