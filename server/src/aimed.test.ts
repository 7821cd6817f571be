import { setTimeout as wait } from "node:timers/promises";
import pg from "pg";
import { TestServer } from "./testing/harness";
import { radarTiff } from "./testing/pairs";
import { announce, digestHeader, offsetOf, piece } from "./testing/sending";

// Processes that are killed in the middle of one statement: a trigger holds it up until they are
// dead. A file is sent and imported each time; it must come to its end. Four of the twelve by
// default, all with
// AIMS=all npx jest --selectProjects server --testPathPatterns=aimed

let testServer: TestServer;
let holder: pg.Client;
beforeAll(async () => {
  testServer = await TestServer.start({ workers: 1 });
  holder = new pg.Client(testServer.url);
  await holder.connect();
  await holder.query(`
    CREATE FUNCTION hold_up() RETURNS trigger LANGUAGE plpgsql AS $$
    BEGIN
      PERFORM pg_advisory_xact_lock(${7_319_999});
      RETURN coalesce(NEW, OLD);
    END $$
  `);
});
afterAll(async () => {
  await holder.end();
  await testServer.stop();
});

/** From now on the first statement that does this to a table is held up. */
async function aim(table: string, act: string, condition: string): Promise<void> {
  await holder.query("SELECT pg_advisory_lock(7319999)");
  await holder.query(`
    CREATE TRIGGER held_up
    BEFORE ${act} ON ${table} FOR EACH ROW
    WHEN (${condition})
    EXECUTE FUNCTION hold_up()
  `);
}

/** Waits until a statement is held up. */
async function hit(): Promise<void> {
  for (const end = Date.now() + 30_000; ;) {
    const { rowCount } = await holder.query(
      "SELECT 1 FROM pg_locks WHERE locktype = 'advisory' AND NOT granted AND objid = 7319999",
    );
    if (rowCount) {
      return;
    }
    if (Date.now() > end) {
      throw new Error("Nothing was held up");
    }
    await wait(20);
  }
}

/** What was held up goes on: nobody hears any more what comes of it. */
async function letGo(table: string): Promise<void> {
  await holder.query("SELECT pg_advisory_unlock(7319999)");
  await holder.query(`DROP TRIGGER held_up ON ${table}`);
}

async function killWorker(): Promise<void> {
  const [worker] = await testServer.query<{ pid: number }>(`
    SELECT split_part(application_name, ' ', 3)::int AS pid
    FROM pg_stat_activity
    WHERE datname = current_database()
      AND application_name ~ '^hind-glance worker [0-9]+$'
  `);
  process.kill(worker!.pid, "SIGKILL");
}

/** Sends what is missing of a file, as its page does when the line is back. */
async function sendRest(at: string, bytes: Uint8Array): Promise<void> {
  const from = await offsetOf(testServer, at);
  if (from >= 0 && from < bytes.length) {
    await piece(testServer, at, from, bytes.subarray(from), digestHeader(bytes));
  }
}

interface Stored {
  imageId: string | null;
  statistics: { cells: number }[] | null;
}

/** Waits until the study's only scene is whole. */
async function wholeScene(study: string): Promise<Stored> {
  for (const end = Date.now() + 60_000; ;) {
    const { body } = await testServer.call<Stored[]>("GET", `/studies/${study}/scenes`);
    if (body.length === 1 && body[0]!.statistics) {
      return body[0]!;
    }
    if (Date.now() > end) {
      throw new Error(`The scene did not become whole: ${JSON.stringify(body).slice(0, 500)}`);
    }
    await wait(100);
  }
}

/** What is half done, failed, or belongs to nothing. */
const left = async () =>
  (
    await testServer.query(`
      SELECT
        (SELECT count(*)::int FROM image WHERE state = 'writing') AS writing,
        (SELECT count(*)::int FROM run WHERE state <> 'done') AS "notDone",
        (SELECT count(*)::int FROM blob) AS blobs,
        (
          SELECT count(*)::int
          FROM image i
          WHERE NOT EXISTS (SELECT 1 FROM scene s WHERE s.image_id = i.id)
        ) AS orphans
    `)
  )[0];

const WIDTH = 1100;
const HEIGHT = 600;
let seed = 1;

const AIMS = [
  ["a worker", "takes a range", "run_range", "UPDATE", "NEW.state = 'active'"],
  ["a worker", "writes its first cells", "image_block", "INSERT", "true"],
  ["a worker", "finishes a range", "run_range", "UPDATE", "NEW.state = 'done'"],
  ["a worker", "moves a run on", "run", "UPDATE", "NEW.phase > OLD.phase AND NEW.phase > 0"],
  ["a worker", "makes an image whole", "image", "UPDATE", "NEW.state <> OLD.state"],
  ["a worker", "gives a scene its image", "scene", "UPDATE", "NEW.image_id IS NOT NULL"],
  ["a worker", "takes the sent bytes away", "blob", "DELETE", "true"],
  ["a worker", "ends a run", "run", "UPDATE", "NEW.state = 'done'"],
  ["the server", "stores bytes", "blob_chunk", "INSERT", "true"],
  ["the server", "has the last byte", "blob", "UPDATE", "NEW.state <> OLD.state"],
  ["the server", "keeps what it found", "blob", "UPDATE", "NEW.detail ->> 'form' IS NOT NULL"],
  ["the server", "begins a scene", "scene", "INSERT", "true"],
] as const;

test.each(AIMS.filter((_aim, k) => process.env.AIMS === "all" || k % 3 === 2))(
  "%s that dies while it %s leaves nothing half, and what it did is done by another",
  async (who, _what, table, act, condition) => {
    const named = { name: "Aimed", hazard: "flood" };
    const study = (await testServer.call<{ id: string }>("POST", "/studies", named)).body.id;
    const bytes = radarTiff(WIDTH, HEIGHT, seed++, [300, 900]);
    const said = { study, filename: "a_20250502_VV.tif" };
    const { at } = await announce(testServer, bytes.length, said);
    await aim(table, act, condition);
    const sending = piece(testServer, at, 0, bytes, digestHeader(bytes)).catch(() => null);
    await hit();
    if (who === "a worker") {
      await killWorker();
    } else {
      await testServer.kill();
    }
    await letGo(table);
    if (who !== "a worker") {
      await testServer.restart({ workers: 1 });
    }
    await sending;
    await sendRest(at, bytes);
    const { statistics } = await wholeScene(study);
    expect(statistics![0]!.cells).toBe(WIDTH * HEIGHT);
    expect(await left()).toEqual({ writing: 0, notDone: 0, blobs: 0, orphans: 0 });
    expect((await testServer.call("DELETE", `/studies/${study}`)).status).toBe(204);
  },
  120_000,
);
