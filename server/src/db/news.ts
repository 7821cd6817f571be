import type { News } from "@hindglance/contract/watch";
import type { Client } from "./pool";

/** News that are kept and told. */
const KEPT = 200;

/** Something that happened. */
export interface NewNews {
  studyId: string | null;
  tone: News["tone"];
  text: string;
  stage: string | null;
}

/** Keeps a piece of news; the oldest beyond those that are kept go. */
export async function addNews(client: Client, { studyId, tone, text, stage }: NewNews) {
  await client.query("INSERT INTO news (study_id, tone, text, stage) VALUES ($1, $2, $3, $4)", [
    ...[studyId, tone, text, stage],
  ]);
  await client.query("DELETE FROM news WHERE id <= (SELECT max(id) FROM news) - $1::bigint", [
    KEPT,
  ]);
}

/** News, the newest first. */
export const listNews = async (client: Client): Promise<News[]> =>
  (
    await client.query<News>(
      `
        SELECT
          n.id::float8 AS id, n.at, n.study_id AS "studyId", s.name AS study, n.tone, n.text, n.stage
        FROM news n
          LEFT JOIN study s ON s.id = n.study_id
        ORDER BY n.id DESC
        LIMIT $1
      `,
      [KEPT],
    )
  ).rows;
