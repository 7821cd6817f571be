import type { Process } from "@hindglance/contract/processes";
import type { Client } from "./pool";
import { LIVING, PRESENCE } from "./presence";

/** Seconds of silence after which a server is taken to be gone. */
const SILENT_S = 15;

/** What a process tells of itself. */
export interface Told {
  id: string;
  kind: Process["kind"];
  host: string;
  pid: number;
  program: string;
  memoryBytes: number;
  /** What its ranges are marked with; null for a server, and for a worker that has no place yet. */
  key: number | null;
}

/** Writes down what a process tells of itself; whether it is to take no more work. */
export const tellProcess = async (
  client: Client,
  { id, kind, host, pid, program, memoryBytes, key }: Told,
): Promise<boolean> =>
  (
    await client.query<{ isDraining: boolean }>(
      `
        INSERT INTO process (id, kind, host, pid, program, memory_bytes, worker_key)
        VALUES ($1, $2, $3, $4, $5, $6, $7)
        ON CONFLICT (id) DO UPDATE
        SET heard_at = now(), memory_bytes = EXCLUDED.memory_bytes, worker_key = EXCLUDED.worker_key
        RETURNING is_draining AS "isDraining"
      `,
      [id, kind, host, pid, program, memoryBytes, key],
    )
  ).rows[0]!.isDraining;

/** A process ends: it is not listed any more. */
export const forgetProcess = async (client: Client, id: string): Promise<void> => {
  await client.query("DELETE FROM process WHERE id = $1", [id]);
};

/** Processes that were not heard for so many hours are forgotten; how many. */
export const sweepProcesses = async (client: Client, hours: number): Promise<number> =>
  (
    await client.query("DELETE FROM process WHERE heard_at < now() - make_interval(hours => $1)", [
      hours,
    ])
  ).rowCount ?? 0;

/** Lets a worker take no more work, or take work again; whether there is such a worker. */
export const setDraining = async (
  client: Client,
  id: string,
  isDraining: boolean,
): Promise<boolean> =>
  (
    await client.query("UPDATE process SET is_draining = $2 WHERE id = $1 AND kind = 'worker'", [
      id,
      isDraining,
    ])
  ).rowCount === 1;

/**
 * Servers and workers, by host.
 * @param program what the asking server is: others are told apart
 */
export const listProcesses = async (client: Client, program: string): Promise<Process[]> =>
  (
    await client.query<Process>(
      `
        WITH
          living AS (
            ${LIVING}
          ),
          work AS (
            SELECT
              x.claimed_by AS key,
              jsonb_build_object(
                'runId', r.id,
                'title', r.title,
                'doing', coalesce(r.phases -> x.phase ->> 'name', ''),
                'study', s.name
              ) AS work
            FROM run_range x
              JOIN run r ON r.id = x.run_id
              LEFT JOIN study s ON s.id = r.study_id
            WHERE x.state = 'active'
          )
        SELECT
          p.id,
          p.kind,
          p.host,
          p.pid,
          p.program,
          p.program = $2 AS "isSameProgram",
          p.started_at AS "startedAt",
          p.heard_at AS "heardAt",
          greatest(0, extract(epoch FROM now() - p.heard_at))::int AS "silentSeconds",
          CASE
            WHEN p.kind = 'worker' THEN p.worker_key IN (SELECT key FROM living)
            ELSE p.heard_at > now() - make_interval(secs => $3)
          END AS "isThere",
          p.memory_bytes::float8 AS "memoryBytes",
          p.is_draining AS "isDraining",
          (SELECT w.work FROM work w WHERE w.key = p.worker_key LIMIT 1) AS work
        FROM process p
        ORDER BY p.host, p.kind, p.started_at, p.id
      `,
      [PRESENCE, program, SILENT_S],
    )
  ).rows.map((row) => ({ ...row, isThere: row.isThere ?? false }));
