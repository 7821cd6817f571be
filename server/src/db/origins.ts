import type { SaidToImport } from "@hindglance/core/again/account";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { SceneKind } from "@hindglance/core/scene/kinds";
import type { Client } from "./pool";

/** How a scene came out of files. */
export interface FileOrigin {
  kind: "files";
  sceneKind: SceneKind;
  files: { path: string; sha256: string; size: number }[];
  isFolder: boolean;
  said: SaidToImport;
  studyArea: object | null;
}
/** How a scene was joined from several, each out of files of its own. */
export interface JoinedOrigin {
  kind: "joined";
  parts: (FileOrigin & { name: string })[];
}
/** How a scene was computed here. */
export interface NodeOrigin {
  kind: "made";
  sceneKind: string;
  what: string;
  node: NodeSpec;
}
/** Where the cells of a scene come from, as it is needed to have them again. */
export type SceneOrigin = FileOrigin | JoinedOrigin | NodeOrigin;

/** Keeps where a scene comes from. */
export const setOrigin = async (
  client: Client,
  scene: string,
  origin: SceneOrigin,
): Promise<void> => {
  await client.query("UPDATE scene SET origin = $2 WHERE id = $1", [scene, origin]);
};

/**
 * How a scene comes out of files that is joined from scenes, in their order; null where one of them was
 * not taken in from files, or is older than the record of it.
 */
export async function joinedOrigin(
  client: Client,
  scenes: readonly string[],
): Promise<JoinedOrigin | null> {
  const { rows } = await client.query<{ name: string; origin: SceneOrigin | null }>(
    `
      SELECT name, origin
      FROM unnest($1::uuid[]) WITH ORDINALITY AS part (id, place)
        JOIN scene USING (id)
      ORDER BY place
    `,
    [scenes],
  );
  const parts = rows.flatMap(({ name, origin }) => {
    if (origin?.kind === "joined") {
      return origin.parts;
    }
    return origin?.kind === "files" ? [{ ...origin, name }] : [null];
  });
  const known = parts.filter((part) => part !== null);
  return known.length === parts.length ? { kind: "joined", parts: known } : null;
}

/** A scene by its image, with where it comes from; null in scenes that are older than the record of it. */
export interface OriginOfImage {
  sceneId: string;
  name: string;
  acquiredAt: Date | null;
  origin: SceneOrigin | null;
}

/** The scene whose cells an image is; null where it is of none. */
export const originOfImage = async (client: Client, image: string): Promise<OriginOfImage | null> =>
  (
    await client.query<OriginOfImage>(
      `
        SELECT id AS "sceneId", name, acquired_at AS "acquiredAt", origin
        FROM scene
        WHERE image_id = $1
        LIMIT 1
      `,
      [image],
    )
  ).rows[0] ?? null;

/** Names, sizes and checksums of uploads by their ids. */
export const uploadedFiles = async (
  client: Client,
  ids: readonly string[],
): Promise<{ id: string; name: string; size: number; sha256: string | null }[]> =>
  (
    await client.query<{ id: string; name: string; size: number; sha256: string | null }>(
      "SELECT id, name, size::float8 AS size, sha256 FROM blob WHERE id = ANY($1)",
      [ids],
    )
  ).rows;
