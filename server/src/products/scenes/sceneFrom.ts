import type { Blob } from "../../db/blobs";
import { filesOf } from "../../db/inspection";
import { type FileOrigin, setOrigin, uploadedFiles } from "../../db/origins";
import type { Client } from "../../db/pool";
import { findStudy } from "../../db/studies";
import type { NewScene } from "./beginImport";
import { fromProduct } from "./fromProduct";
import { fromRasters } from "./fromRasters";
import { fromStack } from "./fromStack";
import type { SaidOfScene, SceneServices } from "./said";

function made(
  services: SceneServices,
  client: Client,
  studyId: string,
  blob: Blob,
  said: SaidOfScene,
): Promise<NewScene> {
  const { detail } = blob;
  switch (detail?.form) {
    case "product":
      return fromProduct(services, client, studyId, blob, detail, said);
    case "stack":
      return fromStack(services, client, studyId, blob, detail, said);
    default:
      return fromRasters(services, client, studyId, [blob], said);
  }
}

/** Files of an upload with their places in its folder, where they came as one. */
async function filesIn(client: Client, blob: Blob) {
  const { detail } = blob;
  const inFolder = detail?.form === "product" || detail?.form === "stack" ? detail.files : null;
  const placeOf = (id: string) => inFolder?.blobs.find((one) => one.id === id);
  const ids = [...new Set([blob.id, ...filesOf(detail)])];
  const rows = await uploadedFiles(client, ids);
  const isFolder = inFolder !== null && !inFolder.zip;
  // What stands for a folder is one of its files, or nothing by itself.
  const files = isFolder ? rows.filter(({ id }) => placeOf(id)) : rows;
  return {
    isFolder: isFolder || files.length > 1,
    files: files.flatMap(({ id, name, size, sha256 }) => {
      // The one that stands for a folder has the checksum of all of them.
      const place = placeOf(id);
      const own = place?.sha256 ?? sha256;
      return own ? [{ path: place?.path ?? name, size, sha256: own }] : [];
    }),
  };
}

/** What was said beyond the files and the kind. */
function saidBeside(said: SaidOfScene): FileOrigin["said"] {
  const { acquiredAt, bands, vertical, cellM, bring, epsg, rescale, rounded } = said;
  const all = { acquiredAt, bands, vertical, cellM, bring, epsg, rescale, rounded };
  return Object.fromEntries(Object.entries(all).filter(([, value]) => value !== undefined));
}

/**
 * An inspected upload becomes a scene; its cells follow in a run. What it was made of is kept, so that
 * it can be made again. @throws AppError naming what is missing
 */
export async function sceneFrom(
  services: SceneServices,
  client: Client,
  studyId: string,
  blob: Blob,
  said: SaidOfScene,
): Promise<NewScene> {
  const from = await filesIn(client, blob);
  const scene = await made(services, client, studyId, blob, said);
  const origin: FileOrigin = {
    ...{ kind: "files", sceneKind: said.kind, ...from },
    said: saidBeside(said),
    studyArea: (await findStudy(client, studyId))?.studyArea ?? null,
  };
  await setOrigin(client, scene.scene.id, origin);
  return scene;
}
