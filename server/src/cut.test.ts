import { setTimeout as wait } from "node:timers/promises";
import type { ComparisonView } from "@hindglance/contract/comparison";
import { changesBetween } from "@hindglance/contract/changes";
import { CUT_ALL } from "./testing/database";
import { TestServer } from "./testing/harness";
import { SETUP, radarTiff } from "./testing/pairs";
import { announce, digestHeader, offsetOf, piece } from "./testing/sending";

// A whole study while every connection to the database is cut again and again, from the server's
// and the workers' side. CUT_MS=250 cuts more often than a range of a run takes: those come once the
// cutting is over.
const CUT_MS = Number(process.env.CUT_MS ?? 700);
const CUTTING_MS = 40_000;
const SIDE = 700;

let testServer: TestServer;
let cuts = 0;
let lastCut: Promise<void> = Promise.resolve();
let cutting: NodeJS.Timeout;
beforeAll(async () => {
  testServer = await TestServer.start();
  cutting = setInterval(() => {
    lastCut = testServer.query(CUT_ALL).then(
      () => void cuts++,
      () => {},
    );
  }, CUT_MS);
  setTimeout(() => clearInterval(cutting), CUTTING_MS).unref();
});
afterAll(async () => {
  clearInterval(cutting);
  await testServer.stop();
});

/** How often somebody had to try again, since what he asked for was not done. */
let triedAgain = 0;

/** Asks, and tries again where the answer says that the database was away, as a person does. */
async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  for (let tries = 0; ; tries++) {
    const answer = await testServer.call<T>(method, path, body);
    // What was done while its answer was lost is seen by the next try to be so already.
    if (answer.status < 300 || (answer.status === 409 && tries > 0)) {
      return answer.body;
    }
    if (answer.status !== 503 || tries > 20) {
      throw new Error(`${method} ${path}: ${answer.status} ${JSON.stringify(answer.body)}`);
    }
    triedAgain++;
    await wait(100);
  }
}

/** Sends a file as a page does: it asks how far it is and goes on. */
async function send(study: string, filename: string, bytes: Uint8Array): Promise<void> {
  let at = "";
  while (!at) {
    at = (await announce(testServer, bytes.length, { study, filename })).at;
  }
  for (;;) {
    const from = await offsetOf(testServer, at);
    if (from < 0 || from === bytes.length) {
      return;
    }
    const to = Math.min(bytes.length, from + 500_000);
    const last = to === bytes.length ? digestHeader(bytes) : {};
    await piece(testServer, at, from, bytes.subarray(from, to), last);
  }
}

interface Scene {
  id: string;
  acquiredAt: string;
  statistics: { cells: number }[] | null;
}

async function until<T>(get: () => Promise<T>, isSo: (value: T) => boolean): Promise<T> {
  for (const end = Date.now() + 100_000; ;) {
    const value = await get();
    if (isSo(value)) {
      return value;
    }
    if (Date.now() > end) {
      throw new Error(`It did not become so: ${JSON.stringify(value).slice(-600)}`);
    }
    await wait(150);
  }
}

const ended = async (run: string) =>
  until(
    () => ask<{ state: string; result: { changeMapId: string } }>("GET", `/runs/${run}`),
    ({ state }) => state !== "running",
  );

test("from the first file to a map and its file: all of it comes, nothing is left half", async () => {
  const { id: study } = await ask<{ id: string }>("POST", "/studies", {
    name: "Cut",
    hazard: "flood",
  });
  await Promise.all([
    send(study, "a_20250502_VV.tif", radarTiff(SIDE, SIDE, 1, [20, 60])),
    send(study, "b_20250514_VV.tif", radarTiff(SIDE, SIDE, 2, [20, 300])),
  ]);
  const scenes = await until(
    () => ask<Scene[]>("GET", `/studies/${study}/scenes`),
    (list) => list.length === 2 && list.every(({ statistics }) => statistics),
  );
  expect(scenes.map(({ statistics }) => statistics![0]!.cells)).toEqual([SIDE * SIDE, SIDE * SIDE]);
  const [before, after] = scenes.sort((a, b) => (a.acquiredAt < b.acquiredAt ? -1 : 1));
  const comparison = { beforeId: before!.id, afterId: after!.id, setup: SETUP };
  const path = `/studies/${study}/comparison`;
  const { comparison: held } = await ask<ComparisonView>("GET", path);
  await ask("PATCH", path, { changes: changesBetween(held, comparison), measure: "yes" });
  // Where the answer was lost the change was there at the next try, which orders nothing; so does a page.
  await ask("PATCH", path, { changes: [], measure: "yes" });
  const measured = await until(
    () => ask<ComparisonView>("GET", path),
    ({ areas }) => areas?.state === "known",
  );
  for (const part of ["scenes", "uploads", "arriving", "compare/sides", "ledger"]) {
    await ask("GET", `/studies/${study}/${part}`);
  }
  await ask("POST", `/studies/${study}/compare/histograms`, comparison);
  const { runId } = await ask<{ runId: string }>("POST", `/studies/${study}/change-maps`, {
    ...comparison,
    name: "Cut",
  });
  const { state, result } = await ended(runId);
  expect(state).toBe("done");
  const map = `/change-maps/${result.changeMapId}`;
  const made = await ask<{ runId: string }>("POST", `${map}/files`, { format: "geojson" });
  expect((await ended(made.runId)).state).toBe("done");
  expect(measured.areas).toMatchObject({ state: "known" });

  clearInterval(cutting);
  // One that is on its way would cut what is asked next.
  await lastCut;
  expect(cuts).toBeGreaterThan(3);
  await testServer.quiet();
  // Where an answer was lost on its way, the same may have been begun twice; none is half.
  const [rest] = await testServer.query(`
    SELECT
      (SELECT count(*)::int FROM run WHERE state <> 'done') AS "notDone",
      (SELECT count(*)::int FROM image WHERE state = 'writing') AS writing,
      (SELECT count(*)::int FROM blob WHERE purpose <> 'file') AS blobs
  `);
  expect(rest).toEqual({ notDone: 0, writing: 0, blobs: 0 });
  console.info(`${cuts} cuts, tried again ${triedAgain} times`);
}, 180_000);
