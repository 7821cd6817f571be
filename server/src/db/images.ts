import type { ClassInfo, ImageInfo, VerticalDatum } from "@hindglance/core/graph/image";
import type { Histogram } from "@hindglance/core/raster/histogram";
import type { Statistics } from "@hindglance/core/raster/statistics";
import type { Client } from "./pool";

export interface ImageRow {
  id: string;
  state: "writing" | "ready";
  info: ImageInfo;
  levels: number;
  statistics: Statistics[] | null;
  histograms: Histogram[] | null;
  looks: (number | null)[] | null;
}
const COLUMNS = "id, state, info, levels, statistics, histograms, looks";

/** What is known of an image, or null. */
export const findImage = async (client: Client, id: string): Promise<ImageRow | null> =>
  (await client.query<ImageRow>(`SELECT ${COLUMNS} FROM image WHERE id = $1`, [id])).rows[0] ??
  null;

/** Begins an image: nobody sees it before it is finished. */
export async function createImage(
  client: Client,
  info: ImageInfo,
  levels: number,
): Promise<string> {
  return (
    await client.query<{ id: string }>(
      "INSERT INTO image (info, levels) VALUES ($1, $2) RETURNING id",
      [info, levels],
    )
  ).rows[0]!.id;
}

/** Finishes an image: from the end of the transaction on it can be seen. */
export async function finishImage(
  client: Client,
  id: string,
  facts: {
    statistics: Statistics[] | null;
    histograms: Histogram[] | null;
    looks: (number | null)[] | null;
  },
): Promise<void> {
  await client.query(
    `
      UPDATE image
      SET state = 'ready', statistics = $2, histograms = $3, looks = $4
      WHERE id = $1
    `,
    [
      id,
      JSON.stringify(facts.statistics),
      JSON.stringify(facts.histograms),
      JSON.stringify(facts.looks),
    ],
  );
}

/** Deletes an image with its blocks. */
export const deleteImage = async (client: Client, id: string): Promise<void> => {
  await client.query("DELETE FROM image WHERE id = $1", [id]);
};

/**
 * Images that no scene, change map or open run has: left by runs that died or by deleted studies.
 */
export async function sweepImages(client: Client): Promise<number> {
  return (
    (
      await client.query(`
        DELETE FROM image i
        WHERE NOT EXISTS (
            SELECT 1
            FROM scene s
            WHERE s.image_id = i.id
          )
          AND NOT EXISTS (
            SELECT 1
            FROM change_map m
            WHERE m.image_id = i.id
              OR m.doubt_image_id = i.id
              OR m.depth_image_id = i.id
              OR m.patch_image_id = i.id
          )
          AND NOT EXISTS (
            SELECT 1
            FROM kept_image k
            WHERE k.image_id = i.id
          )
          AND NOT EXISTS (
            SELECT 1
            FROM run r
            WHERE r.state = 'running'
              AND (
                r.params ->> 'imageId' = i.id::text
                OR r.params ->> 'patchImageId' = i.id::text
                OR r.params -> 'parts' @> jsonb_build_array(jsonb_build_object('imageId', i.id))
                OR r.params -> 'items' @> jsonb_build_array(jsonb_build_object('imageId', i.id))
              )
          )
      `)
    ).rowCount ?? 0
  );
}

/**
 * Writes the extent of elevation bands into the image's description, for steps that must know it
 * before they read.
 */
export async function setBandRanges(
  client: Client,
  id: string,
  info: ImageInfo,
  statistics: readonly Statistics[],
): Promise<void> {
  if (!info.bands.some((band) => band.role === "elevation")) {
    return;
  }
  await client.query("UPDATE image SET info = $2 WHERE id = $1", [
    id,
    {
      ...info,
      bands: info.bands.map((band, i) =>
        band.role === "elevation"
          ? { ...band, range: [Math.floor(statistics[i]!.min), Math.ceil(statistics[i]!.max)] }
          : band,
      ),
    },
  ]);
}

/**
 * Gives a scene's classes other names and colours. The image gets a new id with them, since what was
 * made of the old one goes by the names that it had.
 */
export async function setClasses(
  client: Client,
  { sceneId, imageId, classes }: { sceneId: string; imageId: string; classes: ClassInfo[] },
): Promise<void> {
  const { rows } = await client.query<{ id: string }>(
    `
      INSERT INTO image (state, info, levels, statistics, histograms, looks)
      SELECT state, jsonb_set(info, '{classes}', $2), levels, statistics, histograms, looks
      FROM image
      WHERE id = $1
      RETURNING id
    `,
    [imageId, JSON.stringify(classes)],
  );
  const moved = rows[0]!.id;
  await client.query("UPDATE image_block SET image_id = $2 WHERE image_id = $1", [imageId, moved]);
  await client.query("UPDATE scene SET image_id = $2 WHERE id = $1", [sceneId, moved]);
  await client.query("DELETE FROM image WHERE id = $1", [imageId]);
}

/** Says what the heights of an elevation image are counted from; null: not known. */
export async function setVertical(
  client: Client,
  id: string,
  vertical: VerticalDatum | null,
): Promise<void> {
  const imageRow = await findImage(client, id);
  if (imageRow) {
    await client.query("UPDATE image SET info = $2 WHERE id = $1", [
      id,
      {
        ...imageRow.info,
        bands: imageRow.info.bands.map(({ vertical: _old, ...b }) =>
          vertical ? { ...b, vertical } : b,
        ),
      },
    ]);
  }
}
