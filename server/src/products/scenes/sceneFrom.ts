import type { Blob } from "../../db/blobs";
import type { Client } from "../../db/pool";
import type { NewScene } from "./beginImport";
import { fromProduct } from "./fromProduct";
import { fromRasters } from "./fromRasters";
import { fromStack } from "./fromStack";
import type { SaidOfScene, SceneServices } from "./said";

/**
 * An inspected upload becomes a scene; its cells follow in a run. @throws AppError naming what is
 * missing
 */
export function sceneFrom(
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
