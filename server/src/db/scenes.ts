import type { SceneDetail, ZoneLayer } from "@hindglance/contract/scenes";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { Window } from "@hindglance/core/grid/grid";
import type { SensorModel } from "@hindglance/core/radar/sensor";
import type { Histogram } from "@hindglance/core/raster/histogram";
import type { Statistics } from "@hindglance/core/raster/statistics";
import type { Client } from "./pool";

export type { ZoneLayer } from "@hindglance/contract/scenes";

/**
 * What a scene's files said of it, and what became of them here; the page is sent all of it and
 * looks at what the contract names.
 */
export interface StoredDetail extends Omit<SceneDetail, "sensor"> {
  /** Geometry of a radar product; of an optical one the name of its sensor. */
  sensor?: SensorModel | string;
  outline?: [number, number][];
  /** What of the archive it was fetched from; of joined scenes each. */
  archive?: ArchiveOrigin | ArchiveOrigin[];
  /** Products that were joined. */
  frames?: { product: string; start?: string; stop?: string }[];
  /** Window of the product's image that was taken. */
  part?: Window;
}
interface ArchiveOrigin {
  id: string;
}
export interface Scene {
  id: string;
  studyId: string;
  kind: string;
  name: string;
  acquiredAt: string | null;
  fileName: string;
  fileSize: number;
  fileSha256: string;
  /** What is known of its file; `outline`: corners on the globe of what does not lie on the map. */
  detail: StoredDetail;
  imageId: string | null;
  runId: string | null;
  createdAt: string;
  info: ImageInfo | null;
  levels: number | null;
  statistics: Statistics[] | null;
  histograms: Histogram[] | null;
  looks: (number | null)[] | null;
}
const COLUMNS = `
  s.id, s.study_id AS "studyId", s.kind, s.name, s.acquired_at AS "acquiredAt",
  s.file_name AS "fileName", s.file_size::float8 AS "fileSize",
  s.file_sha256 AS "fileSha256", s.detail, s.image_id AS "imageId",
  s.run_id AS "runId", s.created_at AS "createdAt", i.info, i.levels, i.statistics,
  i.histograms, i.looks
`;
const FROM = "FROM scene s LEFT JOIN image i ON i.id = s.image_id";

/** Scenes of a study by date, those without a date last. */
export const listScenes = async (client: Client, study: string): Promise<Scene[]> =>
  (
    await client.query<Scene>(
      `
        SELECT ${COLUMNS} ${FROM}
        WHERE s.study_id = $1
        ORDER BY s.acquired_at NULLS LAST, s.created_at
      `,
      [study],
    )
  ).rows;

/** A scene, or null. */
export const findScene = async (client: Client, id: string): Promise<Scene | null> =>
  (await client.query<Scene>(`SELECT ${COLUMNS} ${FROM} WHERE s.id = $1`, [id])).rows[0] ?? null;

/** A scene among some that belongs to another study; null where there is none. */
export const foreignScene = async (
  client: Client,
  study: string,
  ids: readonly string[],
): Promise<string | null> =>
  (
    await client.query<{ id: string }>(
      `
        SELECT id
        FROM scene
        WHERE id::text = ANY ($2::text[]) AND study_id <> $1
        LIMIT 1
      `,
      [study, ids.map((id) => id.toLowerCase())],
    )
  ).rows[0]?.id ?? null;

/** A scene of a study that was made of a file with this checksum, and where it lies. */
export const findTwin = async (
  client: Client,
  study: string,
  sha256: string,
): Promise<{ id: string; name: string; crs: string | null } | null> =>
  (
    await client.query<{ id: string; name: string; crs: string | null }>(
      `
        SELECT s.id, s.name, i.info #>> '{grid,crs,code}' AS crs
        FROM scene s
          LEFT JOIN image i ON i.id = s.image_id
        WHERE s.study_id = $1
          AND s.file_sha256 = $2
        LIMIT 1
      `,
      [study, sha256],
    )
  ).rows[0] ?? null;

/** What tells an acquisition of a radar product from every other, however its files are packed. */
export interface Acquisition {
  mission: string;
  productType: string;
  start: string;
  stop: string;
}

/** A scene of a study that is this acquisition, or null. */
export const findAcquisition = async (
  client: Client,
  study: string,
  { mission, productType, start, stop }: Acquisition,
): Promise<{ name: string; fileName: string } | null> =>
  (
    await client.query<{ name: string; fileName: string }>(
      `
        SELECT name, file_name AS "fileName"
        FROM scene
        WHERE study_id = $1
          AND detail ->> 'mission' = $2
          AND detail ->> 'productType' = $3
          AND detail ->> 'start' = $4
          AND detail ->> 'stop' = $5
        LIMIT 1
      `,
      [study, mission, productType, start, stop],
    )
  ).rows[0] ?? null;

/** Zones of a study that came from a file with this checksum. */
export const findZonesByFile = async (
  client: Client,
  study: string,
  sha256: string,
): Promise<{ id: string; name: string } | null> =>
  (
    await client.query<{ id: string; name: string }>(
      `
        SELECT id, name
        FROM zone_layer
        WHERE study_id = $1
          AND file_sha256 = $2
        LIMIT 1
      `,
      [study, sha256],
    )
  ).rows[0] ?? null;

/** Keeps a scene whose image is still to come; gives its id. */
export async function createScene(
  client: Client,
  s: {
    studyId: string;
    kind: string;
    name: string;
    acquiredAt: string | null;
    fileName: string;
    fileSize: number;
    fileSha256: string;
    detail: object;
  },
): Promise<string> {
  return (
    await client.query<{ id: string }>(
      `
        INSERT INTO scene (
            study_id,
            kind,
            name,
            acquired_at,
            file_name,
            file_size,
            file_sha256,
            detail
          )
        VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
        RETURNING id
      `,
      [s.studyId, s.kind, s.name, s.acquiredAt, s.fileName, s.fileSize, s.fileSha256, s.detail],
    )
  ).rows[0]!.id;
}

/** Says which run makes the image of a scene. */
export const setSceneRun = async (client: Client, id: string, run: string): Promise<void> => {
  await client.query("UPDATE scene SET run_id = $2 WHERE id = $1", [id, run]);
};

/** Gives a scene its image; whether the scene is still there. */
export const setSceneImage = async (client: Client, id: string, image: string): Promise<boolean> =>
  ((await client.query("UPDATE scene SET image_id = $2, run_id = NULL WHERE id = $1", [id, image]))
    .rowCount ?? 0) > 0;

/** Changes the name or the date of a scene. */
export async function updateScene(
  client: Client,
  id: string,
  s: { name?: string; acquiredAt?: string | null },
): Promise<void> {
  if (s.name !== undefined) {
    await client.query("UPDATE scene SET name = $2 WHERE id = $1", [id, s.name]);
  }
  if (s.acquiredAt !== undefined) {
    await client.query("UPDATE scene SET acquired_at = $2 WHERE id = $1", [id, s.acquiredAt]);
  }
}

/** What a scene is, as the ledger tells it: what of, and the checksum of its file. */
export async function sceneTold(client: Client, id: string): Promise<object> {
  const scene = await findScene(client, id);
  return scene
    ? {
        ...{ scene: id, name: scene.name, kind: scene.kind, acquiredAt: scene.acquiredAt },
        ...{ file: scene.fileName, sha256: scene.fileSha256 },
      }
    : { scene: id };
}

/** Scenes that images were taken in as, or prepared from: id and name, in the order of names. */
export async function scenesOfImages(
  client: Client,
  images: readonly string[],
): Promise<{ scene: string; name: string }[]> {
  const { rows } = await client.query<{ scene: string; name: string }>(
    `
      SELECT id AS scene, name
      FROM scene
      WHERE image_id = ANY ($1)
        OR id IN (
          SELECT scene_id
          FROM kept_image
          WHERE image_id = ANY ($1)
        )
      ORDER BY name, id
    `,
    [images],
  );
  return rows;
}

/** Deletes a scene; its image is swept by the caller. Whether it was there. */
export async function deleteScene(client: Client, id: string): Promise<boolean> {
  const files = "DELETE FROM blob WHERE purpose = 'file' AND detail ->> 'sceneId' = $1";
  await client.query(files, [id]);
  return ((await client.query("DELETE FROM scene WHERE id = $1", [id])).rowCount ?? 0) > 0;
}

const ZONE = `
  id, study_id AS "studyId", name, file_name AS "fileName",
  file_sha256 AS "fileSha256", name_field AS "nameField", feature_count AS features,
  created_at AS "createdAt"
`;

/** Zones with their polygons in longitude and latitude. */
export interface Zones extends ZoneLayer {
  polygons: { properties: Record<string, unknown>; geometry: object }[];
}

/** Zone layers of a study, the oldest first. */
export const listZones = async (client: Client, study: string): Promise<ZoneLayer[]> =>
  (
    await client.query<ZoneLayer>(
      `
        SELECT ${ZONE}
        FROM zone_layer
        WHERE study_id = $1
        ORDER BY created_at
      `,
      [study],
    )
  ).rows;

/** A layer of zones, or null. */
export const findZones = async (client: Client, id: string): Promise<Zones | null> =>
  (
    await client.query<Zones>(
      `SELECT ${ZONE}, features -> 'features' AS polygons FROM zone_layer WHERE id = $1`,
      [id],
    )
  ).rows[0] ?? null;

/** The zones that a study counts in: those that came first; null without any. */
export async function studyZones(client: Client, study: string): Promise<Zones | null> {
  const [first] = await listZones(client, study);
  return first ? findZones(client, first.id) : null;
}

/** Keeps a layer of zones; `features` is a collection of them as the text of its JSON. */
export const createZones = async (
  client: Client,
  z: {
    studyId: string;
    name: string;
    fileName: string;
    fileSha256: string;
    nameField: string;
    count: number;
    features: Uint8Array;
  },
): Promise<ZoneLayer> =>
  (
    await client.query<ZoneLayer>(
      `
        INSERT INTO zone_layer (study_id, name, file_name, file_sha256, name_field, feature_count,
          features)
        VALUES ($1, $2, $3, $4, $5, $6, $7)
        RETURNING ${ZONE}
      `,
      [z.studyId, z.name, z.fileName, z.fileSha256, z.nameField, z.count, z.features],
    )
  ).rows[0]!;

/** Deletes a layer of zones; gives its study, or null where there is none such. */
export const deleteZones = async (client: Client, id: string): Promise<string | null> =>
  (
    await client.query<{ study_id: string }>(
      "DELETE FROM zone_layer WHERE id = $1 RETURNING study_id",
      [id],
    )
  ).rows[0]?.study_id ?? null;
