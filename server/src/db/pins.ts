import type { PinExpectation, Pin } from "@hindglance/contract/pins";
import type { Client } from "./pool";

export type { PinExpectation, Pin } from "@hindglance/contract/pins";

const COLUMNS = 'id, study_id AS "studyId", name, lon, lat, expected, created_at AS "createdAt"';

/** Pins of a study, the oldest first. */
export const listPins = async (client: Client, study: string): Promise<Pin[]> =>
  (
    await client.query<Pin>(
      `
        SELECT ${COLUMNS}
        FROM pin
        WHERE study_id = $1
        ORDER BY created_at, id
      `,
      [study],
    )
  ).rows;

/** Keeps a pin. */
export const createPin = async (
  client: Client,
  entry: Omit<Pin, "id" | "createdAt">,
): Promise<Pin> =>
  (
    await client.query<Pin>(
      `
        INSERT INTO pin (study_id, name, lon, lat, expected)
        VALUES ($1, $2, $3, $4, $5)
        RETURNING ${COLUMNS}
      `,
      [entry.studyId, entry.name, entry.lon, entry.lat, entry.expected],
    )
  ).rows[0]!;

/** Changes a pin; null where there is none such. */
export async function updatePin(
  client: Client,
  id: string,
  path: { name?: string; expected?: PinExpectation | null },
): Promise<Pin | null> {
  return (
    (
      await client.query<Pin>(
        `
          UPDATE pin
          SET
            name = coalesce($2, name),
            expected = CASE
              WHEN $3 THEN $4::jsonb
              ELSE expected
            END
          WHERE id = $1
          RETURNING ${COLUMNS}
        `,
        [
          id,
          path.name ?? null,
          path.expected !== undefined,
          path.expected === undefined || path.expected === null
            ? null
            : JSON.stringify(path.expected),
        ],
      )
    ).rows[0] ?? null
  );
}

/** Deletes a pin; whether it was there. */
export const deletePin = async (client: Client, id: string): Promise<boolean> =>
  ((await client.query("DELETE FROM pin WHERE id = $1", [id])).rowCount ?? 0) > 0;
