import { createServer } from "node:net";
import { setTimeout as wait } from "node:timers/promises";
import pg from "pg";
import { portOf } from "../port";
import { CUT_ALL, createDatabase, dropDatabase } from "../testing/database";
import { Database, lending } from "./pool";

let database: string;
let url: string;
let db: Database;
/** Another connection, which looks at those of the pool and ends them. */
let other: pg.Client;
beforeAll(async () => {
  ({ database, url } = await createDatabase());
  other = new pg.Client(url);
  await other.connect();
});
afterAll(async () => {
  await other.end();
  await dropDatabase(database);
});
beforeEach(() => {
  db = new Database(url, { max: 2, waitMs: 400 });
});
afterEach(() => db.close());

/** Ends every connection but the looking one, as a restart of the database does. */
const cutAll = () => other.query(CUT_ALL);
const listening = async (): Promise<number> =>
  (
    await other.query<{ n: number }>(`
      SELECT count(*)::int AS n
      FROM pg_stat_activity
      WHERE datname = current_database()
        AND query LIKE 'LISTEN%'
    `)
  ).rows[0]!.n;
/** A message of PostgreSQL's protocol: its kind, its length and its body. */
function message(kind: string, body: string): Buffer {
  const length = Buffer.alloc(4);
  length.writeInt32BE(4 + body.length);
  return Buffer.concat([Buffer.from(kind), length, Buffer.from(body)]);
}

/** Waits until something is so, for up to five seconds. */
async function until(isSo: () => boolean | Promise<boolean>): Promise<void> {
  for (const end = Date.now() + 5000; !(await isSo()); await wait(20)) {
    if (Date.now() > end) {
      throw new Error("It has not become so in five seconds");
    }
  }
}

describe("a connection that breaks", () => {
  test("while its holder waits for something else ends that work, and nothing more", async () => {
    const work = db.withTransaction(async (client) => {
      await client.query("SELECT 1");
      await cutAll();
      await wait(100);
      await client.query("SELECT 2");
    });
    await expect(work).rejects.toThrow();
    expect(await db.withClient(async (client) => (await client.query("SELECT 3")).rowCount)).toBe(
      1,
    );
  });

  test("while it is idle is replaced", async () => {
    await db.withClient((client) => client.query("SELECT 1"));
    await cutAll();
    await wait(100);
    expect(await db.withClient(async (client) => (await client.query("SELECT 2")).rowCount)).toBe(
      1,
    );
  });

  test("in the very moment it is made ends the work that asked for it, and nothing more", async () => {
    const said = [
      message("R", "\0\0\0\0"),
      message("Z", "I"),
      message("E", "SFATAL\0C57P01\0Mterminating connection due to administrator command\0\0"),
    ];
    const cutting = createServer((socket) => {
      socket.on("error", () => {});
      socket.once("data", () => socket.end(Buffer.concat(said)));
    });
    await new Promise<void>((ok) => cutting.listen(0, "127.0.0.1", ok));
    const port = portOf(cutting.address());
    const cut = new Database(`postgres://a:b@127.0.0.1:${port}/c`);
    const work = cut.withClient((client) => client.query("SELECT 1"));
    await expect(work).rejects.toThrow(/not queryable/);
    await cut.close();
    await new Promise((ok) => cutting.close(ok));
  });

  test("is not handed out again, not even where its holder said nothing of it", async () => {
    for (let k = 0; k < 4; k++) {
      await db.withClient(async () => {
        await cutAll();
        await wait(50);
      });
    }
    expect(await db.withClient(async (client) => (await client.query("SELECT 1")).rowCount)).toBe(
      1,
    );
  });
});

test("whoever finds no connection free is told so after a while", async () => {
  let open = () => {};
  const gate = new Promise<void>((ok) => {
    open = ok;
  });
  const held = [1, 2].map(() => db.withClient(() => gate));
  const begun = Date.now();
  await expect(db.withClient(() => Promise.resolve())).rejects.toMatchObject({
    status: 503,
    code: "busy",
  });
  expect(Date.now() - begun).toBeLessThan(2000);
  open();
  await Promise.all(held);
  await db.withClient((client) => client.query("SELECT 1"));
});

describe("listening", () => {
  test("hears what is notified, takes none of the pool's connections, and ends", async () => {
    const heard: string[] = [];
    const stop = db.listen("hg_work", (payload) => heard.push(payload));
    await until(async () => (await listening()) === 1);
    await Promise.all([1, 2].map(() => db.withClient((client) => client.query("SELECT 1"))));
    await other.query("SELECT pg_notify('hg_work', 'a')");
    await until(() => heard.includes("a"));
    stop();
    await until(async () => (await listening()) === 0);
  });

  test("goes on after its connection broke, once and not twice, and says that it may have missed something", async () => {
    const heard: string[] = [];
    let back = 0;
    const stop = db.listen(
      "hg_runs",
      (payload) => heard.push(payload),
      () => back++,
    );
    await until(async () => (await listening()) === 1);
    for (let times = 1; times <= 3; times++) {
      await cutAll();
      await until(() => back === times);
    }
    await other.query("SELECT pg_notify('hg_runs', 'b')");
    await until(() => heard.includes("b"));
    await wait(300);
    expect(heard.filter((payload) => payload === "b")).toHaveLength(1);
    expect(await listening()).toBe(1);
    expect(back).toBe(3);
    stop();
  });
});

describe("who holds a connection", () => {
  const strict = () => new Database(url, { max: 2, strict: true });

  test("and asks for another is told so under test: with all lent each would wait for the others", async () => {
    const one = strict();
    await expect(
      one.withTransaction(() => one.withClient((client) => client.query("SELECT 1"))),
    ).rejects.toThrow("asked for while another was held");
    // Once it is given back another may be asked for, also by what was begun meanwhile.
    let later = Promise.resolve<unknown>(null);
    await one.withClient(() => {
      later = new Promise((ok) => setTimeout(ok, 50)).then(() =>
        one.withClient((client) => client.query("SELECT 1")),
      );
      return Promise.resolve();
    });
    await expect(later).resolves.toMatchObject({ rowCount: 1 });
    await one.close();
  });

  test("reads with the one that it holds", async () => {
    const one = strict();
    const found = await one.withTransaction((client) =>
      lending(client).withClient((same) => Promise.resolve(same === client)),
    );
    expect(found).toBe(true);
    await one.close();
  });
});
