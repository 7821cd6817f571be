import type { Client } from "./pool";
import { LIVING, PRESENCE } from "./presence";

/** A range as a worker takes it, and how often it was taken. */
export interface ClaimedRange {
  run: string;
  phase: number;
  seq: number;
  attempts: number;
}

/** Lays out the ranges of a phase. */
export async function startPhase(
  client: Client,
  id: string,
  phase: number,
  weights: number[],
): Promise<void> {
  await client.query("UPDATE run SET phase = $2 WHERE id = $1", [id, phase]);
  await client.query(
    `
      INSERT INTO run_range (run_id, phase, seq, weight)
      SELECT $1, $2, o - 1, w
      FROM unnest($3::real[]) WITH ORDINALITY AS x (w, o)
      ON CONFLICT DO NOTHING
    `,
    [id, phase, weights],
  );
}

/**
 * Takes a waiting range for a worker, of the newest run first: what somebody just asked for does
 * not wait behind a long run. The waiting range is found once and for all: as a mere subquery the
 * planner may look for it anew for each row, and one claim would take them all.
 */
export async function claimRange(client: Client, worker: number): Promise<ClaimedRange | null> {
  return (
    (
      await client.query<ClaimedRange>(
        `
          WITH
            n AS MATERIALIZED (
              SELECT q.run_id, q.phase, q.seq
              FROM run_range q
                JOIN run r ON r.id = q.run_id
                AND r.state = 'running'
                AND r.phase = q.phase
              WHERE q.state = 'queued'
              ORDER BY r.created_at DESC, q.seq
              LIMIT 1
              FOR UPDATE OF
                q SKIP LOCKED
            )
          UPDATE run_range x
          SET state = 'active', claimed_by = $1, attempts = attempts + 1, progress = 0
          FROM n
          WHERE x.run_id = n.run_id
            AND x.phase = n.phase
            AND x.seq = n.seq
          RETURNING x.run_id AS run, x.phase, x.seq, x.attempts
        `,
        [worker],
      )
    ).rows[0] ?? null
  );
}

/** Says how far a range is, 0–1. */
export const setRangeProgress = async (
  client: Client,
  run: string,
  phase: number,
  seq: number,
  progress: number,
): Promise<void> => {
  await client.query(
    `
      UPDATE run_range
      SET progress = $4
      WHERE run_id = $1
        AND phase = $2
        AND seq = $3
    `,
    [run, phase, seq, progress],
  );
};

/** Marks a range as done with its result; whether its worker still held it. */
export async function finishRange(
  client: Client,
  run: string,
  phase: number,
  seq: number,
  worker: number,
  result: object | null,
): Promise<boolean> {
  return (
    ((
      await client.query(
        `
          UPDATE run_range
          SET state = 'done', progress = 1, result = $5
          WHERE run_id = $1
            AND phase = $2
            AND seq = $3
            AND claimed_by = $4
            AND state = 'active'
        `,
        [run, phase, seq, worker, result === null ? null : JSON.stringify(result)],
      )
    ).rowCount ?? 0) > 0
  );
}

/** Number of ranges of a phase that are not done. */
export const openRanges = async (client: Client, run: string, phase: number): Promise<number> =>
  (
    await client.query<{ n: number }>(
      `
        SELECT count(*)::int AS n
        FROM run_range
        WHERE run_id = $1
          AND phase = $2
          AND state <> 'done'
      `,
      [run, phase],
    )
  ).rows[0]!.n;

/** Results of the ranges of a phase, in order. */
export const rangeResults = async <T>(client: Client, run: string, phase: number): Promise<T[]> =>
  (
    await client.query<{ result: T }>(
      `
        SELECT result
        FROM run_range
        WHERE run_id = $1
          AND phase = $2
        ORDER BY seq
      `,
      [run, phase],
    )
  ).rows.map((row) => row.result);

/** Gives back what a worker holds and does not work on; that it was claimed does not count. */
export const releaseRangesOf = async (client: Client, worker: number): Promise<void> => {
  await client.query(
    `
      UPDATE run_range
      SET state = 'queued', claimed_by = NULL, attempts = attempts - 1
      WHERE claimed_by = $1
        AND state = 'active'
    `,
    [worker],
  );
};

/**
 * A worker is back whose connection was lost with its ranges: that it was does not count against
 * them, whether they have gone to others already or not.
 */
export const forgiveRangesOf = async (client: Client, worker: number): Promise<void> => {
  await releaseRangesOf(client, worker);
  await client.query(
    `
      UPDATE run_range
      SET attempts = greatest(attempts - 1, 0), lost_by = array_remove(lost_by, $1::int)
      WHERE $1 = ANY (lost_by)
    `,
    [worker],
  );
};

/** Ranges of running runs whose worker lives no more go back to the queue; how many. */
export const releaseLostRanges = async (client: Client): Promise<number> =>
  (
    await client.query(
      `
        UPDATE run_range x
        SET state = 'queued', claimed_by = NULL, lost_by = lost_by || claimed_by
        FROM run r
        WHERE r.id = x.run_id
          AND r.state = 'running'
          AND x.state = 'active'
          AND NOT EXISTS (
            SELECT 1
            FROM (${LIVING}) AS living
            WHERE living.key = x.claimed_by
          )
      `,
      [PRESENCE],
    )
  ).rowCount ?? 0;

/** Tells the workers that there are ranges to do. */
export const notifyWork = async (client: Client): Promise<void> => {
  await client.query("SELECT pg_notify('hg_work', '')");
};
