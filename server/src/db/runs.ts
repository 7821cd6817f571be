import type { RunState } from "@hindglance/contract/runs";
import type { Client } from "./pool";
import type { ErrorBody } from "@hindglance/contract/errors";

export interface Run {
  id: string;
  studyId: string | null;
  kind: string;
  title: string;
  params: Record<string, unknown>;
  state: RunState;
  phase: number;
  phases: PhasePlan[];
  error: ErrorBody | null;
  result: Record<string, unknown> | null;
  createdAt: string;
  finishedAt: string | null;
}
/** What a phase is called and its share of the work. */
export interface PhasePlan {
  name: string;
  weight: number;
}
export interface RunProgress extends Run {
  progress: number;
  doing: string;
}

const COLUMNS = `
  r.id, r.study_id AS "studyId", r.kind, r.title, r.params, r.state, r.phase, r.phases,
  r.error, r.result, r.created_at AS "createdAt", r.finished_at AS "finishedAt"
`;

/** A run, or null. */
export const findRun = async (client: Client, id: string): Promise<Run | null> =>
  (await client.query<Run>(`SELECT ${COLUMNS} FROM run r WHERE id = $1`, [id])).rows[0] ?? null;
/** The same, held until the transaction ends: whoever moves a run on does it alone. */
export const lockRun = async (client: Client, id: string): Promise<Run | null> =>
  (await client.query<Run>(`SELECT ${COLUMNS} FROM run r WHERE id = $1 FOR UPDATE`, [id]))
    .rows[0] ?? null;

/** Begins a run with its phases; gives its id. */
export async function createRun(
  client: Client,
  r: { studyId: string | null; kind: string; title: string; params: object; phases: PhasePlan[] },
): Promise<string> {
  return (
    await client.query<{ id: string }>(
      `
        INSERT INTO run (study_id, kind, title, params, phases, phase)
        VALUES ($1, $2, $3, $4, $5, -1)
        RETURNING id
      `,
      [r.studyId, r.kind, r.title, r.params, JSON.stringify(r.phases)],
    )
  ).rows[0]!.id;
}

/** Ends a run that is running, with what came of it. */
export async function endRun(
  client: Client,
  id: string,
  state: RunState,
  facts: { error?: ErrorBody; result?: object } = {},
): Promise<boolean> {
  return (
    ((
      await client.query(
        `
          UPDATE run
          SET state = $2, error = $3, result = $4, finished_at = now()
          WHERE id = $1
            AND state = 'running'
        `,
        [id, state, facts.error ?? null, facts.result ?? null],
      )
    ).rowCount ?? 0) > 0
  );
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
 * not wait behind a long run.
 */
export async function claimRange(
  client: Client,
  worker: string,
): Promise<{ run: string; phase: number; seq: number; attempts: number } | null> {
  return (
    (
      await client.query<{ run: string; phase: number; seq: number; attempts: number }>(
        `
          UPDATE run_range x
          SET state = 'active', claimed_by = $1, attempts = attempts + 1, progress = 0
          FROM (
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
            ) n
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

/** Says how far a range is, 0–1, as long as its worker holds it. */
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
  worker: string,
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

/**
 * Ranges whose worker has not been seen for a while go back to the queue; ranges that were never
 * picked up are named again.
 */
export async function releaseLostRanges(
  client: Client,
  silentSeconds: number,
): Promise<{ run_id: string; phase: number; seq: number }[]> {
  await client.query(
    `
    DELETE FROM worker
    WHERE seen_at < now() - make_interval(secs => $1)
  `,
    [silentSeconds],
  );
  return (
    await client.query<{
      run_id: string;
      phase: number;
      seq: number;
    }>(`
      UPDATE run_range x
      SET state = 'queued', claimed_by = NULL
      FROM run r
      WHERE r.id = x.run_id
        AND r.state = 'running'
        AND x.state = 'active'
        AND NOT EXISTS (
          SELECT 1
          FROM worker w
          WHERE w.id = x.claimed_by
        )
      RETURNING x.run_id, x.phase, x.seq
    `)
  ).rows;
}

/** Ranges that wait for a worker. */
export const queuedRanges = async (
  client: Client,
): Promise<{ run_id: string; phase: number; seq: number }[]> =>
  (
    await client.query<{ run_id: string; phase: number; seq: number }>(
      `
        SELECT x.run_id, x.phase, x.seq
        FROM run_range x
          JOIN run r ON r.id = x.run_id
        WHERE r.state = 'running'
          AND x.state = 'queued'
          AND x.phase = r.phase
      `,
    )
  ).rows;

/** Says that a worker lives. */
export const seen = async (
  client: Client,
  worker: string,
  host: string,
  pid: number,
): Promise<void> => {
  await client.query(
    `
      INSERT INTO worker (id, host, pid)
      VALUES ($1, $2, $3)
      ON CONFLICT (id) DO UPDATE
      SET seen_at = now()
    `,
    [worker, host, pid],
  );
};

/** Takes a worker off the list and lets its ranges go to others. */
export const gone = async (client: Client, worker: string): Promise<void> => {
  await client.query("DELETE FROM worker WHERE id = $1", [worker]);
};

const PROGRESS = `
  ${COLUMNS},
  coalesce(
    (
      SELECT json_agg(json_build_object('phase', p.phase, 'done', p.done))
      FROM (
        SELECT phase, sum(weight * progress) / sum(weight) AS done
        FROM run_range
        WHERE run_id = r.id
        GROUP BY phase
      ) p
    ),
    '[]'
  ) AS done
`;

/** Share of the whole run that is done, from the weights of its phases. */
function withProgress(r: Run & { done: { phase: number; done: number }[] }): RunProgress {
  const total = r.phases.reduce((s, phasePlan) => s + phasePlan.weight, 0) || 1;
  const progress =
    r.state === "done"
      ? 1
      : r.phases.reduce(
          (s, phasePlan, i) =>
            s + phasePlan.weight * (r.done.find((counted) => counted.phase === i)?.done ?? 0),
          0,
        ) / total;
  const { done: _done, ...run } = r;
  return { ...run, progress, doing: r.phases[r.phase]?.name ?? "" };
}

/** Runs that go on or ended within a day, the newest first; of one study or of all. */
export async function listRuns(client: Client, study: string | null): Promise<RunProgress[]> {
  return (
    await client.query<Run & { done: { phase: number; done: number }[] }>(
      `
        SELECT ${PROGRESS}
        FROM run r
        WHERE (
            $1::uuid IS NULL
            OR r.study_id = $1
          )
          AND (
            r.state = 'running'
            OR r.finished_at > now() - interval '1 day'
          )
        ORDER BY r.created_at DESC
        LIMIT 100
      `,
      [study],
    )
  ).rows.map(withProgress);
}

/** A run with how far it is, or null. */
export async function runProgress(client: Client, id: string): Promise<RunProgress | null> {
  const row = (
    await client.query<Run & { done: { phase: number; done: number }[] }>(
      `SELECT ${PROGRESS} FROM run r WHERE r.id = $1`,
      [id],
    )
  ).rows[0];
  return row ? withProgress(row) : null;
}

/** The run of a study that is measuring the map of a hash, if one is. */
export const runningMeasure = async (
  client: Client,
  study: string,
  key: string,
): Promise<string | null> =>
  (
    await client.query<{ id: string }>(
      `
        SELECT id
        FROM run
        WHERE study_id = $1
          AND kind = 'measureAreas'
          AND state = 'running'
          AND params ->> 'key' = $2
      `,
      [study, key],
    )
  ).rows[0]?.id ?? null;

/** Runs of a study that measure maps nobody waits for any more: all but that of a hash. */
export const supersededMeasures = async (
  client: Client,
  study: string,
  key: string | null,
): Promise<string[]> =>
  (
    await client.query<{ id: string }>(
      `
        SELECT id
        FROM run
        WHERE study_id = $1
          AND kind = 'measureAreas'
          AND state = 'running'
          AND params ->> 'key' IS DISTINCT FROM $2
      `,
      [study, key],
    )
  ).rows.map((row) => row.id);

/** A Prepare run under way, with what it computes and how far its present phase is. */
export interface OpenPrepareRun {
  id: string;
  phase: number;
  phases: PhasePlan[];
  items: {
    sceneId: string;
    hash: string;
    step: string;
    info: { grid: { width: number; height: number } };
  }[];
  /** Work of the present phase that is done, and all of it; null before it has ranges. */
  done: number | null;
  all: number | null;
}

const OPEN_PREPARE_RUNS = `
  SELECT r.id, r.phase, r.phases, items.list AS items, ranges.done, ranges.all
  FROM run r
  CROSS JOIN LATERAL (
    SELECT jsonb_agg(jsonb_build_object(
      'sceneId', x -> 'sceneId',
      'hash', x -> 'hash',
      'step', x -> 'step',
      'info', jsonb_build_object('grid', jsonb_build_object(
        'width', x -> 'info' -> 'grid' -> 'width',
        'height', x -> 'info' -> 'grid' -> 'height'
      ))
    )) AS list
    FROM jsonb_array_elements(r.params -> 'items') x
  ) items
  CROSS JOIN LATERAL (
    SELECT
      sum(g.weight * g.progress)::float8 AS done,
      sum(g.weight)::float8 AS all
    FROM run_range g
    WHERE g.run_id = r.id AND g.phase = r.phase
  ) ranges
  WHERE r.study_id = $1 AND r.kind = 'prepareDates' AND r.state = 'running'
`;

/** Prepare runs of a study that are under way. */
export const listPrepareRuns = async (client: Client, study: string): Promise<OpenPrepareRun[]> =>
  (await client.query<OpenPrepareRun>(OPEN_PREPARE_RUNS, [study])).rows;

/** Runs that are under way, with the phase that each is in. */
export const listRunning = async (client: Client): Promise<{ id: string; phase: number }[]> =>
  (
    await client.query<{ id: string; phase: number }>(
      "SELECT id, phase FROM run WHERE state = 'running'",
    )
  ).rows;

/** Ends the runs of a study; their workers notice within half a second. */
export const cancelRunsOf = async (client: Client, study: string): Promise<void> => {
  await client.query(
    `
      UPDATE run
      SET state = 'cancelled', finished_at = now()
      WHERE study_id = $1
        AND state = 'running'
    `,
    [study],
  );
};

/** Tells the pages that a run has moved on. */
export const notifyRun = async (client: Client, run: string): Promise<void> => {
  await client.query("SELECT pg_notify('hg_runs', $1)", [run]);
};

/** Tells the workers that there are ranges to do. */
export const notifyWork = async (client: Client): Promise<void> => {
  await client.query("SELECT pg_notify('hg_work', '')");
};
