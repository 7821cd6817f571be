import { randomUUID } from "node:crypto";
import { existsSync, openAsBlob, readdirSync, statSync } from "node:fs";
import { basename, join, relative } from "node:path";
import type { ServerClient } from "@hindglance/contract/client";
import { sceneRoutes } from "@hindglance/contract/scenes";
import type { VerticalDatum } from "@hindglance/core/graph/image";
import type { SceneKind } from "@hindglance/core/scene/kinds";
import { type TakenUpload, uploadRoutes } from "@hindglance/contract/upload";

/** What is said of a product beyond what its files say. */
export interface Said {
  kind: SceneKind;
  acquiredAt?: string | null;
  vertical?: VerticalDatum | null;
}

/** Sends one file. @throws Refused */
async function sendFile(
  client: ServerClient,
  studyId: string,
  path: string,
  place: { folder: string; path: string } | null,
): Promise<TakenUpload> {
  const query = { name: basename(path), take: place === null, ...place };
  return client.send(uploadRoutes.send, { params: { id: studyId }, query }, await openAsBlob(path));
}

/** Files of a folder, at any depth. */
const filesIn = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name))
    .sort();

/** Sends a file, or the files of a folder as one product. @throws Refused */
export async function send(
  client: ServerClient,
  studyId: string,
  path: string,
): Promise<TakenUpload> {
  if (!existsSync(path)) {
    throw new Error(`There is no file ${path}`);
  }
  if (!statSync(path).isDirectory()) {
    return sendFile(client, studyId, path, null);
  }
  const folder = randomUUID();
  for (const file of filesIn(path)) {
    await sendFile(client, studyId, file, { folder, path: relative(path, file) });
  }
  const params = { id: studyId, folder };
  return client.call(uploadRoutes.gather, { params, query: { take: true } });
}

/**
 * Makes a scene of a product; gives its id. What says everything is taken in at once by the server.
 * @throws Refused where something is not known that nobody said
 */
export async function bringScene(
  client: ServerClient,
  studyId: string,
  path: string,
  said: Said,
): Promise<string> {
  const known = new Set(
    (await client.call(sceneRoutes.list, { params: { id: studyId } })).map(({ id }) => id),
  );
  const upload = await send(client, studyId, path);
  if (!upload.imported) {
    const { scene } = await client.call(sceneRoutes.create, {
      params: { id: studyId },
      body: {
        ...{ uploadId: upload.id, kind: said.kind, name: upload.name.slice(0, 120) },
        ...(said.acquiredAt ? { acquiredAt: said.acquiredAt } : {}),
        ...(said.vertical ? { vertical: said.vertical } : {}),
      },
    });
    return scene.id;
  }
  const now = await client.call(sceneRoutes.list, { params: { id: studyId } });
  const fresh = now.find(({ id }) => !known.has(id));
  if (!fresh) {
    throw new Error(`${basename(path)} was taken in, but is no scene`);
  }
  return fresh.id;
}
