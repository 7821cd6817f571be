import { type ChildProcess, spawn } from "node:child_process";
import { setTimeout as wait } from "node:timers/promises";
import { codeOf } from "@hindglance/core/errors";
import { lcg } from "@hindglance/core/testing/support";
import { CUT_ALL } from "./testing/database";
import { TestServer } from "./testing/harness";
import { radarTiff } from "./testing/pairs";

// Few kills by default; as many as are wanted on a machine as busy as is wanted with
// KILLS=40 BUSY=4 npx jest --selectProjects server --testPathPatterns=kills
const KILLS = Number(process.env.KILLS ?? 5);
const BUSY = Number(process.env.BUSY ?? 0);
const SIDE = KILLS > 10 ? 2000 : 1100;
const EACH_MS = 14_000;

let testServer: TestServer;
const spinning: ChildProcess[] = [];
beforeAll(async () => {
  testServer = await TestServer.start();
  for (let k = 0; k < BUSY; k++) {
    spinning.push(spawn(process.execPath, ["-e", "for (;;);"], { stdio: "ignore" }));
  }
});
afterAll(async () => {
  spinning.forEach((child) => child.kill("SIGKILL"));
  await testServer.stop();
});

/** Workers that live, with the connections that they are known by. */
const workers = () =>
  testServer.query<{ pid: number; backend: number }>(`
    SELECT split_part(application_name, ' ', 3)::int AS pid, pid AS backend
    FROM pg_stat_activity
    WHERE datname = current_database()
      AND application_name ~ '^hind-glance worker [0-9]+$'
  `);

/** Kills a process, unless it has died of something else meanwhile. */
function killIfThere(pid: number): void {
  try {
    process.kill(pid, "SIGKILL");
  } catch (error) {
    if (codeOf(error) !== "ESRCH") {
      throw error;
    }
  }
}

/** What dies, and how likely it is that this does and not the next one. */
const DEATHS: { name: string; share: number; kill(random: number): Promise<unknown> }[] = [
  {
    name: "a worker",
    share: 0.5,
    kill: async (random) => {
      const all = await workers();
      const one = all[Math.floor(random * all.length)];
      if (one) {
        killIfThere(one.pid);
      }
    },
  },
  {
    name: "a worker's connection",
    share: 0.5,
    kill: async (random) => {
      const all = await workers();
      const one = all[Math.floor(random * all.length)];
      await testServer.query("SELECT pg_terminate_backend($1)", [one?.backend ?? 0]);
    },
  },
  {
    name: "every connection",
    share: 0.7,
    kill: () => testServer.query(CUT_ALL),
  },
  {
    name: "the server",
    share: 1,
    kill: async () => {
      await testServer.kill();
      await testServer.restart();
    },
  },
];

/** What is half done or belongs to nothing. */
const left = async () =>
  (
    await testServer.query<{ writing: number; running: number; failed: number; orphans: number }>(`
      SELECT
        (SELECT count(*)::int FROM image WHERE state = 'writing') AS writing,
        (SELECT count(*)::int FROM run WHERE state = 'running') AS running,
        (SELECT count(*)::int FROM run WHERE state = 'failed') AS failed,
        (
          SELECT count(*)::int
          FROM image i
          WHERE NOT EXISTS (
              SELECT 1
              FROM scene s
              WHERE s.image_id = i.id
            )
        ) AS orphans
    `)
  )[0];

test(
  `${KILLS} deaths at random moments lose nothing and leave nothing half`,
  async () => {
    const random = lcg(KILLS);
    const study = (
      await testServer.call<{ id: string }>("POST", "/studies", { name: "Kills", hazard: "flood" })
    ).body.id;
    const runs: string[] = [];
    const died: Record<string, number> = {};
    for (let k = 0; k < KILLS; k++) {
      if (k % 3 === 0) {
        const day = String(1 + (k % 28)).padStart(2, "0");
        const name = `k${k}_202505${day}_VV.tif`;
        const tiff = radarTiff(SIDE, SIDE - 100, 3 + k, [300, 900]);
        runs.push((await testServer.importScene(study, name, tiff)).runId);
      }
      await wait(100 + random() * 1200);
      const death = DEATHS.find(({ share }) => random() < share)!;
      await death.kill(random());
      died[death.name] = (died[death.name] ?? 0) + 1;
    }
    for (const run of runs) {
      expect(await testServer.ended(run, KILLS * EACH_MS)).toMatchObject({ state: "done" });
    }
    expect(Object.values(died).reduce((sum, n) => sum + n, 0)).toBe(KILLS);
    expect(await left()).toEqual({ writing: 0, running: 0, failed: 0, orphans: 0 });
    const scenes = await testServer.call<{ statistics: { cells: number }[] }[]>(
      "GET",
      `/studies/${study}/scenes`,
    );
    expect(scenes.body.map(({ statistics }) => statistics[0]!.cells)).toEqual(
      runs.map(() => SIDE * (SIDE - 100)),
    );
  },
  KILLS * EACH_MS + 60_000,
);
