import type { Place, Sample } from "@hindglance/contract/accuracy";
import type { TestDesign } from "@hindglance/core/accuracy/draw";
import type { Count, Stratum } from "@hindglance/core/accuracy/sample";
import { type BinaryRow, copyIn, float8, int2, int4, uuidBytes } from "./copy";
import type { Client } from "./pool";
import { tellOfMap } from "./told";

/** A stratum's part in a zone; zone 0 is in none. */
export type ZoneStratum = Stratum & { zone: number };

/** A place of a sample as it is kept. */
export interface KeptPlace {
  number: number;
  stratum: number;
  label: number;
  zone: number;
  lon: number;
  lat: number;
}

/** A sample that was drawn. */
export interface NewSample {
  id: string;
  changeMapId: string;
  name: string;
  design: TestDesign;
  nearCells: number;
  strata: Stratum[];
  zones: ZoneStratum[];
  /** What areas of known class came to, where it was tested on those. */
  areaCounts?: Count[];
}

/** Tells every page of a sample, or of what was seen at its places. */
async function tell(client: Client, sample: string): Promise<void> {
  const { rows } = await client.query<{ map: string }>(
    `SELECT change_map_id AS map FROM sample WHERE id = $1`,
    [sample],
  );
  if (rows[0]) {
    await tellOfMap(client, rows[0].map, "sample");
  }
}

/** Marks when something that was seen on a map was taken back: files that tell of it are old then. */
const markTakenBack = async (client: Client, sample: string): Promise<void> => {
  await client.query(
    `
      UPDATE change_map
      SET taken_back_at = now()
      WHERE id = (
          SELECT change_map_id
          FROM sample
          WHERE id = $1
        )
    `,
    [sample],
  );
};

/** Keeps a sample with its places; whether its map is still there. */
export async function createSample(
  client: Client,
  sample: NewSample,
  places: readonly KeptPlace[],
): Promise<boolean> {
  const { rowCount } = await client.query(
    `
      INSERT INTO sample (id, change_map_id, name, design, near_cells, strata, zones, area_counts)
      SELECT $1, id, $3, $4, $5, $6, $7, $8
      FROM change_map
      WHERE id = $2
    `,
    [
      sample.id,
      sample.changeMapId,
      sample.name,
      sample.design,
      sample.nearCells,
      JSON.stringify(sample.strata),
      JSON.stringify(sample.zones),
      sample.areaCounts ? JSON.stringify(sample.areaCounts) : null,
    ],
  );
  if (rowCount !== 1) {
    return false;
  }
  const id = uuidBytes(sample.id);
  function* rows(): Generator<BinaryRow> {
    for (const { number, stratum, label, zone, lon, lat } of places) {
      yield [id, int4(number), int2(stratum), int2(label), int4(zone), float8(lon), float8(lat)];
    }
  }
  await copyIn(client, "sample_place (sample_id, number, stratum, label, zone, lon, lat)", rows());
  await tellOfMap(client, sample.changeMapId, "sample");
  return true;
}

const COLUMNS = `
  s.id, s.change_map_id AS "changeMapId", s.name, s.design, s.near_cells AS "nearCells", s.strata,
  s.created_at AS "createdAt",
  (SELECT count(*)::int FROM sample_place p WHERE p.sample_id = s.id) AS places,
  coalesce(
    (
      SELECT jsonb_agg(l ORDER BY l.interpreter)
      FROM (
          SELECT interpreter, count(*)::int AS places
          FROM sample_look
          WHERE sample_id = s.id
          GROUP BY interpreter
        ) l
    ),
    '[]'
  ) AS interpreters
`;

/** Samples of a map, the newest first. */
export const listSamples = async (client: Client, map: string): Promise<Sample[]> =>
  (
    await client.query<Sample>(
      `
        SELECT ${COLUMNS}
        FROM sample s
        WHERE change_map_id = $1
        ORDER BY created_at DESC
      `,
      [map],
    )
  ).rows;

/** A sample, or null. */
export const findSample = async (client: Client, id: string): Promise<Sample | null> =>
  (await client.query<Sample>(`SELECT ${COLUMNS} FROM sample s WHERE id = $1`, [id])).rows[0] ??
  null;

/** Deletes a sample with all that was said of it; whether it was there. */
export async function deleteSample(client: Client, id: string): Promise<boolean> {
  await tell(client, id);
  await markTakenBack(client, id);
  return (await client.query("DELETE FROM sample WHERE id = $1", [id])).rowCount === 1;
}

/** Places of a sample in their order, with what an interpreter said of them. */
export const listPlaces = async (
  client: Client,
  sample: string,
  interpreter: string,
): Promise<Place[]> =>
  (
    await client.query<Place>(
      `
        SELECT
          p.number, p.lon, p.lat,
          l.number IS NOT NULL AS "isLooked",
          l.label,
          coalesce(l.note, '') AS note
        FROM sample_place p
          LEFT JOIN sample_look l ON l.sample_id = p.sample_id
          AND l.number = p.number
          AND l.interpreter = $2
        WHERE p.sample_id = $1
        ORDER BY p.number
      `,
      [sample, interpreter],
    )
  ).rows;

/** What somebody says of a place. */
export interface Look {
  interpreter: string;
  number: number;
  label: number | null;
  note: string;
}

/** Keeps what an interpreter says of a place in place of what he said before; whether it is there. */
export async function setLook(
  client: Client,
  sample: string,
  { interpreter, number, label, note }: Look,
): Promise<boolean> {
  const { rowCount } = await client.query(
    `
      INSERT INTO sample_look (sample_id, number, interpreter, label, note)
      SELECT sample_id, number, $3, $4, $5
      FROM sample_place
      WHERE sample_id = $1
        AND number = $2
      ON CONFLICT (sample_id, number, interpreter) DO UPDATE
      SET label = EXCLUDED.label, note = EXCLUDED.note, said_at = now()
    `,
    [sample, number, interpreter, label, note],
  );
  await tell(client, sample);
  return rowCount === 1;
}

/** Forgets what an interpreter said of a place. */
export async function deleteLook(
  client: Client,
  sample: string,
  number: number,
  interpreter: string,
): Promise<void> {
  const { rowCount } = await client.query(
    `
      DELETE FROM sample_look
      WHERE sample_id = $1
        AND number = $2
        AND interpreter = $3
    `,
    [sample, number, interpreter],
  );
  if (rowCount) {
    await markTakenBack(client, sample);
    await tell(client, sample);
  }
}

/** A place with what everybody said of it. */
export interface SeenPlace {
  stratum: number;
  zone: number;
  looks: { interpreter: string; label: number | null }[];
}

/** Places of a sample with what everybody said of them. */
export const seenPlaces = async (client: Client, sample: string): Promise<SeenPlace[]> =>
  (
    await client.query<SeenPlace>(
      `
        SELECT
          p.stratum, p.zone,
          coalesce(
            jsonb_agg(jsonb_build_object('interpreter', l.interpreter, 'label', l.label))
              FILTER (WHERE l.number IS NOT NULL),
            '[]'
          ) AS looks
        FROM sample_place p
          LEFT JOIN sample_look l USING (sample_id, number)
        WHERE p.sample_id = $1
        GROUP BY p.number, p.stratum, p.zone
        ORDER BY p.number
      `,
      [sample],
    )
  ).rows;

/** A place with where it lies, what the map says there, and what everybody saw. */
export interface LabelledPlace extends KeptPlace {
  /** Places of its stratum. */
  stratumPlaces: number;
  looks: { interpreter: string; label: number | null; note: string }[];
}

/** Places of a sample in their order with all that is known of them. */
export const labelledPlaces = async (client: Client, sample: string): Promise<LabelledPlace[]> =>
  (
    await client.query<LabelledPlace>(
      `
        SELECT
          p.number, p.stratum, p.label, p.zone, p.lon, p.lat,
          (count(*) OVER (PARTITION BY p.stratum))::int AS "stratumPlaces",
          coalesce(
            (
              SELECT jsonb_agg(
                  jsonb_build_object('interpreter', l.interpreter, 'label', l.label, 'note', l.note)
                  ORDER BY l.interpreter
                )
              FROM sample_look l
              WHERE l.sample_id = p.sample_id
                AND l.number = p.number
            ),
            '[]'
          ) AS looks
        FROM sample_place p
        WHERE p.sample_id = $1
        ORDER BY p.number
      `,
      [sample],
    )
  ).rows;

/** What areas of known class came to; null of a sample of places. */
export const areaCounts = async (client: Client, sample: string): Promise<Count[] | null> =>
  (
    await client.query<{ counts: Count[] | null }>(
      "SELECT area_counts AS counts FROM sample WHERE id = $1",
      [sample],
    )
  ).rows[0]?.counts ?? null;

/** Strata of a sample by zone. */
export const zoneStrata = async (client: Client, sample: string): Promise<ZoneStratum[]> =>
  (await client.query<{ zones: ZoneStratum[] }>("SELECT zones FROM sample WHERE id = $1", [sample]))
    .rows[0]?.zones ?? [];
