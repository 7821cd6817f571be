import type { SavedLayout, SheetState } from "@hindglance/contract/sheet";
import type { Sheet, SheetLayout } from "@hindglance/core/sheet/layout";
import type { Client } from "./pool";

/** What is set of the sheet of a map; null where nothing is. */
export const findSheet = async (client: Client, map: string): Promise<SheetState | null> =>
  (
    await client.query<SheetState>("SELECT sheet, version FROM sheet WHERE change_map_id = $1", [
      map,
    ])
  ).rows[0] ?? null;

/** The sheet that was set last in a study; null where none was. */
export const lastSheet = async (client: Client, study: string): Promise<Sheet | null> =>
  (
    await client.query<{ sheet: Sheet }>(
      `
        SELECT sheet.sheet
        FROM sheet
          JOIN change_map m ON m.id = sheet.change_map_id
        WHERE m.study_id = $1
        ORDER BY sheet.updated_at DESC
        LIMIT 1
      `,
      [study],
    )
  ).rows[0]?.sheet ?? null;

/**
 * Keeps what is set of the sheet of a map.
 * @param version that it was changed from; 0 where nothing was set
 * @returns null where it has another version by now
 */
export const saveSheet = async (
  client: Client,
  map: string,
  sheet: Sheet,
  version: number,
): Promise<SheetState | null> =>
  (
    await client.query<SheetState>(
      version === 0
        ? `
            INSERT INTO sheet (change_map_id, sheet)
            VALUES ($1, $2)
            ON CONFLICT DO NOTHING
            RETURNING sheet, version
          `
        : `
            UPDATE sheet
            SET sheet = $2, version = version + 1, updated_at = now()
            WHERE change_map_id = $1
              AND version = $3
            RETURNING sheet, version
          `,
      version === 0 ? [map, sheet] : [map, sheet, version],
    )
  ).rows[0] ?? null;

/** Layouts that were saved for all studies, by name. */
export const listLayouts = async (client: Client): Promise<SavedLayout[]> =>
  (
    await client.query<SavedLayout>(
      "SELECT id, name, layout FROM sheet_layout ORDER BY lower(name), created_at",
    )
  ).rows;

/** Keeps a layout; one of the same name is replaced. */
export const saveLayout = async (
  client: Client,
  name: string,
  layout: SheetLayout,
): Promise<SavedLayout> =>
  (
    await client.query<SavedLayout>(
      `
        INSERT INTO sheet_layout (name, layout)
        VALUES ($1, $2)
        ON CONFLICT (name) DO UPDATE SET layout = excluded.layout
        RETURNING id, name, layout
      `,
      [name, layout],
    )
  ).rows[0]!;

/** Deletes a layout; whether it was there. */
export const deleteLayout = async (client: Client, id: string): Promise<boolean> =>
  (await client.query("DELETE FROM sheet_layout WHERE id = $1", [id])).rowCount === 1;
