import type { Standing } from "@hindglance/core/review/standing";
import type { Client } from "./pool";
import { PATCH, PATCHES, type Patch } from "./changeMaps";

/** Whether the results of a study are open to whoever asks; null where there is no such study. */
export const isOpen = async (client: Client, study: string): Promise<boolean | null> =>
  (await client.query<{ open: boolean }>("SELECT open FROM study WHERE id = $1", [study])).rows[0]
    ?.open ?? null;

/** Opens the results of a study, or closes them; whether it is there. */
export const setOpen = async (client: Client, study: string, open: boolean): Promise<boolean> =>
  (await client.query("UPDATE study SET open = $2 WHERE id = $1", [study, open])).rowCount === 1;

/** Which patches of a map are wanted. Ends in degrees: west, south, east, north. */
export interface OpenAsk {
  bbox: readonly [number, number, number, number] | null;
  labels: number[] | null;
  standings: Standing[] | null;
  limit: number;
  offset: number;
}

const WHERE = `
  change_map_id = $1
  AND ($2::float8 IS NULL OR (west <= $4 AND east >= $2 AND south <= $5 AND north >= $3))
  AND ($6::int[] IS NULL OR label = ANY($6))
  AND ($7::text[] IS NULL OR standing = ANY($7))
`;

/** Patches of a map by number with their outlines, some of them, and how many there are in all. */
export async function openPatches(
  client: Client,
  map: string,
  { bbox, labels, standings, limit, offset }: OpenAsk,
): Promise<{ count: number; patches: Patch[] }> {
  const values = [map, ...(bbox ?? [null, null, null, null]), labels, standings];
  const counted = await client.query<{ count: number }>(
    `SELECT count(*)::int AS count FROM patch WHERE ${WHERE}`,
    values,
  );
  const { rows } = await client.query<Patch>(
    `
      SELECT ${PATCH}, geometry
      FROM ${PATCHES}
      WHERE ${WHERE}
      ORDER BY number
      LIMIT $8
      OFFSET $9
    `,
    [...values, limit, offset],
  );
  return { count: counted.rows[0]!.count, patches: rows };
}

/** Patches of a map in a box with their outlines, the largest first. */
export const largestPatches = async (
  client: Client,
  map: string,
  [west, south, east, north]: readonly [number, number, number, number],
  limit: number,
): Promise<Patch[]> =>
  (
    await client.query<Patch>(
      `
        SELECT ${PATCH}, geometry
        FROM ${PATCHES}
        WHERE change_map_id = $1
          AND west <= $4
          AND east >= $2
          AND south <= $5
          AND north >= $3
        ORDER BY area_m2 DESC, number
        LIMIT $6
      `,
      [map, west, south, east, north, limit],
    )
  ).rows;
