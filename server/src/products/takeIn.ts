import { type UploadDetail, saysEverything } from "@hindglance/contract/upload";

import type { Blob } from "../db/blobs";
import type { Client, Database } from "../db/pool";
import { findTwin } from "../db/scenes";
import { AppError } from "../errors";

import { sceneFrom } from "./scenes/sceneFrom";
import { zonesFrom } from "./zones";
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
 * Imports a file that says all of itself as soon as it has arrived, so that it does not matter
 * whether the page that sent it is still open. A file that asks for something stays an upload.
 * @returns whether it was taken in
 * @throws AppError when it is in the study already, or what it says cannot be used
 */
export async function takeIn(
  { db, submit }: { db: Database; submit: Submit },
  client: Client,
  studyId: string,
  blob: Blob,
  detail: UploadDetail,
): Promise<boolean> {
  if (!saysEverything(detail) || detail.form === "orbit") {
    return false;
  }
  if (detail.form === "zones") {
    await zonesFrom(db, client, studyId, blob, {});
    return true;
  }
  const kind = kindOf(detail);
  if (!kind) {
    return false;
  }
  await requireNoTwin(client, studyId, blob);
  await sceneFrom({ db, submit }, client, studyId, blob, { kind });
  return true;
}

const hasTransform = (detail: Blob["detail"]): boolean =>
  detail?.form === "raster" && !!(detail.grid ?? detail.transform);

/** @throws AppError 409 when a scene of the study was made of the very same file */
export async function requireNoTwin(client: Client, studyId: string, blob: Blob): Promise<void> {
  const twin = blob.sha256 ? await findTwin(client, studyId, blob.sha256) : null;
  // A picture that had no position may come again with one, from a world file beside it.
  const isPlacedNow = !!twin?.crs?.startsWith("PICTURE:") && hasTransform(blob.detail);
  if (twin && !isPlacedNow) {
    throw new AppError(
      409,
      "alreadyThere",
      `${blob.name} is in this study already, as "${twin.name}"`,
      "file",
      "Remove that scene first if the file is to be imported anew.",
    );
  }
}
