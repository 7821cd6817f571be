import { setTimeout as wait } from "node:timers/promises";
import { databaseForTests } from "../testing/database";
import { listUnwanted, setWanted } from "../db/runs";
import { Waits } from "./waits";

const testDatabase = databaseForTests();
const PAGE = "0a000000-0000-4000-8000-00000000000a";
const OTHER = "0a000000-0000-4000-8000-00000000000b";

let waits: Waits;
beforeEach(() => {
  jest.useFakeTimers({ doNotFake: ["nextTick", "setImmediate", "queueMicrotask"] });
  waits = new Waits(testDatabase.db);
});
afterEach(() => {
  waits.close();
  jest.useRealTimers();
});

/** A run that is waited for, for so many seconds at first; null: that goes to its end. */
async function aRun(seconds: number | null): Promise<string> {
  return testDatabase.withClient(async (client) => {
    const { rows } = await client.query<{ id: string }>(
      `
        INSERT INTO run (kind, title, params, phases, phase)
        VALUES ('measureAreas', 't', '{}', '[]', 0)
        RETURNING id
      `,
    );
    const { id } = rows[0]!;
    if (seconds !== null) {
      await setWanted(client, id, seconds);
    }
    return id;
  });
}

/** Seconds that a run still goes on without another word; null: to its end. */
const left = async (id: string): Promise<number | null> =>
  testDatabase.withClient(async (client) => {
    const { rows } = await client.query<{ left: number | null }>(
      "SELECT extract(epoch FROM wanted_until - now())::float8 AS left FROM run WHERE id = $1",
      [id],
    );
    return rows[0]!.left;
  });

/** So many seconds go by here (not in the database). */
async function pass(seconds: number): Promise<void> {
  await jest.advanceTimersByTimeAsync(seconds * 1000);
  jest.useRealTimers();
  await wait(60);
  jest.useFakeTimers({ doNotFake: ["nextTick", "setImmediate", "queueMicrotask"] });
}

test("a run goes on as long as the page that waits for it listens", async () => {
  const run = await aRun(3);
  const leave = waits.open(PAGE);
  await waits.add(PAGE, run);
  expect(await left(run)).toBeGreaterThan(18);
  await testDatabase.withClient((client) => setWanted(client, run, 2));
  await pass(6);
  expect(await left(run)).toBeGreaterThan(18);
  leave();
});

test("once its page has closed nobody says any more that it is waited for", async () => {
  const run = await aRun(3);
  const leave = waits.open(PAGE);
  await waits.add(PAGE, run);
  leave();
  await testDatabase.withClient((client) => setWanted(client, run, 2));
  await pass(20);
  expect(await left(run)).toBeLessThan(2);
});

test("a page whose line broke for a moment waits on for the same runs", async () => {
  const run = await aRun(3);
  waits.open(PAGE)();
  await waits.add(PAGE, run);
  waits.open(PAGE);
  await testDatabase.withClient((client) => setWanted(client, run, 2));
  await pass(6);
  expect(await left(run)).toBeGreaterThan(18);
});

test("one of two pages leaves: the run goes on; the second leaves too: it ends soon", async () => {
  const run = await aRun(20);
  for (const page of [PAGE, OTHER]) {
    waits.open(page);
    await waits.add(page, run);
  }
  await waits.remove(PAGE, run);
  expect(await left(run)).toBeGreaterThan(18);
  await waits.remove(OTHER, run);
  expect(await left(run)).toBeLessThan(8);
});

test("what goes to its end is not bounded by those that wait for it, nor by their leaving", async () => {
  const run = await aRun(null);
  waits.open(PAGE);
  await waits.add(PAGE, run);
  await waits.remove(PAGE, run);
  expect(await left(run)).toBeNull();
  const unwanted = await aRun(-1);
  const found = await testDatabase.withClient(listUnwanted);
  expect(found).toContain(unwanted);
  expect(found).not.toContain(run);
});
