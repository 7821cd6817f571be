import { randomUUID } from "node:crypto";
import { CUT_ALL, databaseForTests } from "../testing/database";
import { type BinaryRow, assertUuid, copyIn, copyOut, int2, int4, uuidBytes } from "./copy";

const testDatabase = databaseForTests();
const { withClient } = testDatabase;
beforeAll(async () => {
  await withClient((client) =>
    client.query("CREATE TABLE goods (id uuid, short smallint, long int, bytes bytea)"),
  );
});
beforeEach(() => withClient((client) => client.query("TRUNCATE goods")));

const ID = "0a1b2c3d-4e5f-4a6b-8c7d-9e0f1a2b3c4d";
const put = (rows: Iterable<BinaryRow> | AsyncIterable<BinaryRow>) =>
  withClient((client) => copyIn(client, "goods (id, short, long, bytes)", rows));

test("what is copied in, plain SQL reads; both ends of the numbers, null and no bytes at all", async () => {
  await put([
    [uuidBytes(ID), int2(-32768), int4(-2147483648), Buffer.from([0, 255, 10, 92])],
    [uuidBytes(ID), int2(32767), int4(2147483647), new Uint8Array(0)],
    [uuidBytes(ID), null, null, null],
  ]);
  const { rows } = await withClient((client) =>
    client.query("SELECT id::text, short, long, encode(bytes, 'hex') AS bytes FROM goods"),
  );
  expect(rows).toEqual([
    { id: ID, short: -32768, long: -2147483648, bytes: "00ff0a5c" },
    { id: ID, short: 32767, long: 2147483647, bytes: "" },
    { id: ID, short: null, long: null, bytes: null },
  ]);
});

test("what SQL wrote is copied out field by field, in the order asked for", async () => {
  await withClient((client) =>
    client.query("INSERT INTO goods VALUES ($1, 3, 70000, '\\x0102'), ($1, 2, NULL, '')", [ID]),
  );
  const rows = await withClient((client) =>
    copyOut(client, "SELECT short, long, bytes FROM goods ORDER BY short"),
  );
  expect(rows).toHaveLength(2);
  expect(rows[0]![0]!.readInt16BE()).toBe(2);
  expect(rows[0]![1]).toBeNull();
  expect(rows[0]![2]).toHaveLength(0);
  expect(rows[1]![1]!.readInt32BE()).toBe(70000);
  expect([...rows[1]![2]!]).toEqual([1, 2]);
});

test("no rows go in and come out as none", async () => {
  await put([]);
  expect(await withClient((client) => copyOut(client, "SELECT * FROM goods"))).toEqual([]);
});

test("large fields pass among thousands of small ones, whole and in their rows", async () => {
  const large = Buffer.alloc(700_001, 7);
  function* rows(): Generator<BinaryRow> {
    for (let k = 0; k < 5000; k++) {
      const bytes = k % 1000 === 999 ? large : Buffer.from([k & 255]);
      yield [null, null, int4(k), bytes];
    }
  }
  await put(rows());
  const { rows: sums } = await withClient((client) =>
    client.query<{ n: number; sum: string; large: number }>(
      `
        SELECT count(*)::int AS n, sum(long) AS sum,
          count(*) FILTER (WHERE length(bytes) = 700001)::int AS large
        FROM goods
      `,
    ),
  );
  expect(sums[0]).toEqual({ n: 5000, sum: String((5000 * 4999) / 2), large: 5 });
});

test("rows that fail to come leave nothing, and the connection serves on", async () => {
  async function* rows(): AsyncGenerator<BinaryRow> {
    yield [null, int2(1), null, null];
    await Promise.resolve();
    throw new Error("The file ended early");
  }
  await expect(put(rows())).rejects.toThrow("The file ended early");
  expect(await withClient((client) => copyOut(client, "SELECT * FROM goods"))).toEqual([]);
});

test("a row that the table does not take is refused with the database's reason", async () => {
  await expect(put([[null, int4(1), null, null]])).rejects.toThrow(/incorrect binary data format/);
  await expect(
    withClient((client) => copyIn(client, "goods (short, nothing)", [[null, null]])),
  ).rejects.toThrow(/nothing/);
});

test("only UUIDs get into the text of a COPY", () => {
  const id = randomUUID();
  expect(assertUuid(id)).toBe(id);
  expect(Buffer.from(uuidBytes(id)).toString("hex")).toBe(id.replaceAll("-", ""));
  for (const bad of ["", "1", `${id}'`, id.toUpperCase(), `${id} OR true`]) {
    expect(() => assertUuid(bad)).toThrow(`Not a UUID: ${bad}`);
  }
});

test.each([0, 1, 40, 199])(
  "a connection that is cut at row %i fails the copying, and nothing but it",
  async (at) => {
    async function* rows(): AsyncGenerator<BinaryRow> {
      for (let k = 0; k < 200; k++) {
        if (k === at) {
          await withClient((client) => client.query(CUT_ALL));
        }
        yield [null, null, int4(k), Buffer.alloc(50_000, k)];
      }
    }
    await expect(put(rows())).rejects.toThrow();
    expect(await withClient((client) => copyOut(client, "SELECT long FROM goods"))).toEqual([]);
  },
);

test("reading that is cut fails by itself too", async () => {
  await put(Array.from({ length: 100 }, (_v, k) => [null, null, int4(k), Buffer.alloc(200_000)]));
  const reading = withClient((client) => {
    const out = copyOut(client, "SELECT bytes, pg_sleep(0.02) IS NULL FROM goods");
    out.catch(() => {});
    return out;
  });
  await new Promise((ok) => setTimeout(ok, 300));
  await withClient((client) => client.query(CUT_ALL));
  await expect(reading).rejects.toThrow();
  const again = await withClient((client) => copyOut(client, "SELECT long FROM goods"));
  expect(again).toHaveLength(100);
});
