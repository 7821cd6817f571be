import { deserialize, serialize } from "node:v8";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { ZoneSum } from "@hindglance/core/tally/zoneSums";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { StepState } from "@hindglance/core/graph/step";
import type { TallyData } from "@hindglance/core/tally/tally";
import type { StateStore } from "@hindglance/core/graph/evaluator";
import type { Client, Database } from "./pool";

/** By date and zone: what is seen and what lies beyond a value. The first zone is "in no zone". */
export interface SeriesData {
  dates: { sceneId: string; zones: ZoneSum[] }[];
}

export interface NodeRow {
  hash: string;
  spec: NodeSpec;
  info: ImageInfo;
}

/** A node by its hash, or null where nobody asked for it yet. */
export const findNode = async (client: Client, hash: string): Promise<NodeRow | null> =>
  (await client.query<NodeRow>("SELECT hash, spec, info FROM node WHERE hash = $1", [hash]))
    .rows[0] ?? null;

/** Makes a node known by its hash. */
export const saveNode = async (client: Client, nodeRow: NodeRow): Promise<void> => {
  await client.query(
    `
      INSERT INTO node (hash, spec, info)
      VALUES ($1, $2, $3)
      ON CONFLICT (hash) DO NOTHING
    `,
    [nodeRow.hash, nodeRow.spec, nodeRow.info],
  );
};

/** Results of whole-image steps, shared by all workers. */
export const stateStore = (db: Database): StateStore => ({
  get: (key) => db.withClient((client) => findState(client, key)),
  put: (key, state) =>
    db.withClient(async (client) => {
      await client.query(
        `
          INSERT INTO node_state (key, state)
          VALUES ($1, $2)
          ON CONFLICT (key) DO NOTHING
        `,
        [key, serialize(state)],
      );
    }),
  remove: (keys) =>
    db.withClient(async (client) => {
      await client.query("DELETE FROM node_state WHERE key = ANY($1)", [keys]);
    }),
});

/** What a step gathered of a whole image, or null. */
export const findState = async (client: Client, key: string): Promise<StepState | null> => {
  const row = (
    await client.query<{ state: Buffer }>("SELECT state FROM node_state WHERE key = $1", [key])
  ).rows[0];
  return row ? (deserialize(row.state) as StepState) : null;
};

/** Whether a step has gathered of a whole image. */
export const hasState = async (client: Client, key: string): Promise<boolean> =>
  (await client.query("SELECT 1 FROM node_state WHERE key = $1", [key])).rows.length > 0;

/** Areas and means of dates, kept beside tallies. */
export const findSeries = async (client: Client, key: string): Promise<SeriesData | null> =>
  (await client.query<{ tally: SeriesData }>("SELECT tally FROM node_tally WHERE key = $1", [key]))
    .rows[0]?.tally ?? null;

/** Keeps what was counted on every date. */
export const saveSeries = async (
  client: Client,
  key: string,
  seriesData: SeriesData,
): Promise<void> => {
  await client.query(
    `
      INSERT INTO node_tally (key, tally)
      VALUES ($1, $2)
      ON CONFLICT (key) DO NOTHING
    `,
    [key, JSON.stringify(seriesData)],
  );
};

/** Exact areas of a map by its hash, or null. */
export const findTally = async (client: Client, key: string): Promise<TallyData | null> =>
  (await client.query<{ tally: TallyData }>("SELECT tally FROM node_tally WHERE key = $1", [key]))
    .rows[0]?.tally ?? null;

/** Keeps exact areas of a map by its hash. */
export const saveTally = async (client: Client, key: string, tally: TallyData): Promise<void> => {
  await client.query(
    `
      INSERT INTO node_tally (key, tally)
      VALUES ($1, $2)
      ON CONFLICT (key) DO NOTHING
    `,
    [key, JSON.stringify(tally)],
  );
};
/** Facts that can be found again, once they are so many days old; how many. */
export async function sweepNodes(client: Client, days: number): Promise<number> {
  let swept = 0;
  for (const table of ["node", "node_state", "node_tally"]) {
    const { rowCount } = await client.query(
      `DELETE FROM ${table} WHERE created_at < now() - make_interval(days => $1)`,
      [days],
    );
    swept += rowCount ?? 0;
  }
  return swept;
}

/** Forgets what was gathered under keys that begin so. */
export const deleteStates = async (client: Client, prefix: string): Promise<void> => {
  await client.query("DELETE FROM node_state WHERE starts_with(key, $1)", [prefix]);
};
