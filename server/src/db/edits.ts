import type { EditKind } from "@hindglance/core/edit/edits";
import type { RecordedAct } from "@hindglance/core/edit/recorded";
import type { ZonePart } from "@hindglance/core/patches/facts";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import type { Client } from "./pool";
import { tellOfMap } from "./told";

/** Acts that are listed at the most, the latest. */
const ACTS = 1000;

/** Where the edits of a map stand. */
export interface EditHead {
  /** The act that was done last; null: the map is as it was written. */
  head: number | null;
  /** Of the next patch that is made. */
  nextNumber: number;
}

/** Patches that the edits up to an act took away, and those that are there instead. */
export interface EditedSets {
  /** Of the map as it was written. */
  gone: number[];
  /** Made by edits. */
  made: number[];
}

/** Ends in degrees: west, south, east, north. */
type Box = readonly [number, number, number, number];

/** A patch of a map as it was written, before edits. */
export interface WrittenPatch {
  number: number;
  label: number;
  cells: number;
  areaM2: number;
  edited: boolean;
  west: number;
  south: number;
  east: number;
  north: number;
  /** GeoJSON text. */
  geometry: string;
}

/** A patch that an edit made. */
export interface EditPatch extends Omit<WrittenPatch, "geometry" | "edited"> {
  /** The patch that it was before; null where it is new. */
  origin: number | null;
  zones: ZonePart[];
  /** In cells of the map. */
  outline: MultiPolygon;
}

/** Where the edits of a map stand; null where none was ever made. */
export const findEditHead = async (client: Client, map: string): Promise<EditHead | null> =>
  (
    await client.query<EditHead>(
      `
        SELECT head::float8 AS head, next_number AS "nextNumber"
        FROM edit_state
        WHERE change_map_id = $1
      `,
      [map],
    )
  ).rows[0] ?? null;

/**
 * Lets edits of a map go one after the other, and tells where they stand.
 * @param firstNumber of the first patch that an edit makes
 */
export async function lockEdits(
  client: Client,
  map: string,
  firstNumber: number,
): Promise<EditHead> {
  await client.query(
    `
      INSERT INTO edit_state (change_map_id, next_number)
      VALUES ($1, $2)
      ON CONFLICT DO NOTHING
    `,
    [map, firstNumber],
  );
  await client.query("SELECT 1 FROM edit_state WHERE change_map_id = $1 FOR UPDATE", [map]);
  return (await findEditHead(client, map))!;
}

/** Acts that led to one ($2) on a map ($1), itself among them. */
const PATH = `
  path AS (
    SELECT id, parent, kind, editor, gone, made
    FROM edit_act
    WHERE change_map_id = $1
      AND id = $2
    UNION ALL
    SELECT a.id, a.parent, a.kind, a.editor, a.gone, a.made
    FROM edit_act a
      JOIN path p ON a.id = p.parent
  )
`;

/** What the acts up to one come to, from the map as it was written. */
export async function editedSets(
  client: Client,
  map: string,
  head: number | null,
): Promise<EditedSets> {
  const { rows } = await client.query<EditedSets>(
    `
      WITH RECURSIVE
        ${PATH},
        gone AS (
          SELECT unnest(gone) AS number
          FROM path
        ),
        made AS (
          SELECT unnest(made) AS number
          FROM path
        )
      SELECT
        ARRAY(SELECT number FROM gone EXCEPT SELECT number FROM made ORDER BY 1) AS gone,
        ARRAY(SELECT number FROM made EXCEPT SELECT number FROM gone ORDER BY 1) AS made
    `,
    [map, head],
  );
  return rows[0]!;
}

/** An act as it is kept. */
export interface ActRow {
  id: number;
  parent: number | null;
  kind: EditKind;
  editor: string;
  doneAt: string;
  gone: number;
  made: number;
}

/** The latest acts on a map, the latest first. */
export const listEditActs = async (client: Client, map: string): Promise<ActRow[]> =>
  (
    await client.query<ActRow>(
      `
        SELECT
          id::float8 AS id,
          parent::float8 AS parent,
          kind,
          editor,
          done_at AS "doneAt",
          cardinality(gone) AS gone,
          cardinality(made) AS made
        FROM edit_act
        WHERE change_map_id = $1
        ORDER BY edit_act.id DESC
        LIMIT ${ACTS}
      `,
      [map],
    )
  ).rows;

/** Acts that led to a state: how many of each kind, and who did them. */
export const actsUpTo = async (
  client: Client,
  map: string,
  head: number,
): Promise<{ kind: EditKind; editor: string; acts: number }[]> =>
  (
    await client.query<{ kind: EditKind; editor: string; acts: number }>(
      `
        WITH RECURSIVE
          ${PATH}
        SELECT kind, editor, count(*)::int AS acts
        FROM path
        GROUP BY kind, editor
        ORDER BY kind, editor
      `,
      [map, head],
    )
  ).rows;

/**
 * Acts that led to a state, the first first, with the patches that each of them made: what it takes to do
 * them again.
 */
export async function recordedActs(
  client: Client,
  map: string,
  head: number | null,
): Promise<RecordedAct[]> {
  const { rows } = await client.query<
    Pick<RecordedAct, "kind" | "editor" | "gone"> & { made: number[] }
  >(
    `
      WITH RECURSIVE
        ${PATH}
      SELECT kind, editor, gone, made
      FROM path
      ORDER BY id
    `,
    [map, head],
  );
  const numbers = rows.flatMap(({ made }) => made);
  const patches = new Map(
    (await editPatches(client, map, numbers)).map((patch) => [patch.number, patch]),
  );
  return rows.map(({ made, ...act }) => ({
    ...act,
    made: made.map((number) => {
      const { origin, label, outline } = patches.get(number)!;
      return { number, from: origin, label, polygons: outline };
    }),
  }));
}

/** Sets the number of the next patch that an edit of a map makes. */
export const setNextNumber = async (
  client: Client,
  map: string,
  nextNumber: number,
): Promise<void> => {
  await client.query("UPDATE edit_state SET next_number = $2 WHERE change_map_id = $1", [
    map,
    nextNumber,
  ]);
};

/** An act by the key that was given when it was asked for, or by its number; null where there is none. */
export const findAct = async (
  client: Client,
  map: string,
  which: { key: string } | { id: number },
): Promise<{ id: number; parent: number | null; made: number[] } | null> =>
  (
    await client.query<{ id: number; parent: number | null; made: number[] }>(
      `
        SELECT id::float8 AS id, parent::float8 AS parent, made
        FROM edit_act
        WHERE change_map_id = $1
          AND (key = $2 OR id = $3)
      `,
      [map, "key" in which ? which.key : null, "id" in which ? which.id : null],
    )
  ).rows[0] ?? null;

/** The act that was last done on a state; null where none was. */
export const latestChild = async (
  client: Client,
  map: string,
  head: number | null,
): Promise<number | null> =>
  (
    await client.query<{ id: number | null }>(
      `
        SELECT max(id)::float8 AS id
        FROM edit_act
        WHERE change_map_id = $1
          AND parent IS NOT DISTINCT FROM $2
      `,
      [map, head],
    )
  ).rows[0]!.id;

/** Keeps an act with the patches that it made, and stands after it; its number. */
export async function addAct(
  client: Client,
  map: string,
  act: { parent: number | null; key: string; kind: EditKind; editor: string; gone: number[] },
  made: readonly EditPatch[],
): Promise<number> {
  const { rows } = await client.query<{ id: number }>(
    `
      INSERT INTO edit_act (change_map_id, parent, key, kind, editor, gone, made)
      VALUES ($1, $2, $3, $4, $5, $6, $7)
      RETURNING id::float8 AS id
    `,
    [map, act.parent, act.key, act.kind, act.editor, act.gone, made.map(({ number }) => number)],
  );
  for (const one of made) {
    await addPatch(client, map, one);
  }
  const { id } = rows[0]!;
  await client.query(
    `
      UPDATE edit_state
      SET head = $2, next_number = next_number + $3
      WHERE change_map_id = $1
    `,
    [map, id, made.length],
  );
  await tellOfMap(client, map, "edit");
  return id;
}

const addPatch = async (client: Client, map: string, one: EditPatch): Promise<void> => {
  await client.query(
    `
      INSERT INTO edit_patch (
          change_map_id, number, origin, label, cells, area_m2, zones,
          west, south, east, north, outline
        )
      VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)
    `,
    [
      ...[map, one.number, one.origin, one.label, one.cells, one.areaM2],
      JSON.stringify(one.zones),
      ...[one.west, one.south, one.east, one.north],
      JSON.stringify(one.outline),
    ],
  );
};

/** Lets the edits of a map stand after another act. */
export async function setEditHead(client: Client, map: string, head: number | null): Promise<void> {
  await client.query("UPDATE edit_state SET head = $2 WHERE change_map_id = $1", [map, head]);
  await tellOfMap(client, map, "edit");
}

const WRITTEN = `
  number, label, cells::float8 AS cells, area_m2 AS "areaM2", edited,
  west, south, east, north, geometry
`;
const MADE = `
  number, origin, label, cells::float8 AS cells, area_m2 AS "areaM2", zones,
  west, south, east, north, outline
`;

/** Patches of a map as it was written, by number. */
export const writtenPatches = async (
  client: Client,
  map: string,
  numbers: readonly number[],
): Promise<WrittenPatch[]> =>
  (
    await client.query<WrittenPatch>(
      `SELECT ${WRITTEN} FROM patch WHERE change_map_id = $1 AND number = ANY($2)`,
      [map, numbers],
    )
  ).rows;

/** Patches that edits made, by number. */
export const editPatches = async (
  client: Client,
  map: string,
  numbers: readonly number[],
): Promise<EditPatch[]> =>
  (
    await client.query<EditPatch>(
      `SELECT ${MADE} FROM edit_patch WHERE change_map_id = $1 AND number = ANY($2)`,
      [map, numbers],
    )
  ).rows;

/** The largest of some patches that came of another one by edits; null where none did. */
export const heirOf = async (
  client: Client,
  map: string,
  number: number,
  among: readonly number[],
): Promise<number | null> =>
  (
    await client.query<{ number: number }>(
      `
        WITH RECURSIVE
          heirs AS (
            SELECT number, area_m2
            FROM edit_patch
            WHERE change_map_id = $1
              AND origin = $2
            UNION
            SELECT p.number, p.area_m2
            FROM edit_patch p
              JOIN heirs h ON p.change_map_id = $1 AND p.origin = h.number
          )
        SELECT number
        FROM heirs
        WHERE number = ANY($3)
        ORDER BY area_m2 DESC
        LIMIT 1
      `,
      [map, number, among],
    )
  ).rows[0]?.number ?? null;

const IN_BOX = "west <= $5 AND east >= $3 AND south <= $6 AND north >= $4";

/** Patches of a map that edits left as they were and that touch a box, the largest first. */
export const writtenPatchesIn = async (
  client: Client,
  map: string,
  gone: readonly number[],
  box: Box,
  limit: number,
): Promise<WrittenPatch[]> =>
  (
    await client.query<WrittenPatch>(
      `
        SELECT ${WRITTEN}
        FROM patch
        WHERE change_map_id = $1
          AND number <> ALL($2)
          AND ${IN_BOX}
        ORDER BY area_m2 DESC
        LIMIT ${limit}
      `,
      [map, gone, ...box],
    )
  ).rows;

/** Those of some patches that edits made that touch a box, the largest first. */
export const editPatchesIn = async (
  client: Client,
  map: string,
  made: readonly number[],
  box: Box,
  limit: number,
): Promise<EditPatch[]> =>
  (
    await client.query<EditPatch>(
      `
        SELECT ${MADE}
        FROM edit_patch
        WHERE change_map_id = $1
          AND number = ANY($2)
          AND ${IN_BOX}
        ORDER BY area_m2 DESC
        LIMIT ${limit}
      `,
      [map, made, ...box],
    )
  ).rows;

/** How many patches touch a box once a map is edited. */
export const countEditedIn = async (
  client: Client,
  map: string,
  { gone, made }: EditedSets,
  box: Box,
): Promise<number> =>
  (
    await client.query<{ patches: number }>(
      `
        SELECT (
            (SELECT count(*) FROM patch WHERE change_map_id = $1 AND number <> ALL($2) AND ${IN_BOX})
            + (SELECT count(*) FROM edit_patch WHERE change_map_id = $1 AND number = ANY($7) AND ${IN_BOX})
          )::int AS patches
      `,
      [map, gone, ...box, made],
    )
  ).rows[0]!.patches;

/** Cells and area of a class among some patches. */
export interface ClassSum {
  label: number;
  cells: number;
  areaM2: number;
}

const sumsOf = (table: "patch" | "edit_patch"): string => `
  SELECT label, sum(cells)::float8 AS cells, sum(area_m2) AS "areaM2"
  FROM ${table}
  WHERE change_map_id = $1
    AND number = ANY($2)
  GROUP BY label
`;

/** By class, what edits took away and what they made. */
export async function editedSums(
  client: Client,
  map: string,
  { gone, made }: EditedSets,
): Promise<{ gone: ClassSum[]; made: ClassSum[] }> {
  return {
    gone: (await client.query<ClassSum>(sumsOf("patch"), [map, gone])).rows,
    made: (await client.query<ClassSum>(sumsOf("edit_patch"), [map, made])).rows,
  };
}

/** A patch that an edited map takes from the map that was edited, by both of its numbers. */
export interface KeptPatch {
  from: number;
  number: number;
}

/** Copies patches that edits left as they were, with their parts by zone. */
export async function copyPatches(
  client: Client,
  from: string,
  to: string,
  kept: readonly KeptPatch[],
): Promise<void> {
  const numbers = [kept.map((one) => one.from), kept.map((one) => one.number)];
  await client.query(
    `
      INSERT INTO patch (
          change_map_id, number, label, cells, area_m2, perimeter_m, measure, elevation,
          west, south, east, north, geometry, edited
        )
      SELECT
        $2, k.number, p.label, p.cells, p.area_m2, p.perimeter_m, p.measure, p.elevation,
        p.west, p.south, p.east, p.north, p.geometry, p.edited
      FROM unnest($3::int[], $4::int[]) AS k (source, number)
        JOIN patch p ON p.change_map_id = $1 AND p.number = k.source
    `,
    [from, to, ...numbers],
  );
  await client.query(
    `
      INSERT INTO patch_zone (change_map_id, zone, patch, cells, area_m2)
      SELECT $2, z.zone, k.number, z.cells, z.area_m2
      FROM unnest($3::int[], $4::int[]) AS k (source, number)
        JOIN patch_zone z ON z.change_map_id = $1 AND z.patch = k.source
    `,
    [from, to, ...numbers],
  );
}
