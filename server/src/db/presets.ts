import type { SavedPreset } from "@hindglance/contract/presets";
import type { Client } from "./pool";

export type { SavedPreset } from "@hindglance/contract/presets";

const COLUMNS = "id, name, comparing, unit, measure, formula, own, rules, limits";

/** All presets, by name. */
export const listPresets = async (client: Client): Promise<SavedPreset[]> =>
  (
    await client.query<SavedPreset>(
      `SELECT ${COLUMNS} FROM preset ORDER BY lower(name), created_at`,
    )
  ).rows;

/** Keeps a preset. */
export const createPreset = async (
  client: Client,
  entry: Omit<SavedPreset, "id">,
): Promise<SavedPreset> =>
  (
    await client.query<SavedPreset>(
      `
        INSERT INTO preset (name, comparing, unit, measure, formula, own, rules, limits)
        VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
        RETURNING ${COLUMNS}
      `,
      [
        entry.name,
        entry.comparing,
        entry.unit,
        entry.measure,
        entry.formula,
        entry.own,
        JSON.stringify(entry.rules),
        entry.limits,
      ],
    )
  ).rows[0]!;

/** Deletes a preset; whether it was there. */
export const deletePreset = async (client: Client, id: string): Promise<boolean> =>
  (await client.query("DELETE FROM preset WHERE id = $1", [id])).rowCount === 1;
