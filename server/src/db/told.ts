import type { Client } from "./pool";

/** What of a map changes while people work on it: what reviewers say, edits, what is seen at places of samples. */
export type PartOfMap = "verdict" | "edit" | "sample";

/** Tells every page that a part of a map was changed, once the transaction is through. */
export const tellOfMap = async (client: Client, map: string, part: PartOfMap): Promise<void> => {
  await client.query(
    `
      SELECT pg_notify('hg_studies', study_id || ' ' || $2::text)
      FROM change_map
      WHERE id = $1
    `,
    [map, part],
  );
};
