import type { StandingSearch, WatchAsk } from "@hindglance/contract/watch";
import { actor } from "../actor";
import type { Client } from "./pool";

/** A standing search as it is looked with. */
export interface DueSearch extends StandingSearch {
  /** Items that were asked for, with how often. */
  asked: Record<string, number>;
  actor: string | null;
}

const COLUMNS = `
  id, study_id AS "studyId", pass, polarisation, every_minutes AS "everyMinutes",
  most_at_once AS "mostAtOnce", since, created_at AS "createdAt", looked_at AS "lookedAt",
  (SELECT count(*)::int FROM jsonb_object_keys(asked)) AS fetched, problem
`;

/** Standing searches of a study, the newest first. */
export const listSearches = async (client: Client, study: string): Promise<StandingSearch[]> =>
  (
    await client.query<StandingSearch>(
      `SELECT ${COLUMNS} FROM standing_search WHERE study_id = $1 ORDER BY created_at DESC, id`,
      [study],
    )
  ).rows;

/** Keeps a standing search; what was taken from now on counts. Its id. */
export const createSearch = async (
  client: Client,
  studyId: string,
  { pass, polarisation, everyMinutes, mostAtOnce }: WatchAsk,
): Promise<string> =>
  (
    await client.query<{ id: string }>(
      `
        INSERT INTO standing_search (
            study_id, pass, polarisation, every_minutes, most_at_once, since, actor
          )
        VALUES ($1, $2, $3, $4, $5, current_date, $6)
        RETURNING id
      `,
      [studyId, pass, polarisation, everyMinutes, mostAtOnce, actor()],
    )
  ).rows[0]!.id;

/** Ends a standing search; the study that it was of, or null where there is none. */
export const deleteSearch = async (client: Client, id: string): Promise<string | null> =>
  (
    await client.query<{ studyId: string }>(
      `DELETE FROM standing_search WHERE id = $1 RETURNING study_id AS "studyId"`,
      [id],
    )
  ).rows[0]?.studyId ?? null;

/** Takes the search that is due the longest, so that no other server looks meanwhile; null where none is. */
export const takeDue = async (client: Client): Promise<DueSearch | null> =>
  (
    await client.query<DueSearch>(
      `
        UPDATE standing_search
        SET looked_at = now()
        WHERE id = (
            SELECT id
            FROM standing_search
            WHERE looked_at IS NULL
              OR looked_at < now() - make_interval(mins => every_minutes)
            ORDER BY looked_at NULLS FIRST
            LIMIT 1
            FOR UPDATE SKIP LOCKED
          )
        RETURNING ${COLUMNS}, asked, actor
      `,
    )
  ).rows[0] ?? null;

/** Keeps what a look came to: items that were asked for, and what was wrong. */
export const setLooked = async (
  client: Client,
  id: string,
  { asked, problem }: { asked: Record<string, number>; problem: string | null },
): Promise<void> => {
  await client.query("UPDATE standing_search SET asked = $2, problem = $3 WHERE id = $1", [
    ...[id, asked, problem],
  ]);
};
