import type { MadeFrom } from "@hindglance/core/doubt/plan";
import type {
  MapConfirmed,
  MapDepth,
  MapDoubt,
  MapEdited,
  PatchFilter,
  PatchQuery,
  PatchSort,
  Provenance,
} from "@hindglance/contract/changeMaps";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { ZonePart } from "@hindglance/core/patches/facts";
import type { Standing } from "@hindglance/core/review/standing";
import type { TallyData } from "@hindglance/core/tally/tally";
import { type PatchConfirmed, deletePatchConfirmed } from "./confirmed";
import { deletePatchDepth } from "./depth";
import { type PatchDoubt, deletePatchDoubt } from "./doubt";
import { type BinaryRow, bool, copyIn, float8, int2, int4, uuidBytes } from "./copy";
import type { Client } from "./pool";

export type {
  Provenance,
  PreparedSide,
  SceneRecord,
  PatchQuery,
} from "@hindglance/contract/changeMaps";

export interface ChangeMap {
  id: string;
  studyId: string;
  name: string;
  imageId: string;
  nodeHash: string;
  setup: ChangeSetup;
  provenance: Provenance;
  tally: TallyData;
  patchCount: number;
  createdAt: string;
  /** null until it is counted. */
  doubt: MapDoubt | null;
  /** null until it is measured. */
  depth: MapDepth | null;
  /** null where no second sensor is asked, and until it was. */
  confirmed: MapConfirmed | null;
  /** The map that it was written from by edits; null where it was not. */
  edited: MapEdited | null;
  /** By cell the number of the patch that somebody gave an outline; null where nobody did. */
  patchImageId: string | null;
}
const COLUMNS = `
  id, study_id AS "studyId", name, image_id AS "imageId", node_hash AS "nodeHash",
  setup, provenance, tally, patch_count AS "patchCount", created_at AS "createdAt",
  doubt || jsonb_build_object('imageId', doubt_image_id) AS doubt,
  depth || jsonb_build_object('imageId', depth_image_id) AS depth, confirmed,
  edited, patch_image_id AS "patchImageId"
`;

/** Change maps of a study, the newest first. */
export const listChangeMaps = async (client: Client, study: string): Promise<ChangeMap[]> =>
  (
    await client.query<ChangeMap>(
      `
        SELECT ${COLUMNS}
        FROM change_map
        WHERE study_id = $1
        ORDER BY created_at DESC
      `,
      [study],
    )
  ).rows;

/** A change map, or null. */
export const findChangeMap = async (client: Client, id: string): Promise<ChangeMap | null> =>
  (await client.query<ChangeMap>(`SELECT ${COLUMNS} FROM change_map WHERE id = $1`, [id]))
    .rows[0] ?? null;

/** Keeps a change map whose image is finished. */
export async function createChangeMap(
  client: Client,
  m: Omit<ChangeMap, "createdAt" | "patchCount" | "doubt" | "depth" | "confirmed"> & {
    madeFrom: MadeFrom | null;
  },
): Promise<void> {
  await client.query(
    `
      INSERT INTO change_map (
          id,
          study_id,
          name,
          image_id,
          node_hash,
          setup,
          provenance,
          tally,
          made_from,
          edited,
          patch_image_id,
          patch_count
        )
      SELECT $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, count(*)
      FROM patch
      WHERE change_map_id = $1
    `,
    [
      m.id,
      m.studyId,
      m.name,
      m.imageId,
      m.nodeHash,
      m.setup,
      m.provenance,
      JSON.stringify(m.tally),
      m.madeFrom,
      m.edited,
      m.patchImageId,
    ],
  );
}

/** What a map was made from; null in maps that are older than the record of it. */
export const findMadeFrom = async (client: Client, id: string): Promise<MadeFrom | null> =>
  (
    await client.query<{ madeFrom: MadeFrom | null }>(
      `SELECT made_from AS "madeFrom" FROM change_map WHERE id = $1`,
      [id],
    )
  ).rows[0]?.madeFrom ?? null;

/** Deletes a change map with its patches, files and image; whether it was there. */
export async function deleteChangeMap(client: Client, id: string): Promise<boolean> {
  const row = (
    await client.query<{ images: string[] }>(
      "DELETE FROM change_map WHERE id = $1 RETURNING ARRAY[image_id, doubt_image_id, depth_image_id, patch_image_id] AS images",
      [id],
    )
  ).rows[0];
  if (!row) {
    return false;
  }
  await deletePatches(client, id);
  await client.query("DELETE FROM image WHERE id = ANY($1)", [row.images]);
  await client.query(
    `
    DELETE FROM blob
    WHERE purpose = 'file'
      AND detail ->> 'changeMapId' = $1
  `,
    [id],
  );
  return true;
}

/**
 * `measure` and `elevation`: means over the patch; null where no cell has one, and in maps that
 * were written before patches had them.
 */
export interface Patch extends Omit<PatchDoubt, "edgeShare"> {
  /** Water over it: its level, how far its shores disagree, its mean depth, metres; null where not measured. */
  level: number | null;
  spread: number | null;
  depth: number | null;
  /** What a second sensor says of it; null where none was asked of its class. */
  seenShare: number | null;
  confirmedShare: number | null;
  label: number;
  cells: number;
  areaM2: number;
  perimeterM: number | null;
  measure: number | null;
  elevation: number | null;
  standing: Standing;
  /** Whether somebody gave it its outline or its class. */
  edited: boolean;
  /** Share of its cells at its edge; null until it is counted, as its certainty. */
  edgeShare: number | null;
  west: number;
  south: number;
  east: number;
  north: number;
  geometry: string;
}

/** A patch as it is written: nothing was said of it yet, and its doubt is not counted. */
export interface NewPatch extends Omit<
  Patch,
  "standing" | "level" | "spread" | "depth" | keyof PatchDoubt | keyof PatchConfirmed
> {
  number: number;
  /** Its parts by zone; none in maps without zones. */
  zones?: readonly ZonePart[];
}

const maybe = (value: number | null) => (value === null ? null : float8(value));
const bigint = (value: number) => {
  const bytes = Buffer.alloc(8);
  bytes.writeBigInt64BE(BigInt(value));
  return bytes;
};

/** Keeps patches of a change map, some thousands a statement. */
export async function writePatches(
  client: Client,
  map: string,
  patches: readonly NewPatch[],
): Promise<void> {
  await deletePatches(client, map);
  const id = uuidBytes(map);
  function* rows(): Generator<BinaryRow> {
    for (const patch of patches) {
      yield [
        id,
        int4(patch.number),
        int2(patch.label),
        bigint(patch.cells),
        float8(patch.areaM2),
        maybe(patch.perimeterM),
        maybe(patch.measure),
        maybe(patch.elevation),
        float8(patch.west),
        float8(patch.south),
        float8(patch.east),
        float8(patch.north),
        Buffer.from(patch.geometry),
        bool(patch.edited),
      ];
    }
  }
  await copyIn(
    client,
    `patch (
      change_map_id, number, label, cells, area_m2, perimeter_m, measure, elevation,
      west, south, east, north, geometry, edited
    )`,
    rows(),
  );
  await writeZoneParts(client, id, patches);
}

/** Keeps the parts of patches by zone. */
async function writeZoneParts(
  client: Client,
  map: Uint8Array,
  patches: readonly NewPatch[],
): Promise<void> {
  function* rows(): Generator<BinaryRow> {
    for (const { number, zones = [] } of patches) {
      for (const { zone, cells, areaM2 } of zones) {
        yield [map, int2(zone), int4(number), bigint(cells), float8(areaM2)];
      }
    }
  }
  await copyIn(client, "patch_zone (change_map_id, zone, patch, cells, area_m2)", rows());
}

/** Columns of a patch, without its outline. */
export const PATCH = `
  number, label, cells::float8 AS cells, area_m2 AS "areaM2",
  perimeter_m AS "perimeterM", measure, elevation, standing, edited, west, south, east, north,
  certainty, edge_share AS "edgeShare",
  coalesce(earlier_alike, 0) AS "earlierAlike", coalesce(earlier_seen, 0) AS "earlierSeen",
  coalesce(later_alike, 0) AS "laterAlike", coalesce(later_seen, 0) AS "laterSeen",
  patch_depth.level, patch_depth.spread, patch_depth.depth,
  seen_share AS "seenShare", confirmed_share AS "confirmedShare"
`;
/** Where they stand. */
export const PATCHES = `
  patch
  LEFT JOIN patch_doubt USING (change_map_id, number)
  LEFT JOIN patch_depth USING (change_map_id, number)
  LEFT JOIN patch_confirmed USING (change_map_id, number)
`;

/** Patches of a change map by number, from one on. */
export async function readPatches(
  client: Client,
  map: string,
  from: number,
  limit: number,
): Promise<Patch[]> {
  return (
    await client.query<Patch>(
      `
        SELECT ${PATCH}, geometry
        FROM ${PATCHES}
        WHERE change_map_id = $1
          AND number >= $2
        ORDER BY number
        LIMIT $3
      `,
      [map, from, limit],
    )
  ).rows;
}
/** Strips from north to south in which patches are gone through by place. */
const STRIPS = 20;
/** The strip of a patch's middle, from the south, and its longitude, as one number: strips far apart. */
const PLACE = `
  (west + east) / 2 - 1000 * width_bucket(
    (south + north) / 2,
    (SELECT min(p.south) FROM patch p WHERE p.change_map_id = $1),
    (SELECT max(p.north) + 1e-9 FROM patch p WHERE p.change_map_id = $1),
    ${STRIPS}
  )
`;

/** What patches are sorted by. */
const PATCH_ORDERS: Record<PatchSort, string> = {
  number: "number",
  class: "label",
  area: "area_m2",
  perimeter: "perimeter_m",
  measure: "measure",
  strength: "abs(measure)",
  elevation: "elevation",
  doubt: "1 - certainty",
  against: "seen_share - confirmed_share",
  place: PLACE,
};
/** A ring as PostgreSQL writes it. @param corners longitude and latitude in turn */
const polygonText = (corners: readonly number[]): string =>
  `(${Array.from(
    { length: corners.length >> 1 },
    (_v, k) => `(${corners[2 * k]!},${corners[2 * k + 1]!})`,
  ).join()})`;

/** A condition on the doubt of patches. */
const doubted = (condition: string): string =>
  `number IN (SELECT d.number FROM patch_doubt d WHERE d.change_map_id = $1 AND ${condition})`;

/** Which patches of a map, as a condition on its columns. `more`: values that come after the map's. */
export const patchesWhere = (
  query: PatchFilter,
  map: string,
  more: unknown[] = [],
): { sql: string; values: unknown[] } => {
  const parts = ["change_map_id = $1"];
  const values: unknown[] = [map, ...more];
  const say = (sql: (n: number) => string, value: unknown) => {
    if (value !== null) {
      values.push(value);
      parts.push(sql(values.length));
    }
  };
  say((n) => `label = ANY($${n})`, query.labels);
  say((n) => `standing = ANY($${n})`, query.standings);
  say(
    (n) =>
      `number IN (SELECT z.patch FROM patch_zone z WHERE z.change_map_id = $1 AND z.zone = $${n})`,
    query.zone,
  );
  say(
    (n) => `$${n}::polygon @> point((west + east) / 2, (south + north) / 2)`,
    query.within && polygonText(query.within),
  );
  say((n) => `area_m2 >= $${n}`, query.leastM2);
  say((n) => `area_m2 <= $${n}`, query.mostM2);
  say((n) => `measure >= $${n}`, query.measureFrom);
  say((n) => `measure <= $${n}`, query.measureTo);
  say((n) => `elevation >= $${n}`, query.elevationFrom);
  say((n) => `elevation <= $${n}`, query.elevationTo);
  say((n) => doubted(`1 - certainty >= $${n}`), query.doubtFrom);
  say((n) => doubted(`1 - certainty <= $${n}`), query.doubtTo);
  return { sql: parts.join(" AND "), values };
};
/** The order of a question, and its values with those that the order needs. */
function orderOf({ first, sort, down }: PatchQuery, values: unknown[]) {
  const by = `${PATCH_ORDERS[sort]} ${down ? "DESC" : "ASC"} NULLS LAST, number`;
  return first?.length
    ? { order: `(label = ANY($${values.length + 1})) DESC, ${by}`, ordered: [...values, first] }
    : { order: by, ordered: values };
}

/**
 * Patches without their outlines, from place `offset` of the order, and how many there are in all.
 */
export async function queryPatches(
  client: Client,
  map: string,
  query: PatchQuery,
  offset: number,
  limit: number,
): Promise<{ count: number; areaM2: number; patches: Omit<Patch, "geometry">[] }> {
  const w = patchesWhere(query, map);
  const all = (
    await client.query<{ n: number; m2: number | null }>(
      `
        SELECT count(*)::int AS n, sum(area_m2) AS m2
        FROM patch
        WHERE ${w.sql}
      `,
      w.values,
    )
  ).rows[0]!;
  const { order, ordered } = orderOf(query, w.values);
  const rows = (
    await client.query<Omit<Patch, "geometry">>(
      `
        SELECT ${PATCH}
        FROM ${PATCHES}
        WHERE ${w.sql}
        ORDER BY ${order}
        LIMIT ${limit}
        OFFSET ${offset}
      `,
      ordered,
    )
  ).rows;
  return { count: all.n, areaM2: all.m2 ?? 0, patches: rows };
}
/** Outlines of the largest of the patches asked for that touch a box in degrees. */
export async function patchesIn(
  client: Client,
  map: string,
  query: PatchQuery,
  [west, south, east, north]: readonly number[],
  limit: number,
): Promise<Patch[]> {
  const w = patchesWhere(query, map, [west, south, east, north]);
  return (
    await client.query<Patch>(
      `
        SELECT ${PATCH}, geometry
        FROM ${PATCHES}
        WHERE ${w.sql}
          AND west <= $4
          AND east >= $2
          AND south <= $5
          AND north >= $3
        ORDER BY area_m2 DESC
        LIMIT ${limit}
      `,
      w.values,
    )
  ).rows;
}
/** Where a patch stands in an order, counted from 0; null when it is not among those asked for. */
export const placeOfPatch = async (
  client: Client,
  map: string,
  query: PatchQuery,
  number: number,
): Promise<number | null> => {
  const w = patchesWhere(query, map, [number]);
  const { order, ordered } = orderOf(query, w.values);
  const row = (
    await client.query<{ place: number }>(
      `
        SELECT place::int AS place
        FROM (
            SELECT
              number,
              row_number() OVER (ORDER BY ${order}) - 1 AS place
            FROM ${PATCHES}
            WHERE ${w.sql}
          ) x
        WHERE number = $2
      `,
      ordered,
    )
  ).rows[0];
  return row?.place ?? null;
};
/** Maps that are not there and are not being written. */
const GONE = `
  change_map_id NOT IN (
    SELECT id
    FROM change_map
  )
  AND change_map_id NOT IN (
    SELECT (params ->> 'changeMapId')::uuid
    FROM run
    WHERE state = 'running'
      AND params ? 'changeMapId'
  )
`;

/** Patches whose change map never came to be; how many. */
export async function sweepPatches(client: Client): Promise<number> {
  await client.query(`DELETE FROM patch_zone WHERE ${GONE}`);
  await client.query(`DELETE FROM patch_doubt WHERE ${GONE}`);
  await client.query(`DELETE FROM patch_depth WHERE ${GONE}`);
  await client.query(`DELETE FROM patch_confirmed WHERE ${GONE}`);
  return (await client.query(`DELETE FROM patch WHERE ${GONE}`)).rowCount ?? 0;
}

/** Gives a change map another name; files that were made keep theirs. */
export const renameChangeMap = async (client: Client, id: string, name: string): Promise<void> => {
  await client.query("UPDATE change_map SET name = $2 WHERE id = $1", [id, name]);
};

/** Deletes the patches of a change map. */
export const deletePatches = async (client: Client, changeMap: string): Promise<void> => {
  await client.query("DELETE FROM patch WHERE change_map_id = $1", [changeMap]);
  await client.query("DELETE FROM patch_zone WHERE change_map_id = $1", [changeMap]);
  await deletePatchDoubt(client, changeMap);
  await deletePatchDepth(client, changeMap);
  await deletePatchConfirmed(client, changeMap);
};
