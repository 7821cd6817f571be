import type { Said, StandingArea, VerdictAct } from "@hindglance/contract/verdicts";
import type { Verdict } from "@hindglance/core/review/standing";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { PatchFilter } from "@hindglance/contract/changeMaps";
import { patchesWhere } from "./changeMaps";
import type { Client } from "./pool";
import { tellOfMap } from "./told";

/** Acts that are listed. */
const ACTS = 200;

/** What is said, by whom, of which patches. */
export interface Saying {
  reviewer: string;
  /** Null: only the note. */
  verdict: Verdict | null;
  /** Null: notes stay as they are. */
  note: string | null;
  which: PatchFilter | { numbers: readonly number[] };
}

/**
 * Lets acts on a map go one after the other: how a patch stands is told from what all say of it.
 * @returns whether the map is there
 */
const lockMap = async (client: Client, map: string): Promise<boolean> =>
  ((await client.query("SELECT 1 FROM change_map WHERE id = $1 FOR NO KEY UPDATE", [map]))
    .rowCount ?? 0) > 0;

/** Writes anew how patches stand; `touched`: a query for them, with what is said of the map as $1. */
const restand = async (
  client: Client,
  map: string,
  touched: string,
  values: unknown[],
): Promise<void> => {
  await client.query(
    `
      WITH
        touched AS (
          ${touched}
        ),
        stands AS (
          SELECT
            t.patch,
            CASE
              WHEN bool_or(v.verdict = 'real') AND bool_or(v.verdict = 'false') THEN 'disputed'
              WHEN bool_or(v.verdict = 'real') THEN 'real'
              WHEN bool_or(v.verdict = 'false') THEN 'false'
              ELSE 'open'
            END AS standing
          FROM touched t
            LEFT JOIN verdict v ON v.change_map_id = $1 AND v.patch = t.patch
          GROUP BY t.patch
        )
      UPDATE patch p
      SET standing = s.standing
      FROM stands s
      WHERE p.change_map_id = $1
        AND p.number = s.patch
        AND p.standing <> s.standing
    `,
    [map, ...values],
  );
};

/** Writes anew how patches stand of which something was said, or taken back, in an act. */
const restandAfter = (client: Client, map: string, act: number): Promise<void> =>
  restand(client, map, "SELECT patch FROM verdict_change WHERE act = $2", [act]);

/** What was said before, as it is kept with an act. */
const WAS = `
  CASE
    WHEN v.patch IS NOT NULL THEN jsonb_build_object(
      'verdict', v.verdict, 'note', v.note, 'saidAt', v.said_at, 'inherited', v.inherited
    )
  END
`;

/**
 * Says something of patches, in one act; what says the same already is left as it is.
 * @returns the act, null where nothing is new, and of how many patches; null where the map is not there
 */
export async function sayOf(
  client: Client,
  map: string,
  { reviewer, verdict, note, which }: Saying,
): Promise<{ act: number | null; patches: number } | null> {
  if (!(await lockMap(client, map))) {
    return null;
  }
  const { rows } = await client.query<{ id: number }>(
    `
      INSERT INTO verdict_act (change_map_id, reviewer, verdict, note)
      VALUES ($1, $2, $3, $4)
      RETURNING id::float8 AS id
    `,
    [map, reviewer, verdict, note],
  );
  const act = rows[0]!.id;
  const more = [act, reviewer, verdict, note];
  const asked =
    "numbers" in which
      ? { sql: "change_map_id = $1 AND number = ANY($6)", values: [map, ...more, which.numbers] }
      : patchesWhere(which, map, more);
  const { rowCount } = await client.query(
    `
      INSERT INTO verdict_change (act, patch, was)
      SELECT $2, p.number, ${WAS}
      FROM (
          SELECT number
          FROM patch
          WHERE ${asked.sql}
        ) p
        LEFT JOIN verdict v ON v.change_map_id = $1 AND v.patch = p.number AND v.reviewer = $3
      WHERE v.patch IS NULL
        OR v.inherited IS NOT NULL
        OR v.verdict <> coalesce($4, v.verdict)
        OR v.note <> coalesce($5, v.note)
    `,
    asked.values,
  );
  if (!rowCount) {
    await client.query("DELETE FROM verdict_act WHERE id = $1", [act]);
    return { act: null, patches: 0 };
  }
  await putInto(client, map, act);
  await restandAfter(client, map, act);
  await tellOfMap(client, map, "verdict");
  return { act, patches: rowCount };
}

/** Puts back what was there before an act, where its reviewer said nothing else since. */
async function takeBack(client: Client, map: string, act: number): Promise<number> {
  const still = `
    FROM verdict_change c
      JOIN verdict_act a ON a.id = c.act
    WHERE a.id = $2
      AND v.change_map_id = $1
      AND v.patch = c.patch
      AND v.reviewer = a.reviewer
      AND v.said_at = a.said_at
  `;
  const restored = await client.query(
    `
      UPDATE verdict v
      SET
        verdict = c.was ->> 'verdict',
        note = c.was ->> 'note',
        said_at = (c.was ->> 'saidAt')::timestamptz,
        inherited = nullif(c.was -> 'inherited', 'null')
      ${still}
        AND c.was IS NOT NULL
    `,
    [map, act],
  );
  const removed = await client.query(
    `DELETE FROM verdict v USING ${still.trim().slice("FROM".length)} AND c.was IS NULL`,
    [map, act],
  );
  return (restored.rowCount ?? 0) + (removed.rowCount ?? 0);
}

/** Writes what an act says over what was there, where that is as it was before the act. */
async function putInto(client: Client, map: string, act: number): Promise<number> {
  const { rowCount } = await client.query(
    `
      INSERT INTO verdict (change_map_id, patch, reviewer, verdict, note, said_at, inherited)
      SELECT
        $1,
        c.patch,
        a.reviewer,
        coalesce(a.verdict, c.was ->> 'verdict', 'open'),
        coalesce(a.note, c.was ->> 'note', ''),
        a.said_at,
        NULL
      FROM verdict_change c
        JOIN verdict_act a ON a.id = c.act
        LEFT JOIN verdict v ON v.change_map_id = $1 AND v.patch = c.patch AND v.reviewer = a.reviewer
      WHERE a.id = $2
        AND v.said_at IS NOT DISTINCT FROM (c.was ->> 'saidAt')::timestamptz
      ON CONFLICT (change_map_id, patch, reviewer) DO UPDATE
      SET
        verdict = excluded.verdict,
        note = excluded.note,
        said_at = excluded.said_at,
        inherited = excluded.inherited
    `,
    [map, act],
  );
  return rowCount ?? 0;
}

/**
 * Takes an act back, or says it again; what its reviewer said since of the same patches is kept.
 * @returns of how many patches; null where there is no such act of the map
 */
export async function turnAct(
  client: Client,
  map: string,
  act: number,
  undone: boolean,
): Promise<number | null> {
  if (!(await lockMap(client, map))) {
    return null;
  }
  const found = await client.query<{ undone: boolean }>(
    "SELECT undone FROM verdict_act WHERE id = $1 AND change_map_id = $2",
    [act, map],
  );
  const [is] = found.rows;
  if (!is) {
    return null;
  }
  if (is.undone === undone) {
    return 0;
  }
  await client.query("UPDATE verdict_act SET undone = $2, turned_at = now() WHERE id = $1", [
    act,
    undone,
  ]);
  const patches = await (undone ? takeBack : putInto)(client, map, act);
  await restandAfter(client, map, act);
  await tellOfMap(client, map, "verdict");
  return patches;
}

/** What was said of the patches of a map, the latest first. */
export const listActs = async (client: Client, map: string): Promise<VerdictAct[]> =>
  (
    await client.query<VerdictAct>(
      `
        SELECT
          a.id::float8 AS id,
          a.reviewer,
          a.verdict,
          a.said_at AS "saidAt",
          a.undone,
          (SELECT count(*)::int FROM verdict_change c WHERE c.act = a.id) AS patches
        FROM verdict_act a
        WHERE a.change_map_id = $1
        ORDER BY a.id DESC
        LIMIT ${ACTS}
      `,
      [map],
    )
  ).rows;

/** What was said of a patch, by reviewer. */
export const listSaid = async (client: Client, map: string, patch: number): Promise<Said[]> =>
  (
    await client.query<Said>(
      `
        SELECT reviewer, verdict, note, said_at AS "saidAt", inherited
        FROM verdict
        WHERE change_map_id = $1
          AND patch = $2
        ORDER BY said_at, reviewer
      `,
      [map, patch],
    )
  ).rows;

/** Areas of a map's patches by class and standing; of the whole map, then by zone. */
export async function standingAreas(client: Client, map: string): Promise<StandingArea[]> {
  const whole = await client.query<StandingArea>(
    `
      SELECT
        NULL AS zone,
        label,
        standing,
        count(*)::int AS patches,
        sum(cells)::float8 AS cells,
        sum(area_m2) AS "areaM2"
      FROM patch
      WHERE change_map_id = $1
      GROUP BY label, standing
      ORDER BY label, standing
    `,
    [map],
  );
  const zones = await client.query<StandingArea>(
    `
      SELECT
        z.zone,
        p.label,
        p.standing,
        count(*)::int AS patches,
        sum(z.cells)::float8 AS cells,
        sum(z.area_m2) AS "areaM2"
      FROM patch_zone z
        JOIN patch p ON p.change_map_id = z.change_map_id AND p.number = z.patch
      WHERE z.change_map_id = $1
      GROUP BY z.zone, p.label, p.standing
      ORDER BY z.zone, p.label, p.standing
    `,
    [map],
  );
  return [...whole.rows, ...zones.rows];
}

/** How many patches each reviewer judged: said real or false. */
export const listReviewers = async (
  client: Client,
  map: string,
): Promise<{ reviewer: string; patches: number }[]> =>
  (
    await client.query<{ reviewer: string; patches: number }>(
      `
        SELECT
          reviewer,
          count(*) FILTER (WHERE verdict <> 'open')::int AS patches
        FROM verdict
        WHERE change_map_id = $1
        GROUP BY reviewer
        ORDER BY patches DESC, reviewer
      `,
      [map],
    )
  ).rows;

/** How two reviewers judged the patches that both judged. */
export interface PairJudged {
  reviewers: [string, string];
  realReal: number;
  realFalse: number;
  falseReal: number;
  falseFalse: number;
}

/** Every two reviewers who judged some patches both; what was taken over from an earlier map is not counted. */
export const judgedByTwo = async (client: Client, map: string): Promise<PairJudged[]> =>
  (
    await client.query<PairJudged>(
      `
        SELECT
          json_build_array(a.reviewer, b.reviewer) AS reviewers,
          count(*) FILTER (WHERE a.verdict = 'real' AND b.verdict = 'real')::int AS "realReal",
          count(*) FILTER (WHERE a.verdict = 'real' AND b.verdict = 'false')::int AS "realFalse",
          count(*) FILTER (WHERE a.verdict = 'false' AND b.verdict = 'real')::int AS "falseReal",
          count(*) FILTER (WHERE a.verdict = 'false' AND b.verdict = 'false')::int AS "falseFalse"
        FROM verdict a
          JOIN verdict b ON b.change_map_id = a.change_map_id
          AND b.patch = a.patch
          AND b.reviewer > a.reviewer
        WHERE a.change_map_id = $1
          AND a.verdict <> 'open'
          AND b.verdict <> 'open'
          AND a.inherited IS NULL
          AND b.inherited IS NULL
        GROUP BY a.reviewer, b.reviewer
        ORDER BY a.reviewer, b.reviewer
      `,
      [map],
    )
  ).rows;

/** A map that somebody judged patches of. */
export interface JudgedMap {
  id: string;
  name: string;
  imageId: string;
  /** Numbers of patches that somebody gave an outline, where it has any. */
  patchImageId: string | null;
  info: ImageInfo;
  setup: ChangeSetup;
}

/** Maps of a study that somebody judged patches of, the latest first. */
export const findJudgedMaps = async (client: Client, study: string): Promise<JudgedMap[]> =>
  (
    await client.query<JudgedMap>(
      `
        SELECT m.id, m.name, m.image_id AS "imageId", m.patch_image_id AS "patchImageId", i.info, m.setup
        FROM change_map m
          JOIN image i ON i.id = m.image_id
        WHERE m.study_id = $1
          AND EXISTS (
            SELECT 1
            FROM verdict v
            WHERE v.change_map_id = m.id
          )
        ORDER BY m.created_at DESC
      `,
      [study],
    )
  ).rows;

/** A patch that takes over the verdicts of one of an earlier map, which covers so much of it. */
export interface Heir {
  patch: number;
  from: number;
  /** Share of its cells. */
  share: number;
}

/** Takes verdicts over from an earlier map, with who said them and when; of how many patches. */
export async function inheritVerdicts(
  client: Client,
  map: string,
  earlier: { map: string; name: string; heirs: readonly Heir[] },
): Promise<number> {
  const { heirs } = earlier;
  await client.query(
    `
      INSERT INTO verdict (change_map_id, patch, reviewer, verdict, note, said_at, inherited)
      SELECT
        $1,
        h.patch,
        v.reviewer,
        v.verdict,
        v.note,
        v.said_at,
        jsonb_build_object('map', $3::text, 'patch', h.source, 'share', h.share)
      FROM unnest($4::int[], $5::int[], $6::float8[]) AS h (patch, source, share)
        JOIN verdict v ON v.change_map_id = $2 AND v.patch = h.source
    `,
    [
      map,
      earlier.map,
      earlier.name,
      heirs.map(({ patch }) => patch),
      heirs.map(({ from }) => from),
      heirs.map(({ share }) => share),
    ],
  );
  const taken = "SELECT DISTINCT patch FROM verdict WHERE change_map_id = $1";
  await restand(client, map, taken, []);
  const { rows } = await client.query<{ patches: number }>(
    `SELECT count(*)::int AS patches FROM (${taken}) t`,
    [map],
  );
  return rows[0]!.patches;
}
