import { actor } from "../actor";
import type { Study, StudySummary, LedgerEntry } from "@hindglance/contract/studies";
import { type Comparison, type OneComparison, SCENE_KINDS } from "@hindglance/contract/comparison";
import type { PrepareState } from "@hindglance/contract/prepare";
import type { Client } from "./pool";

export type { Study, StudySummary, LedgerEntry } from "@hindglance/contract/studies";

const COLUMNS = `
  id, name, hazard, event_at AS "eventAt", study_area AS "studyArea", compare, chain,
  optical_chain AS "opticalChain", align, version, created_at AS "createdAt",
  updated_at AS "updatedAt"
`;

/** All studies, the one last worked on first, with what they hold. */
export async function listStudies(client: Client): Promise<StudySummary[]> {
  return (
    await client.query<StudySummary>(
      `
        SELECT
          ${COLUMNS},
          (
            SELECT count(*)::int
            FROM scene
            WHERE study_id = study.id
              AND image_id IS NOT NULL
          ) AS scenes,
          (
            SELECT count(*)::int
            FROM change_map
            WHERE study_id = study.id
          ) AS "changeMaps"
        FROM study
        ORDER BY updated_at DESC
      `,
    )
  ).rows;
}

/** A study, or null. */
export const findStudy = async (client: Client, id: string): Promise<Study | null> =>
  (await client.query<Study>(`SELECT ${COLUMNS} FROM study WHERE id = $1`, [id])).rows[0] ?? null;

/** A study, kept from being changed by others until the transaction ends. */
export const lockStudy = async (client: Client, id: string): Promise<Study | null> =>
  (await client.query<Study>(`SELECT ${COLUMNS} FROM study WHERE id = $1 FOR UPDATE`, [id]))
    .rows[0] ?? null;

/** Begins a study. */
export async function createStudy(
  client: Client,
  s: { name: string; hazard: string; eventAt: string | null; studyArea: object | null },
): Promise<Study> {
  return (
    await client.query<Study>(
      `
        INSERT INTO study (name, hazard, event_at, study_area)
        VALUES ($1, $2, $3, $4)
        RETURNING ${COLUMNS}
      `,
      [s.name, s.hazard, s.eventAt, s.studyArea],
    )
  ).rows[0]!;
}

type StudyChange = Partial<{
  name: string;
  hazard: string;
  eventAt: string | null;
  studyArea: object | null;
  compare: Comparison | null;
  chain: object | null;
  opticalChain: object | null;
  align: object | null;
}>;
const STUDY_COLUMNS: readonly (readonly [key: keyof StudyChange, column: string])[] = [
  ["name", "name"],
  ["hazard", "hazard"],
  ["eventAt", "event_at"],
  ["studyArea", "study_area"],
  ["compare", "compare"],
  ["chain", "chain"],
  ["opticalChain", "optical_chain"],
  ["align", "align"],
];

/** Changes what is given of a study; null where there is none such. */
export async function updateStudy(
  client: Client,
  id: string,
  s: StudyChange,
): Promise<Study | null> {
  const given = STUDY_COLUMNS.filter(([key]) => s[key] !== undefined);
  const sets = given.map(([, column], i) => `${column} = $${i + 2}`);
  return (
    (
      await client.query<Study>(
        `
          UPDATE study
          SET ${[...sets, "updated_at = now()"].join(", ")}
          WHERE id = $1
          RETURNING ${COLUMNS}
        `,
        [id, ...given.map(([key]) => s[key])],
      )
    ).rows[0] ?? null
  );
}

/**
 * One scene takes the place of others in what a study has chosen: its pairs, and what its chains
 * hold out. What was excepted for the old ones is dropped.
 */
export async function replaceScenes(
  client: Client,
  study: string,
  old: readonly string[],
  by: string,
): Promise<void> {
  const s = await findStudy(client, study);
  if (!s) {
    return;
  }
  const take = <Id extends string | null>(id: Id): Id | string =>
    id !== null && old.includes(id) ? by : id;
  const inPair = <One extends OneComparison>(one: One): One => ({
    ...one,
    beforeId: take(one.beforeId),
    afterId: take(one.afterId),
  });
  const inChain = (chain: PrepareState): PrepareState => ({
    ...chain,
    exceptions: Object.fromEntries(
      Object.entries(chain.exceptions).filter(([id]) => !old.includes(id)),
    ),
    heldOut: [...new Set(chain.heldOut.map(take))],
  });
  const others: NonNullable<Comparison["others"]> = {};
  for (const kind of SCENE_KINDS) {
    const one = s.compare?.others?.[kind];
    if (one !== undefined) {
      others[kind] = one && inPair(one);
    }
  }
  await updateStudy(client, study, {
    compare: s.compare
      ? {
          ...inPair(s.compare),
          ...(s.compare.others ? { others } : {}),
        }
      : undefined,
    chain: s.chain ? inChain(s.chain) : undefined,
    opticalChain: s.opticalChain ? inChain(s.opticalChain) : undefined,
  });
}

/** A chain that was set while there was no elevation takes the first that comes. */
export const takeElevation = async (
  client: Client,
  study: string,
  scene: string,
): Promise<void> => {
  await client.query(
    `
      UPDATE study
      SET
        chain = jsonb_set(chain, '{chain,terrain,elevationId}', to_jsonb($2::text))
      WHERE id = $1
        AND chain #> '{chain,terrain,elevationId}' = 'null'::jsonb
    `,
    [study, scene],
  );
};

/** Deletes a study with all that hangs on it; its images are swept by the caller. */
export const deleteStudy = async (client: Client, id: string): Promise<boolean> => {
  await client.query(
    `
      DELETE FROM patch
      WHERE change_map_id IN (
          SELECT id
          FROM change_map
          WHERE study_id = $1
        )
    `,
    [id],
  );
  return ((await client.query("DELETE FROM study WHERE id = $1", [id])).rowCount ?? 0) > 0;
};

/** Says that a study was worked on. */
export const touchStudy = async (client: Client, id: string): Promise<void> => {
  await client.query("UPDATE study SET updated_at = now() WHERE id = $1", [id]);
};

/** Writes down what was done in a study. */
export const addToLedger = async (
  client: Client,
  study: string,
  what: string,
  detail: object,
): Promise<void> => {
  await client.query("INSERT INTO ledger (study_id, what, detail, actor) VALUES ($1, $2, $3, $4)", [
    study,
    what,
    detail,
    actor(),
  ]);
};

/** What was done in a study, in order. */
export const readLedger = async (client: Client, study: string): Promise<LedgerEntry[]> =>
  (
    await client.query<LedgerEntry>(
      `
        SELECT id::int, at, what, detail, actor
        FROM ledger
        WHERE study_id = $1
        ORDER BY ledger.id
      `,
      [study],
    )
  ).rows;
