import { InputError } from "@hindglance/core/errors";
import { claimRange, forgiveRangesOf, releaseLostRanges, setRangeProgress } from "../db/ranges";
import { findRun, listRuns, runProgress } from "../db/runs";
import { Presence } from "../db/presence";
import { type Client, Database } from "../db/pool";
import { tried } from "../db/transient";
import { CUT_ALL, databaseForTests } from "../testing/database";
import { Engine } from "./engine";
import type { RunKind } from "./kind";
import { Worker } from "./worker";

const testDatabase = databaseForTests();
let study: string;
beforeAll(async () => {
  study = await testDatabase.study("Engine");
  await testDatabase.withClient((client) => client.query("CREATE TABLE written (name text)"));
});

const workers: Worker[] = [];
afterEach(async () => {
  await Promise.all(workers.splice(0).map((worker) => worker.stop()));
  await testDatabase.withClient((client) => client.query("DELETE FROM run"));
});

interface Counting {
  upTo: number[];
}
/** What the toy kind was asked to do, in order. */
const calls: string[] = [];
beforeEach(() => {
  calls.length = 0;
});

/**
 * A run that squares numbers: a phase for each list, a range for each number. What a test changes
 * of it is handed in.
 */
const counting = (more: Partial<RunKind<Counting>> = {}): RunKind<Counting> => ({
  phases: ({ upTo }) => upTo.map((n, k) => ({ name: `Phase ${k} of ${n}`, weight: n || 1 })),
  ranges: (phase, { upTo }) => Promise.resolve(new Array<number>(upTo[phase]!).fill(1)),
  work: (phase, seq) => {
    calls.push(`work ${phase}/${seq}`);
    return Promise.resolve({ result: { square: seq * seq } });
  },
  finish: async ({ upTo }, results) => {
    calls.push("finish");
    const all = await Promise.all(upTo.map((_n, phase) => results<{ square: number }>(phase)));
    return { sums: all.map((part) => part.reduce((sum, { square }) => sum + square, 0)) };
  },
  discard: () => {
    calls.push("discard");
    return Promise.resolve();
  },
  ...more,
});

const engineOf = (kind: RunKind<Counting>): Engine =>
  new Engine(testDatabase.db, { counting: kind });

/** Lets a worker take ranges until the test ends. */
function work(engine: Engine): Worker {
  const worker = new Worker(testDatabase.db, engine, 1 << 20);
  workers.push(worker);
  worker.start();
  return worker;
}

const submit = (engine: Engine, upTo: number[], kind = "counting"): Promise<string> =>
  testDatabase.db.withTransaction((client) =>
    engine.submit(client, { studyId: study, kind, title: "Counting", params: { upTo } }),
  );

const rangesOf = async (run: string) =>
  (
    await testDatabase.withClient((client) =>
      client.query<{ phase: number; seq: number; state: string; attempts: number }>(
        "SELECT phase, seq, state, attempts FROM run_range WHERE run_id = $1 ORDER BY phase, seq",
        [run],
      ),
    )
  ).rows;

/** What ranges wrote, in order. */
const written = async (): Promise<string[]> =>
  (
    await testDatabase.withClient((client) =>
      client.query<{ name: string }>("SELECT name FROM written ORDER BY name"),
    )
  ).rows.map(({ name }) => name);

describe("a run from its order to its end", () => {
  test("phases follow each other, ranges are done once, results arrive in order", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [3, 2]);
    work(engine);
    const run = await engine.wait(id, 20_000);
    expect(run).toMatchObject({ state: "done", error: null, result: { sums: [0 + 1 + 4, 0 + 1] } });
    expect(run.finishedAt).not.toBeNull();
    expect([...calls.slice(0, 3)].sort()).toEqual(["work 0/0", "work 0/1", "work 0/2"]);
    expect([...calls.slice(3, 5)].sort()).toEqual(["work 1/0", "work 1/1"]);
    expect(calls.slice(5)).toEqual(["finish"]);
    expect(await rangesOf(id)).toEqual(
      [
        [0, 0],
        [0, 1],
        [0, 2],
        [1, 0],
        [1, 1],
      ].map(([phase, seq]) => ({ phase, seq, state: "done", attempts: 1 })),
    );
  });

  test("a phase without ranges is passed over; a run of none of them ends as it is ordered", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [0, 0]);
    const run = await testDatabase.withClient((client) => findRun(client, id));
    expect(run).toMatchObject({ state: "done", result: { sums: [0, 0] } });
    expect(calls).toEqual(["finish"]);
  });

  test("an order that is rolled back leaves nothing", async () => {
    const engine = engineOf(counting());
    const { db } = testDatabase;
    await expect(
      db.withTransaction(async (client) => {
        await engine.submit(client, {
          studyId: study,
          kind: "counting",
          title: "Never",
          params: { upTo: [2] },
        });
        throw new Error("The scene cannot be made");
      }),
    ).rejects.toThrow("The scene cannot be made");
    expect(await db.withClient((client) => listRuns(client, study))).toEqual([]);
  });

  test("a kind that nobody knows is refused by its name", async () => {
    const engine = engineOf(counting());
    await expect(submit(engine, [1], "knitting")).rejects.toThrow("No run of kind knitting");
  });

  test("two engines share the ranges of a run", async () => {
    const doing = new Map<string, number>();
    const slow = (name: string) =>
      counting({
        work: async (_phase, seq) => {
          doing.set(name, (doing.get(name) ?? 0) + 1);
          await new Promise((ok) => setTimeout(ok, 120));
          return { result: { square: seq * seq } };
        },
      });
    const [one, other] = [engineOf(slow("one")), engineOf(slow("other"))];
    work(one);
    work(other);
    const id = await submit(one, [12]);
    const run = await one.wait(id, 30_000);
    expect(run.result).toEqual({ sums: [506] });
    expect((doing.get("one") ?? 0) + (doing.get("other") ?? 0)).toBe(12);
    expect(doing.get("one")).toBeGreaterThan(0);
    expect(doing.get("other")).toBeGreaterThan(0);
  });
});

describe("progress", () => {
  test("is the share of the phases' weights; within a phase, of its ranges", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [2, 6]);
    const { db } = testDatabase;
    const shareOf = async () => (await db.withClient((client) => runProgress(client, id)))!;
    expect(await shareOf()).toMatchObject({ progress: 0, doing: "Phase 0 of 2" });
    await db.withClient((client) => setRangeProgress(client, id, 0, 1, 0.5));
    // A quarter of the first phase, which is 2 of 8.
    expect((await shareOf()).progress).toBeCloseTo((2 / 8) * 0.25, 6);
  });
});

describe("writing", () => {
  const writing = (after: () => void = () => {}) =>
    counting({
      work: (_phase, seq) =>
        Promise.resolve({
          result: { square: seq },
          write: async (client) => {
            await client.query("INSERT INTO written VALUES ($1)", [`range ${seq}`]);
            after();
          },
        }),
    });
  afterEach(() => testDatabase.withClient((client) => client.query("DELETE FROM written")));

  test("what a range writes stands with the range's end", async () => {
    const engine = engineOf(writing());
    work(engine);
    const id = await submit(engine, [2]);
    expect((await engine.wait(id, 20_000)).state).toBe("done");
    expect(await written()).toEqual(["range 0", "range 1"]);
  });

  test("where the writing fails neither stands, and the run says why", async () => {
    const engine = engineOf(
      writing(() => {
        throw new InputError("The grid is too large", "grid", "Take larger cells.");
      }),
    );
    work(engine);
    const id = await submit(engine, [1]);
    expect(await engine.wait(id, 20_000)).toMatchObject({
      state: "failed",
      error: { message: "The grid is too large", field: "grid", hint: "Take larger cells." },
      result: null,
    });
    expect(await written()).toEqual([]);
    expect(calls).toEqual(["discard"]);
  });
});

describe("cancelling", () => {
  test("a waiting run ends at once, and what it left is taken away; once", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [2]);
    expect(await engine.cancel(id)).toBe(true);
    expect(await engine.cancel(id)).toBe(false);
    expect(calls).toEqual(["discard"]);
    const run = await testDatabase.withClient((client) => findRun(client, id));
    expect(run).toMatchObject({ state: "cancelled", result: null });
  });

  test("a run at work is told through its signal, and writes nothing after", async () => {
    let begun = () => {};
    const started = new Promise<void>((ok) => {
      begun = ok;
    });
    let stopped = false;
    let wrote = false;
    const engine = engineOf(
      counting({
        work: async (_phase, _seq, _params, { signal }) => {
          begun();
          await new Promise<void>((ok) => signal.addEventListener("abort", () => ok()));
          stopped = true;
          return {
            write: () => {
              wrote = true;
              return Promise.resolve();
            },
          };
        },
      }),
    );
    work(engine);
    const id = await submit(engine, [1]);
    await started;
    expect(await engine.cancel(id)).toBe(true);
    for (let k = 0; k < 100 && !stopped; k++) {
      await new Promise((ok) => setTimeout(ok, 50));
    }
    expect(stopped).toBe(true);
    const [range] = await rangesOf(id);
    expect(range!.state).not.toBe("done");
    expect(wrote).toBe(false);
    expect(calls).toEqual(["discard"]);
  });

  test("nothing that has ended can be cancelled, nor what never was", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [0]);
    expect(await engine.cancel(id)).toBe(false);
    expect(await engine.cancel("0a000000-0000-4000-8000-0000000000aa")).toBe(false);
    expect(calls).toEqual(["finish"]);
  });
});

describe("workers that die", () => {
  const claim = ({ key }: Presence) => testDatabase.withClient((client) => claimRange(client, key));
  const living = () => Presence.open(testDatabase.db.url);

  test("the range of one whose connection is gone goes to another", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [1]);
    const dead = await living();
    expect(await claim(dead)).toMatchObject({ run: id, phase: 0, seq: 0, attempts: 1 });
    expect(await claim(dead)).toBeNull();
    await dead.close();
    expect(await engine.recover()).toEqual({ ranges: 1, runs: 0 });
    work(engine);
    expect((await engine.wait(id, 20_000)).state).toBe("done");
    expect(await rangesOf(id)).toMatchObject([{ state: "done", attempts: 2 }]);
  });

  test("the range of one that lives is left to it, however long it says nothing", async () => {
    const engine = engineOf(counting());
    await submit(engine, [1]);
    const busy = await living();
    await claim(busy);
    // As a computation does that lets nothing else come to its turn.
    for (const end = Date.now() + 1500; Date.now() < end;) {
      Math.sqrt(end);
    }
    expect(await engine.recover()).toEqual({ ranges: 0, runs: 0 });
    await busy.close();
  });

  test("a range that killed every worker is given up: the run fails and what it left is taken away", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [1]);
    for (let tries = 0; tries < 4; tries++) {
      const dead = await living();
      expect(await claim(dead)).not.toBeNull();
      await dead.close();
      expect(await engine.recover()).toEqual({ ranges: 1, runs: 0 });
    }
    work(engine);
    const run = await engine.wait(id, 20_000);
    expect(run.state).toBe("failed");
    expect(run.error!.message).toBe(
      "Given up after 4 tries: the process that worked on it ended each time",
    );
    expect(calls).toEqual(["discard"]);
  });

  test("a run whose last range ended unnoticed is moved on without a restart", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [1, 1]);
    await testDatabase.withClient((client) =>
      client.query(
        "UPDATE run_range SET state = 'done', result = '{\"square\": 7}' WHERE run_id = $1",
        [id],
      ),
    );
    expect(await engine.recover()).toEqual({ ranges: 0, runs: 1 });
    expect(await testDatabase.withClient((client) => findRun(client, id))).toMatchObject({
      phase: 1,
    });
    work(engine);
    expect((await engine.wait(id, 20_000)).result).toEqual({ sums: [7, 0] });
  });

  test("a run that cannot be moved on fails, and the others go on", async () => {
    const engine = engineOf(
      counting({
        finish: () => Promise.reject(new InputError("The result fits nowhere", "grid")),
      }),
    );
    const id = await submit(engine, [1]);
    await testDatabase.withClient((client) =>
      client.query("UPDATE run_range SET state = 'done' WHERE run_id = $1", [id]),
    );
    await engine.recover();
    expect(await engine.wait(id, 0)).toMatchObject({
      state: "failed",
      error: { message: "The result fits nowhere" },
    });
  });

  test("who lost its range to another cannot end it, nor does what it wrote stay", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [1]);
    const [late, other] = [await living(), await living()];
    const range = (await claim(late))!;
    await testDatabase.withClient((client) =>
      client.query("UPDATE run_range SET claimed_by = $2 WHERE run_id = $1", [id, other.key]),
    );
    const done = {
      result: { square: 1 },
      write: async (client: Client) => {
        await client.query("INSERT INTO written VALUES ('late')");
      },
    };
    await expect(engine.conclude(range, late.key, done)).rejects.toThrow(/another worker/);
    expect(await rangesOf(id)).toMatchObject([{ state: "active" }]);
    expect(await written()).toEqual([]);
    await Promise.all([late.close(), other.close()]);
  });
});

describe("a database that is away for a moment", () => {
  /** Ends every connection to the database but the asking one. */
  const cutAll = () => testDatabase.withClient((client) => client.query(CUT_ALL));
  /** A kind whose ranges wait until they are let go, however often they are begun. */
  const waiting = () => {
    let release = () => {};
    const held = new Promise<void>((ok) => {
      release = ok;
    });
    const kind = counting({
      work: async (phase, seq, _params, { signal }) => {
        calls.push(`work ${phase}/${seq}`);
        await Promise.race([
          held,
          new Promise((ok) => signal.addEventListener("abort", ok, { once: true })),
        ]);
        return { result: { square: seq } };
      },
    });
    return { kind, release };
  };
  const begun = async (times: number) => {
    for (let k = 0; k < 200 && calls.length < times; k++) {
      await new Promise((ok) => setTimeout(ok, 25));
    }
    expect(calls.length).toBeGreaterThanOrEqual(times);
  };

  test("a worker comes back with another place among the living, and its range is done", async () => {
    const { kind, release } = waiting();
    const engine = engineOf(kind);
    work(engine);
    const id = await submit(engine, [1]);
    await begun(1);
    await cutAll();
    const recovering = setInterval(() => void engine.recover().catch(() => {}), 200);
    await begun(2);
    release();
    const run = await engine.wait(id, 20_000);
    clearInterval(recovering);
    expect(run).toMatchObject({ state: "done", error: null });
  });

  test("a range that lost its worker's connection eight times is not given up: no process died", async () => {
    let begun = 0;
    const engine = engineOf(
      counting({
        work: async (_phase, _seq, _params, { signal }) => {
          begun++;
          if (begun <= 8) {
            await cutAll();
            while (!signal.aborted) {
              await new Promise((ok) => setTimeout(ok, 10));
            }
            // The range goes to whoever lives before this worker is back.
            await tried(() => testDatabase.withClient(releaseLostRanges), { forMs: 10_000 });
          }
          return { result: { square: 1 } };
        },
      }),
    );
    work(engine);
    const id = await submit(engine, [1]);
    expect((await engine.wait(id, 50_000)).state).toBe("done");
    expect(begun).toBe(9);
  });

  test("of two workers that lost it one after the other each that is back counts no more", async () => {
    const engine = engineOf(counting());
    const id = await submit(engine, [1]);
    // Nobody lives by these keys.
    for (const key of [901, 902]) {
      await testDatabase.withClient((client) => claimRange(client, key));
      expect(await testDatabase.withClient(releaseLostRanges)).toBe(1);
    }
    expect(await rangesOf(id)).toMatchObject([{ attempts: 2 }]);
    await testDatabase.withClient((client) => forgiveRangesOf(client, 901));
    expect(await rangesOf(id)).toMatchObject([{ attempts: 1 }]);
    await testDatabase.withClient((client) => forgiveRangesOf(client, 902));
    await testDatabase.withClient((client) => forgiveRangesOf(client, 902));
    expect(await rangesOf(id)).toMatchObject([{ state: "queued", attempts: 0 }]);
    await engine.cancel(id);
  });

  test("a range whose end meets a deadlock is done again, and does not count as a death", async () => {
    let fails = 3;
    const engine = engineOf(
      counting({
        work: () =>
          Promise.resolve({
            result: { square: 2 },
            write: () =>
              fails-- > 0
                ? Promise.reject(Object.assign(new Error("deadlock detected"), { code: "40P01" }))
                : Promise.resolve(),
          }),
      }),
    );
    work(engine);
    const id = await submit(engine, [1]);
    expect(await engine.wait(id, 20_000)).toMatchObject({ state: "done", result: { sums: [2] } });
    expect(await rangesOf(id)).toMatchObject([{ state: "done", attempts: 1 }]);
  });

  test("with every connection taken a range stays with nobody", async () => {
    const small = new Database(testDatabase.db.url, { max: 1, waitMs: 200 });
    const { kind, release } = waiting();
    const engine = new Engine(small, { counting: kind });
    const worker = new Worker(small, engine, 1 << 20);
    worker.start();
    const id = await submit(engineOf(kind), [1]);
    await begun(1);
    let free = () => {};
    const taken = small.withClient(
      () =>
        new Promise<void>((ok) => {
          free = ok;
        }),
    );
    release();
    await new Promise((ok) => setTimeout(ok, 700));
    free();
    await taken;
    expect((await engineOf(kind).wait(id, 20_000)).state).toBe("done");
    await worker.stop();
    await small.close();
  });
});

describe("a run that is cancelled while it writes", () => {
  test("takes what is being written with it", async () => {
    const order: string[] = [];
    let writing = () => {};
    const begun = new Promise<void>((ok) => {
      writing = ok;
    });
    const engine = engineOf(
      counting({
        work: () =>
          Promise.resolve({
            write: async (client) => {
              await client.query("INSERT INTO written VALUES ('half')");
              writing();
              await new Promise((ok) => setTimeout(ok, 400));
              order.push("written");
            },
          }),
        discard: async (_params, client) => {
          order.push("discarded");
          await client.query("DELETE FROM written");
        },
      }),
    );
    work(engine);
    const id = await submit(engine, [2]);
    await begun;
    expect(await engine.cancel(id)).toBe(true);
    await new Promise((ok) => setTimeout(ok, 800));
    // The other range may be written too before the cancelling has its turn; nothing is after it.
    expect(order[0]).toBe("written");
    expect(order.indexOf("discarded")).toBe(order.length - 1);
    expect(await written()).toEqual([]);
  });
});

/** What comes within two seconds; null where nothing does. */
async function until<T>(work: () => Promise<T | null>): Promise<T | null> {
  for (const end = Date.now() + 2000; Date.now() < end;) {
    const found = await work();
    if (found) {
      return found;
    }
    await new Promise((ok) => setTimeout(ok, 20));
  }
  return null;
}

test("the newest run goes first: what was just asked for does not wait behind a long one", async () => {
  const engine = engineOf(counting());
  const long = await submit(engine, [2]);
  const { db } = testDatabase;
  await db.withClient((client) =>
    client.query("UPDATE run SET created_at = created_at - interval '1 minute'"),
  );
  const short = await submit(engine, [1]);
  const order = [];
  for (let k = 0; k < 3; k++) {
    // A range that somebody looks at just now is passed over: it is there a moment later.
    const claim = () => db.withClient((client) => claimRange(client, 1));
    order.push((await until(claim))?.run);
  }
  expect(order).toEqual([short, long, long]);
});

test("a claim takes one range, also where the database knows its tables from when they were small", async () => {
  const engine = engineOf(counting());
  await submit(engine, [1]);
  // Of tables this small the planner may look for the waiting range once for each row.
  await testDatabase.withClient((client) => client.query("ANALYZE run, run_range"));
  await submit(engine, [4]);
  await testDatabase.withClient(async (client) => {
    const claimed = await claimRange(client, 1);
    const { rows } = await client.query("SELECT seq FROM run_range WHERE state = 'active'");
    expect(rows).toEqual([{ seq: claimed?.seq }]);
  });
});
