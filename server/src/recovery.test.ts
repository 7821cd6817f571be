import { UTM27S_KEYS, at, buildTiff } from "@hindglance/formats/testing/buildTiff";
import { TestServer } from "./testing/harness";
import { SETUP, X0, Y0 } from "./testing/pairs";

jest.setTimeout(420_000);
let testServer: TestServer;
beforeAll(async () => {
  testServer = await TestServer.start();
});
afterAll(async () => {
  await testServer.stop();
});

const SIDE = 4096;
/**
 * Uncompressed and even, but for a dark square; large enough that there is a middle to kill it in.
 */
const large = (dark: boolean) =>
  buildTiff({
    width: SIDE,
    height: SIDE,
    rowsPerStrip: 256,
    value: (c, r) => (dark && c > 1000 && c < 2000 && r > 1000 && r < 2000 ? 0.005 : 0.1),
    extra: [...UTM27S_KEYS, ...at(X0, Y0, 20)],
  });
/** What broke off is swept as soon as a server starts, not an hour later. */
const SWEEPING = { env: { FILE_HOURS: "0" } };
const facts = async () =>
  (
    await testServer.query<{
      writing: number;
      receiving: number;
      chunks: number;
      orphans: number;
    }>(`
      SELECT
        (
          SELECT count(*)::int
          FROM image
          WHERE state = 'writing'
        ) AS writing,
        (
          SELECT count(*)::int
          FROM blob
          WHERE state = 'receiving'
        ) AS receiving,
        (
          SELECT count(*)::int
          FROM blob_chunk
        ) AS chunks,
        (
          SELECT count(*)::int
          FROM image i
          WHERE NOT EXISTS (
              SELECT 1
              FROM scene
              WHERE image_id = i.id
            )
            AND NOT EXISTS (
              SELECT 1
              FROM change_map
              WHERE i.id IN (image_id, doubt_image_id, depth_image_id)
            )
        ) AS orphans
    `)
  )[0]!;
const busy = async (run: string) => {
  for (;;) {
    const r = await testServer.query<{ state: string; done: number; active: number }>(
      `
        SELECT
          (
            SELECT state
            FROM run
            WHERE id = $1
          ),
          count(*) FILTER (
            WHERE state = 'done'
          )::int AS done,
          count(*) FILTER (
            WHERE state = 'active'
          )::int AS active
        FROM run_range
        WHERE run_id = $1
      `,
      [run],
    );
    if (r[0]!.active > 0 || r[0]!.state !== "running") {
      return r[0]!;
    }
    await new Promise((ok) => setTimeout(ok, 15));
  }
};

test("killed in the middle of an import and of a run, everything goes on after a restart; a half-sent file is gone", async () => {
  const study = (
    await testServer.call<{ id: string }>("POST", "/studies", { name: "Kill", hazard: "flood" })
  ).body.id;
  const before = await testServer.importScene(study, "a_20250502_VV.tif", large(false));
  expect((await busy(before.runId)).state).toBe("running");

  // A second file is on its way when everything is killed.
  const { request } = await import("node:http");
  const half = request(`${testServer.base}/api/studies/${study}/uploads?name=half.tif`, {
    method: "POST",
    headers: { "content-length": "90000000" },
  });
  half.on("error", () => {});
  half.write(Buffer.alloc(3_000_000));
  await new Promise((ok) => setTimeout(ok, 100));
  await testServer.kill();
  expect((await testServer.query<{ state: string }>("SELECT state FROM run"))[0]!.state).toBe(
    "running",
  );
  await new Promise((ok) => setTimeout(ok, 2000));
  await testServer.restart(SWEEPING);
  expect((await testServer.ended(before.runId, 90_000)).state).toBe("done");
  expect(await facts()).toEqual({ writing: 0, receiving: 0, chunks: 0, orphans: 0 });
  const scene = (
    await testServer.call<{ statistics: { cells: number; valid: number; min: number }[] }[]>(
      "GET",
      `/studies/${study}/scenes`,
    )
  ).body[0]!;
  expect(scene.statistics[0]).toMatchObject({ cells: SIDE * SIDE, valid: SIDE * SIDE });
  const blocks = await testServer.query<{ level: number; n: number }>(
    `
      SELECT level, count(*)::int AS n
      FROM image_block
      GROUP BY level
      ORDER BY level
    `,
  );
  expect(blocks.map((block) => block.n)).toEqual([64, 16, 4, 1]);

  const after = await testServer.importScene(study, "b_20250514_VV.tif", large(true));
  expect((await testServer.ended(after.runId, 90_000)).state).toBe("done");
  const run = (
    await testServer.call<{ runId: string }>("POST", `/studies/${study}/change-maps`, {
      beforeId: before.id,
      afterId: after.id,
      setup: { ...SETUP, speckle: { ...SETUP.speckle, filter: "refinedLee" } },
    })
  ).body.runId;
  expect((await busy(run)).state).toBe("running");
  await testServer.kill();
  await testServer.restart(SWEEPING);
  const ended = await testServer.ended(run, 120_000);
  expect(ended.state).toBe("done");
  const map = (
    await testServer.call<{ rows: { label: number; cells: number }[] }>(
      "GET",
      `/change-maps/${ended.result!.changeMapId!}`,
    )
  ).body;
  // The square is 999 cells a side; the edge-keeping filter rounds its corners by a few cells.
  expect(Math.abs(map.rows.find((row) => row.label === 1)!.cells - 999 * 999)).toBeLessThan(2200);
  await testServer.quiet(180_000);
  expect(await facts()).toEqual({ writing: 0, receiving: 0, chunks: 0, orphans: 0 });
});

test("a single worker that dies costs one range, not the run", async () => {
  const study = (
    await testServer.call<{ id: string }>("POST", "/studies", { name: "Worker", hazard: "flood" })
  ).body.id;
  const { runId } = await testServer.importScene(study, "c_20250502_VV.tif", large(false));
  await busy(runId);
  const pids = (
    await testServer.query<{ pid: number }>(`
      SELECT split_part(application_name, ' ', 3)::int AS pid
      FROM pg_stat_activity
      WHERE datname = current_database()
        AND application_name LIKE 'hind-glance worker %'
        AND split_part(application_name, ' ', 3) ~ '^[0-9]+$'
    `)
  ).map(({ pid }) => pid);
  expect(pids.length).toBeGreaterThanOrEqual(2);
  process.kill(pids[0]!, "SIGKILL");
  expect((await testServer.ended(runId, 90_000)).state).toBe("done");
});
