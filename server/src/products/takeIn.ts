import { type UploadDetail, saysEverything } from "@hindglance/contract/upload";

import { findWaiting, holdArrivals } from "../db/arriving";
import { type Blob, deleteBlobs } from "../db/blobs";
import { type Client, lending } from "../db/pool";
import { findAcquisition, findTwin, findZonesByFile } from "../db/scenes";
import { AppError } from "../errors";

import { sceneFrom } from "./scenes/sceneFrom";
import { type Inspection, filesOf } from "../db/inspection";
import { type Used, type VectorServices, alreadyZones, readUpload, zonesFrom } from "./vectors";
import type { Submit } from "./plans";
import { SCENE_KINDS, type SceneKind } from "@hindglance/core/scene/kinds";

const isKind = (kind: string | null | undefined): kind is SceneKind =>
  SCENE_KINDS.some((known) => known === kind);

/** What an upload that says everything is imported as; null where a person has to say. */
function kindOf(detail: UploadDetail): SceneKind | null {
  if (detail.form === "product") {
    return "radar";
  }
  if (detail.form === "stack") {
    return "optical";
  }
  return isKind(detail.kind) ? detail.kind : null;
}

/**
 * Features that become zones without a question, read before anything is held in the database; null
 * for all else. @throws what is wrong with them
 */
export async function readAhead(
  services: VectorServices,
  blob: Blob,
  detail: UploadDetail & Inspection,
): Promise<Used | null> {
  const { studyId } = blob;
  return studyId && detail.form === "vectors" && saysEverything(detail)
    ? readUpload(services, studyId, { ...blob, purpose: "upload", detail }, {}, "zones")
    : null;
}

/**
 * Imports a file that says all of itself as soon as it has arrived, so that it does not matter
 * whether the page that sent it is still open. A file that asks for something stays an upload.
 * @param read what `readAhead` found in it
 * @returns whether it was taken in
 * @throws AppError when it is in the study already, or what it says cannot be used
 */
export async function takeIn(
  submit: Submit,
  client: Client,
  studyId: string,
  blob: Blob,
  detail: UploadDetail,
  read: Used | null,
): Promise<boolean> {
  if (!saysEverything(detail) || detail.form === "orbit") {
    return false;
  }
  if (read) {
    await zonesFrom(client, studyId, read, {});
    return true;
  }
  const kind = kindOf(detail);
  if (!kind) {
    return false;
  }
  await requireNoTwin(client, studyId, blob);
  await sceneFrom({ db: lending(client), submit }, client, studyId, blob, { kind });
  return true;
}

const hasTransform = ({ detail }: Pick<Blob, "detail">): boolean =>
  detail?.form === "raster" && !!(detail.grid ?? detail.transform);

/** A file as its sender names it. */
interface Named {
  name: string;
  sha256: string | null;
}

const alreadyScene = (file: string, scene: string): AppError =>
  new AppError(
    409,
    "alreadyThere",
    `${file} is in this study already, as "${scene}"`,
    "file",
    "Remove that scene first if the file is to be imported anew.",
  );

const alreadyWaits = (file: string, waiting: string): AppError =>
  new AppError(
    409,
    "alreadyThere",
    `${file} has arrived already${waiting === file ? "" : `, as ${waiting}`}, and waits for an answer`,
    "file",
    "Answer there, or leave that one out and try this one again.",
  );

/**
 * @throws AppError 409 when a scene of the study was made of the very same file, or of the same
 * acquisition in other files
 */
export async function requireNoTwin(client: Client, studyId: string, blob: Blob): Promise<void> {
  const twin = blob.sha256 ? await findTwin(client, studyId, blob.sha256) : null;
  // A picture that had no position may come again with one, from a world file beside it.
  const isPlacedNow = !!twin?.crs?.startsWith("PICTURE:") && hasTransform(blob);
  if (twin && !isPlacedNow) {
    throw alreadyScene(blob.name, twin.name);
  }
  const { detail } = blob;
  const again = detail?.form === "product" ? await findAcquisition(client, studyId, detail) : null;
  if (again) {
    throw new AppError(
      409,
      "alreadyThere",
      `${blob.name} holds what is in this study already as "${again.name}", from ${again.fileName}: the same acquisition to the microsecond`,
      "file",
      "Remove that scene first if this file is to take its place.",
    );
  }
}

/**
 * Of two uploads of the same bytes that are looked at together one is seen by the other.
 * @throws AppError 409 when the very same file has arrived already and waits to be answered
 */
export async function requireNoneWaits(client: Client, studyId: string, blob: Blob): Promise<void> {
  await holdArrivals(client, studyId);
  const twin = await findWaiting(client, studyId, blob);
  // A picture without a position gives way to the same one with its world file.
  if (twin && !hasTransform(twin) && hasTransform(blob)) {
    await deleteBlobs(client, [twin.id, ...filesOf(twin.detail)]);
  } else if (twin) {
    throw alreadyWaits(blob.name, twin.name);
  }
}

/** What a study has of a file's bytes, in words; null where it has nothing of them. */
export async function knownIn(
  client: Client,
  studyId: string,
  { name, sha256 }: Named,
): Promise<string | null> {
  if (!sha256) {
    return null;
  }
  const scene = await findTwin(client, studyId, sha256);
  if (scene) {
    return `${alreadyScene(name, scene.name).message}.`;
  }
  const zones = await findZonesByFile(client, studyId, sha256);
  if (zones) {
    return `${alreadyZones(name, zones.name).message}.`;
  }
  const waiting = await findWaiting(client, studyId, { sha256 });
  return waiting && `${alreadyWaits(name, waiting.name).message}.`;
}
