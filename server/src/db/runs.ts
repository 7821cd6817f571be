import { actor } from "../actor";
import type { RunState } from "@hindglance/contract/runs";
import type { Client } from "./pool";
import type { ErrorBody } from "@hindglance/contract/errors";

export interface Run {
  id: string;
  studyId: string | null;
  kind: string;
  title: string;
  params: Record<string, unknown>;
  /** Who began it, as it was said. */
  actor: string | null;
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
  r.id, r.study_id AS "studyId", r.kind, r.title, r.params, r.actor, r.state, r.phase, r.phases,
  r.error, r.result, r.created_at AS "createdAt", r.finished_at AS "finishedAt"
`;

/** A run, or null. */
export const findRun = async (client: Client, id: string): Promise<Run | null> =>
  (await client.query<Run>(`SELECT ${COLUMNS} FROM run r WHERE id = $1`, [id])).rows[0] ?? null;
/**
 * How a run is held until the transaction ends. `moving`: by whoever moves it on, who does it alone.
 * `ending`: besides that, nobody writes for it any more, and what was being written is written.
 */
const HOLDS = { moving: "FOR NO KEY UPDATE", ending: "FOR UPDATE" };

/** A run, held until the transaction ends; or null. */
export const lockRun = async (
  client: Client,
  id: string,
  how: keyof typeof HOLDS,
): Promise<Run | null> =>
  (await client.query<Run>(`SELECT ${COLUMNS} FROM run r WHERE id = $1 ${HOLDS[how]}`, [id]))
    .rows[0] ?? null;

/** Whether a run is running. */
export const isRunning = async (client: Client, id: string): Promise<boolean> =>
  (await client.query("SELECT 1 FROM run WHERE id = $1 AND state = 'running'", [id])).rowCount ===
  1;

/** The same, and it stays so until the transaction ends: many may write for it at a time. */
export const staysRunning = async (client: Client, id: string): Promise<boolean> =>
  (await client.query("SELECT 1 FROM run WHERE id = $1 AND state = 'running' FOR KEY SHARE", [id]))
    .rowCount === 1;

/** Begins a run with its phases; gives its id. */
export async function createRun(
  client: Client,
  r: { studyId: string | null; kind: string; title: string; params: object; phases: PhasePlan[] },
): Promise<string> {
  return (
    await client.query<{ id: string }>(
      `
        INSERT INTO run (study_id, kind, title, params, phases, phase, actor)
        VALUES ($1, $2, $3, $4, $5, -1, $6)
        RETURNING id
      `,
      [r.studyId, r.kind, r.title, r.params, JSON.stringify(r.phases), actor()],
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

/** Whoever begins to measure this map does it alone, until the transaction ends. */
export const holdMeasure = async (client: Client, key: string): Promise<void> => {
  await client.query("SELECT pg_advisory_xact_lock(7310405, hashtext($1))", [key]);
};

/** A run goes on only as long as somebody waits for it: for so many seconds at first. */
export const setWanted = async (client: Client, id: string, seconds: number): Promise<void> => {
  await client.query(
    "UPDATE run SET wanted_until = now() + make_interval(secs => $2) WHERE id = $1",
    [id, seconds],
  );
};

/** Runs are waited for: those that end without it go on for so many seconds from now. */
export const keepWanted = async (
  client: Client,
  ids: readonly string[],
  seconds: number,
): Promise<void> => {
  await client.query(
    `
      UPDATE run
      SET wanted_until = greatest(wanted_until, now() + make_interval(secs => $2))
      WHERE id = ANY ($1)
        AND state = 'running'
        AND wanted_until IS NOT NULL
    `,
    [ids, seconds],
  );
};

/** One that waited for a run has left: without others it goes on for so many seconds at most. */
export const leaveWanted = async (client: Client, id: string, seconds: number): Promise<void> => {
  await client.query(
    `
      UPDATE run
      SET wanted_until = least(wanted_until, now() + make_interval(secs => $2))
      WHERE id = $1
        AND state = 'running'
        AND wanted_until IS NOT NULL
    `,
    [id, seconds],
  );
};

/** Runs that nobody waits for any more. */
export const listUnwanted = async (client: Client): Promise<string[]> =>
  (
    await client.query<{ id: string }>(
      "SELECT id FROM run WHERE state = 'running' AND wanted_until < now()",
    )
  ).rows.map(({ id }) => id);

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

/** Runs that are under way though every range of their phase is done. */
export const listStuck = async (client: Client): Promise<string[]> =>
  (
    await client.query<{ id: string }>(`
      SELECT r.id
      FROM run r
      WHERE r.state = 'running'
        AND NOT EXISTS (
          SELECT 1
          FROM run_range x
          WHERE x.run_id = r.id
            AND x.phase = r.phase
            AND x.state <> 'done'
        )
    `)
  ).rows.map(({ id }) => id);

/**
 * Takes away runs that ended so many days ago; measurings, whose result is kept by itself, after a
 * day. How many.
 */
export const sweepRuns = async (client: Client, days: number): Promise<number> =>
  (
    await client.query(
      `
        DELETE FROM run
        WHERE state <> 'running'
          AND finished_at < now() - CASE kind
            WHEN 'measureAreas' THEN interval '1 day'
            ELSE make_interval(days => $1)
          END
      `,
      [days],
    )
  ).rowCount ?? 0;

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
