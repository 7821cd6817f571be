import type { Overlay } from "@hindglance/contract/scenes";
import type { Client } from "./pool";

const OVERLAY = `
  id, study_id AS "studyId", name, file_name AS "fileName", file_sha256 AS "fileSha256",
  color, label_field AS "labelField", fields, feature_count AS features, shown,
  created_at AS "createdAt"
`;

/** Features to be laid over the maps of a study; without a colour the next free one is taken. */
export interface NewOverlay {
  studyId: string;
  name: string;
  fileName: string;
  fileSha256: string;
  color: string | null;
  labelField: string | null;
  fields: string[];
  count: number;
  /** A collection of the features, as the text of its JSON. */
  features: Uint8Array;
}

/** Overlays of a study, the oldest first. */
export const listOverlays = async (client: Client, study: string): Promise<Overlay[]> =>
  (
    await client.query<Overlay>(
      `
        SELECT ${OVERLAY}
        FROM overlay
        WHERE study_id = $1
        ORDER BY created_at, id
      `,
      [study],
    )
  ).rows;

/**
 * Keeps an overlay.
 *
 * @param colours those that overlays get one after another
 */
export async function createOverlay(
  client: Client,
  colours: readonly string[],
  overlay: NewOverlay,
): Promise<Overlay> {
  const others = await listOverlays(client, overlay.studyId);
  const free = colours.find((colour) => !others.some(({ color }) => color === colour));
  const color = overlay.color ?? free ?? colours[others.length % colours.length];
  const { rows } = await client.query<Overlay>(
    `
      INSERT INTO overlay (study_id, name, file_name, file_sha256, color, label_field, fields,
        feature_count, features)
      VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
      RETURNING ${OVERLAY}
    `,
    [
      overlay.studyId,
      overlay.name,
      overlay.fileName,
      overlay.fileSha256,
      color,
      overlay.labelField,
      JSON.stringify(overlay.fields),
      overlay.count,
      overlay.features,
    ],
  );
  return rows[0]!;
}

/** An overlay, or null. */
export const findOverlay = async (client: Client, id: string): Promise<Overlay | null> =>
  (await client.query<Overlay>(`SELECT ${OVERLAY} FROM overlay WHERE id = $1`, [id])).rows[0] ??
  null;

/** What is drawn of an overlay, as the text of its GeoJSON; null where there is none such. */
export const overlayFeatures = async (client: Client, id: string): Promise<string | null> =>
  (
    await client.query<{ features: string }>(
      "SELECT features::text AS features FROM overlay WHERE id = $1",
      [id],
    )
  ).rows[0]?.features ?? null;

/** Changes how an overlay is named and drawn; what is undefined stays. Null where there is none such. */
export const updateOverlay = async (
  client: Client,
  id: string,
  next: { name?: string; color?: string; labelField?: string | null; shown?: boolean },
): Promise<Overlay | null> =>
  (
    await client.query<Overlay>(
      `
        UPDATE overlay
        SET
          name = coalesce($2, name),
          color = coalesce($3, color),
          label_field = CASE WHEN $4 THEN $5 ELSE label_field END,
          shown = coalesce($6, shown)
        WHERE id = $1
        RETURNING ${OVERLAY}
      `,
      [id, next.name, next.color, next.labelField !== undefined, next.labelField, next.shown],
    )
  ).rows[0] ?? null;

/** Deletes an overlay; gives its study, or null where there is none such. */
export const deleteOverlay = async (client: Client, id: string): Promise<string | null> =>
  (
    await client.query<{ study_id: string }>(
      "DELETE FROM overlay WHERE id = $1 RETURNING study_id",
      [id],
    )
  ).rows[0]?.study_id ?? null;
