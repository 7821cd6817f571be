import type { FoundLayer } from "@hindglance/contract/upload";
import type { Overlay } from "@hindglance/contract/scenes";
import { propertiesOf } from "@hindglance/core/vector/features";
import { type Blob, deleteBlobs, holdBlob, setBlobDetail } from "../db/blobs";
import { type VectorsInspection, filesOf } from "../db/inspection";
import { createOverlay, listOverlays } from "../db/overlays";
import type { Client, Lender } from "../db/pool";
import { type ZoneLayer, type Zones, createZones, findZonesByFile } from "../db/scenes";
import { addToLedger, touchStudy, updateStudy } from "../db/studies";
import { AppError } from "../errors";
import type { UsableFeatures, VectorReader, VectorUse } from "../vectors/tasks";
import { vectorFilesOf } from "./inspect/vectors";

/** What a person says of features in a file beyond what the file says. */
export interface SaidOfVectors {
  layer?: number;
  epsg?: number;
  repair?: boolean;
  name?: string;
}

/** What features are read with. */
export interface VectorServices {
  db: Lender;
  vectors: VectorReader;
}

/** Features that are used, with the file that they came in. */
export interface Used {
  blob: Blob;
  detail: VectorsInspection;
  layer: FoundLayer;
  /** The layer among those of the file. */
  number: number;
  found: UsableFeatures;
  /** What was said of them, for the ledger. */
  answers: { layer?: string; epsg?: number; repaired?: number };
}

const invalid = (message: string, field: string, hint?: string): AppError =>
  new AppError(422, "invalid", message, field, hint);

/** An upload of features. @throws AppError when it is none of this study */
function uploadOf(blob: Blob | null, studyId: string): { blob: Blob; detail: VectorsInspection } {
  const detail = blob?.detail;
  if (blob?.studyId !== studyId || blob.purpose !== "upload" || detail?.form !== "vectors") {
    throw invalid("This upload is not there, or holds no features", "uploadId");
  }
  return { blob, detail };
}

/** Which of the layers is used. @throws AppError where that has to be said */
function layerNumber({ layers, name }: VectorsInspection, asked: number | undefined): number {
  const number = asked ?? (layers.length === 1 ? 0 : undefined);
  if (number !== undefined && layers[number]?.taken) {
    throw new AppError(
      409,
      "alreadyThere",
      `${layers[number].name} of ${name} was imported already`,
    );
  }
  if (number === undefined || !layers[number]) {
    throw invalid(
      `${name} has ${layers.length} layers: ${layers.map((layer) => layer.name).join(", ")}`,
      "layer",
      "Say which of them to take.",
    );
  }
  return number;
}

/**
 * Features of an upload in longitude and latitude, as a person says that they are. Nothing is held
 * in the database meanwhile: it may take long.
 *
 * @throws AppError where the layer, its system, or whether faults may be mended has to be said, or
 * the features cannot be what they are meant to be
 * @throws FormatError where the files cannot be read, or the system is not known
 */
export async function readUpload(
  { db, vectors }: VectorServices,
  studyId: string,
  upload: Blob | null,
  said: SaidOfVectors,
  as: VectorUse,
): Promise<Used> {
  const { blob, detail } = uploadOf(upload, studyId);
  const number = layerNumber(detail, said.layer);
  const layer = detail.layers[number]!;
  if (layer.noSystem && said.epsg === undefined) {
    throw invalid(layer.noSystem, "epsg", "Give the EPSG code of its coordinates.");
  }
  const { epsg, repair } = said;
  const found = await vectors.run("use", async () => ({
    ...(await vectorFilesOf(db, detail.files, detail.name)),
    ...{ as, layer: number, epsg, repair },
  }));
  return {
    ...{ blob, detail, layer, number, found },
    answers: {
      ...(detail.layers.length > 1 ? { layer: layer.name } : {}),
      ...(epsg ? { epsg } : {}),
      ...(found.mended > 0 ? { repaired: found.mended } : {}),
    },
  };
}

/**
 * What was read of an upload, if that is still to be taken.
 * @throws AppError where somebody took it, or left it out, meanwhile
 */
async function stillThere(client: Client, studyId: string, used: Used): Promise<Used> {
  const { blob, detail } = uploadOf(await holdBlob(client, used.blob.id), studyId);
  return { ...used, blob, detail, layer: detail.layers[layerNumber(detail, used.number)]! };
}

/** The property of every zone that holds its name. @throws AppError when there is none such */
function nameFieldOf({ layer, detail }: Used, asked: string | undefined): string {
  const field = asked ?? layer.nameField;
  if (field && layer.nameFields.includes(field)) {
    return field;
  }
  throw invalid(
    field
      ? `Not every zone of ${detail.name} has a "${field}"`
      : `The zones of ${detail.name} have no name`,
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

/** Name of a file without its ending, and the layer's where it has several. */
const nameFor = ({ detail, layer }: Used): string => {
  const stem = detail.name.replace(/\.[^.]+$/, "");
  return detail.layers.length > 1 ? layer.name : stem;
};

/**
 * The files of an upload go once their features are kept; those of several layers stay until each is
 * taken, or a person leaves them out.
 */
async function forget(client: Client, { blob, detail, layer }: Used): Promise<void> {
  const layers = detail.layers.map((one) => (one === layer ? { ...one, taken: true } : one));
  if (layers.some(({ taken, refused }) => !taken && !refused)) {
    await setBlobDetail(client, blob.id, { ...detail, layers });
    return;
  }
  await deleteBlobs(client, filesOf(detail));
}

/**
 * Uploaded polygons become a layer of zones.
 * @throws AppError when they have no name, or the same file is there already
 */
export async function zonesFrom(
  client: Client,
  studyId: string,
  read: Used,
  said: SaidOfVectors & { nameField?: string },
): Promise<ZoneLayer> {
  const used = await stillThere(client, studyId, read);
  const { blob, detail, answers, found } = used;
  const nameField = nameFieldOf(used, said.nameField);
  const twin =
    detail.layers.length > 1 ? null : await findZonesByFile(client, studyId, blob.sha256!);
  if (twin) {
    throw alreadyZones(blob.name, twin.name);
  }
  const out = await createZones(client, {
    studyId,
    name: said.name ?? nameFor(used),
    fileName: detail.name,
    fileSha256: blob.sha256!,
    nameField,
    count: found.count,
    features: found.json,
  });
  await forget(client, used);
  const { name: file } = detail;
  await addToLedger(client, studyId, "Zones imported", {
    zones: out.id,
    name: out.name,
    file,
    sha256: blob.sha256,
    nameField,
    ...answers,
  });
  await touchStudy(client, studyId);
  return out;
}

/**
 * Uploaded polygons become the study area: all that is in any of them, once. @throws AppError when
 * they are none, or lie off the globe
 */
export async function areaFromUpload(client: Client, studyId: string, read: Used): Promise<void> {
  const used = await stillThere(client, studyId, read);
  const studyArea = used.found.area;
  await updateStudy(client, studyId, { studyArea });
  await forget(client, used);
  await addToLedger(client, studyId, "Study changed", {
    studyArea,
    file: used.detail.name,
    sha256: used.blob.sha256,
    ...used.answers,
  });
}

/** Colours that overlays get one after another, apart from those of water, fire and the study area. */
const COLOURS = ["#e8c25a", "#7fd1c7", "#d38cd9", "#f0936b", "#9cc95f", "#8fb3ff"];

/**
 * Uploaded features are laid over every map; they change no number. @throws AppError where they
 * cannot be used, or have no such property to write beside them
 */
export async function overlayFrom(
  client: Client,
  studyId: string,
  read: Used,
  said: SaidOfVectors & { labelField?: string | null; color?: string },
): Promise<Overlay> {
  const used = await stillThere(client, studyId, read);
  const { found, detail, blob, answers } = used;
  const { fields, count } = found;
  const labelField = said.labelField ?? null;
  if (labelField !== null && !fields.includes(labelField)) {
    throw invalid(`No feature of ${detail.name} has a "${labelField}"`, "labelField");
  }
  const out = await createOverlay(client, COLOURS, {
    studyId,
    name: said.name ?? nameFor(used),
    fileName: detail.name,
    fileSha256: blob.sha256!,
    color: said.color ?? null,
    labelField,
    ...{ fields, count },
    features: found.json,
  });
  await forget(client, used);
  const { name: file } = detail;
  await addToLedger(client, studyId, "Overlay added", { overlay: out.id, file, ...answers });
  await touchStudy(client, studyId);
  return out;
}

/**
 * Zones are laid over every map too, with their names beside them. @throws AppError 409 where they
 * are already
 */
export async function overlayOfZones(client: Client, zones: Zones): Promise<Overlay> {
  const { studyId, name, fileName, fileSha256, nameField, polygons } = zones;
  const others = await listOverlays(client, studyId);
  if (others.some((one) => one.fileSha256 === fileSha256 && one.name === name)) {
    throw new AppError(409, "alreadyThere", `${name} lies over the maps already`);
  }
  const out = await createOverlay(client, COLOURS, {
    ...{ studyId, name, fileName, fileSha256 },
    color: null,
    labelField: nameField,
    fields: propertiesOf(polygons),
    count: polygons.length,
    features: Buffer.from(JSON.stringify({ type: "FeatureCollection", features: polygons })),
  });
  await addToLedger(client, studyId, "Overlay added", { overlay: out.id, file: fileName });
  await touchStudy(client, studyId);
  return out;
}
