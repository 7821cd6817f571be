import { mkdir, mkdtemp, readdir, rm, utimes, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Database } from "./db/pool";
import { sweepScratch } from "./files/scratch";
import { sweep } from "./sweeping";
import { databaseForTests } from "./testing/database";

const testDatabase = databaseForTests();
const ages = { uploadDays: 2, fileHours: 1, factDays: 30, runDays: 30 };
let study: string;
beforeAll(async () => {
  study = await testDatabase.study("Swept");
});

/** Puts one young and one old row of everything that is swept into the database. */
const fill = () =>
  testDatabase.withClient(async (client) => {
    for (const days of [0, 40]) {
      await client.query(
        `
          INSERT INTO blob (study_id, purpose, name, state, created_at, touched_at)
          SELECT
            $1, purpose, 'a.tif', 'ready', now() - make_interval(days => $2),
            now() - make_interval(days => $2)
          FROM unnest(ARRAY['upload', 'making']) AS purpose
        `,
        [study, days],
      );
      await client.query(
        `
          INSERT INTO node (hash, spec, info, created_at)
          VALUES ($1, '{}', '{}', now() - make_interval(days => $2))
        `,
        [`h${days}`, days],
      );
      await client.query(
        `
          INSERT INTO run (study_id, kind, title, params, phases, phase, state, finished_at)
          VALUES ($1, 'k', 't', '{}', '[]', 0, 'done', now() - make_interval(days => $2))
        `,
        [study, days],
      );
      await client.query(
        `
          INSERT INTO process (id, kind, host, pid, program, memory_bytes, heard_at)
          VALUES (gen_random_uuid(), 'worker', 'h', 1, 'p', 1, now() - make_interval(days => $1))
        `,
        [days],
      );
    }
    await client.query(
      `
        INSERT INTO run (study_id, kind, title, params, phases, phase, created_at)
        VALUES ($1, 'k', 'long', '{}', '[]', 0, now() - interval '90 days')
      `,
      [study],
    );
  });
const left = async () =>
  (
    await testDatabase.withClient((client) =>
      client.query<Record<"blobs" | "nodes" | "runs" | "processes", number>>(`
        SELECT
          (SELECT count(*)::int FROM blob) AS blobs,
          (SELECT count(*)::int FROM node) AS nodes,
          (SELECT count(*)::int FROM run) AS runs,
          (SELECT count(*)::int FROM process) AS processes
      `),
    )
  ).rows[0];

test("what is old goes, what is young and what runs stays; once it is swept there is nothing more", async () => {
  await fill();
  expect(await left()).toEqual({ blobs: 4, nodes: 2, runs: 3, processes: 2 });
  const nothing = {
    ...{ uploads: 0, files: 0, broken: 0, facts: 0, patches: 0, images: 0, runs: 0 },
    processes: 0,
  };
  expect(await sweep(testDatabase.db, ages)).toEqual({
    ...nothing,
    ...{ uploads: 1, files: 1, facts: 1, runs: 1, processes: 1 },
  });
  expect(await left()).toEqual({ blobs: 2, nodes: 1, runs: 2, processes: 1 });
  expect(await sweep(testDatabase.db, ages)).toEqual(nothing);
});

test("a measuring that ended is told of for a day; its result stays by itself", async () => {
  await testDatabase.withClient((client) =>
    client.query(
      `
        INSERT INTO run (study_id, kind, title, params, phases, phase, state, finished_at)
        SELECT $1, 'measureAreas', 't', '{}', '[]', 0, 'done', now() - make_interval(hours => age)
        FROM unnest(ARRAY[23, 25]) AS age
      `,
      [study],
    ),
  );
  expect((await sweep(testDatabase.db, ages)).runs).toBe(1);
});

test("while another server sweeps nothing is swept here", async () => {
  const other = new Database(testDatabase.db.url, { max: 1 });
  await other.withTransaction(async (client) => {
    await client.query("SELECT pg_advisory_xact_lock(7310403)");
    expect(await sweep(testDatabase.db, ages)).toEqual({});
  });
  await other.close();
});

test("of the machine's temporary folder only what making a file left goes, and only once it rests", async () => {
  const within = await mkdtemp(join(tmpdir(), "swept-"));
  const longAgo = new Date(Date.now() - 7_200_000);
  for (const name of [
    "hind-glance-making-left",
    "hind-glance-making-busy",
    "hind-glance-test.A1",
    "somebody's",
  ]) {
    await mkdir(join(within, name));
    await writeFile(join(within, name, "tiles"), "bytes");
    await utimes(join(within, name, "tiles"), longAgo, longAgo);
    await utimes(join(within, name), longAgo, longAgo);
  }
  await utimes(join(within, "hind-glance-making-busy", "tiles"), new Date(), new Date());
  expect(await sweepScratch(1, within)).toBe(1);
  expect((await readdir(within)).sort()).toEqual([
    "hind-glance-making-busy",
    "hind-glance-test.A1",
    "somebody's",
  ]);
  expect(await sweepScratch(0, within)).toBe(1);
  expect(await readdir(within)).toHaveLength(2);
  await rm(within, { recursive: true });
});
