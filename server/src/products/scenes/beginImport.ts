import { setBlobPurpose } from "../../db/blobs";
import type { Client } from "../../db/pool";
import { type Scene, createScene, findScene, setSceneRun } from "../../db/scenes";
import { touchStudy } from "../../db/studies";
import { AppError } from "../../errors";
import type { Submit } from "../plans";

/** A scene whose cells follow in a run. */
export interface NewScene {
  scene: Scene;
  runId: string;
}

interface Import {
  scene: Parameters<typeof createScene>[1];
  /** Files that the run reads. */
  blobIds: string[];
  kind: "importProduct" | "importScene";
  title: string;
  /** What the run is told besides the scene's id. */
  params: object;
}

/**
 * Writes a scene down, keeps its files for the run that reads them, and begins that.
 * @throws AppError 409 where a file became a scene meanwhile: several may ask for it at once
 */
export async function beginImport(
  submit: Submit,
  client: Client,
  { scene, blobIds, kind, title, params }: Import,
): Promise<NewScene> {
  const { studyId } = scene;
  const sceneId = await createScene(client, scene);
  for (const id of blobIds) {
    if (!(await setBlobPurpose(client, id, "import"))) {
      throw new AppError(409, "alreadyThere", "This upload is being imported already", "uploadId");
    }
  }
  const runId = await submit({ studyId, kind, title, params: { sceneId, ...params } });
  await setSceneRun(client, sceneId, runId);
  await touchStudy(client, studyId);
  return { scene: (await findScene(client, sceneId))!, runId };
}
