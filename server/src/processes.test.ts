import type { Process } from "@hindglance/contract/processes";
import type { ErrorAnswer } from "@hindglance/contract/errors";
import { hostname } from "node:os";
import { FloodedStudy } from "./testing/flooded";
import { TestServer } from "./testing/harness";
import { until } from "./testing/until";

let testServer: TestServer;
let study: FloodedStudy;
beforeAll(async () => {
  testServer = await TestServer.start({ workers: 2 });
  study = await FloodedStudy.make(testServer, "Workers");
  await until(async () => (await there("worker")).length === 2);
});
afterAll(() => testServer.stop());

const listed = async (): Promise<Process[]> =>
  (await testServer.call<Process[]>("GET", "/processes")).body;
const there = async (kind: Process["kind"]): Promise<Process[]> =>
  (await listed()).filter((one) => one.isThere && one.kind === kind);
const drain = (id: string, isDraining: boolean) =>
  testServer.call<Process & ErrorAnswer>("PATCH", `/processes/${id}`, { isDraining });

test("server and workers tell where they run and how much memory they take", async () => {
  const [server] = await there("server");
  const workers = await there("worker");
  expect([server?.pid, server?.host]).toEqual([testServer.pid, hostname()]);
  expect(new Set([server!.pid, ...workers.map(({ pid }) => pid)]).size).toBe(3);
  for (const one of [server!, ...workers]) {
    expect(one).toMatchObject({ isSameProgram: true, isDraining: false, work: null });
    expect(one.memoryBytes).toBeGreaterThan(30e6);
    expect(one.silentSeconds).toBeLessThan(15);
  }
});

test("a worker that works tells of what, and for whom", async () => {
  const writing = study.write("Seen at work");
  let seen: Process["work"] = null;
  await until(async () => {
    seen ??= (await there("worker")).find(({ work }) => work)?.work ?? null;
    return seen !== null;
  });
  expect(seen).toMatchObject({ title: "Write Seen at work", study: "Workers" });
  await writing;
  await testServer.quiet();
  await until(async () => (await there("worker")).every(({ work }) => work === null));
});

test("drained workers take nothing until they are let to, and what was begun waits", async () => {
  const workers = await there("worker");
  for (const { id } of workers) {
    expect((await drain(id, true)).body.isDraining).toBe(true);
  }
  // Each hears of it when it tells of itself the next time.
  const heardAt = workers.map((one) => one.heardAt);
  const isHeard = async () => {
    const now = await there("worker");
    return now.every((one) => !heardAt.includes(one.heardAt));
  };
  await until(isHeard);
  const writing = study.write("Waits");
  await new Promise((ok) => setTimeout(ok, 2500));
  const [run] = await testServer.query<{ state: string; taken: number }>(
    `
      SELECT r.state, count(*) FILTER (WHERE x.attempts > 0)::int AS taken
      FROM run r
        JOIN run_range x ON x.run_id = r.id
      WHERE r.title = 'Write Waits'
      GROUP BY r.state
    `,
  );
  expect(run).toEqual({ state: "running", taken: 0 });
  await drain(workers[0]!.id, false);
  expect((await writing).name).toBe("Waits");
  await testServer.quiet();
  await drain(workers[1]!.id, false);
});

test("a server cannot be drained, nor what is not there", async () => {
  const [server] = await there("server");
  const { status, body } = await drain(server!.id, true);
  expect([status, body.error.message]).toEqual([404, "There is no such worker"]);
});

test("a worker that is killed is gone at once; one that ends in order is not listed", async () => {
  const [first, second] = await there("worker");
  process.kill(first!.pid, "SIGKILL");
  await until(async () => !(await there("worker")).some(({ id }) => id === first!.id));
  expect((await listed()).find(({ id }) => id === first!.id)).toMatchObject({ isThere: false });
  process.kill(second!.pid, "SIGTERM");
  await until(async () => !(await listed()).some(({ id }) => id === second!.id));
  // Others took their places.
  await until(async () => (await there("worker")).length === 2);
});
