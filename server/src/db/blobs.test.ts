import { createHash } from "node:crypto";
import { AppError } from "../errors";
import { databaseForTests } from "../testing/database";
import {
  BlobSource,
  CHUNK,
  deleteMapFile,
  deleteRunFiles,
  findBlob,
  listMapFiles,
  listRunFiles,
  listUploads,
  sweepBrokenBlobs,
  sweepForgottenUploads,
  sweepUnfinishedFiles,
} from "./blobs";
import { receiveBlob, type Arriving } from "./receiving";

const testDatabase = databaseForTests();
let study: string;
beforeAll(async () => {
  study = await testDatabase.study("Files");
});
afterEach(() => testDatabase.withClient((client) => client.query("DELETE FROM blob")));

/** Bytes that tell their place, so that one in the wrong place is seen. */
const bytesOf = (length: number) =>
  Uint8Array.from({ length }, (_v, i) => (i * 31 + (i >> 8) * 7) & 255);

/** The same bytes as they come over a line: in pieces of uneven size. */
async function* pieces(bytes: Uint8Array, least = 1): AsyncGenerator<Uint8Array> {
  for (let at = 0, size = least; at < bytes.length; at += size, size = size * 2 + 1) {
    await Promise.resolve();
    yield bytes.subarray(at, at + size);
  }
}

const receive = (bytes: AsyncIterable<Uint8Array>, more: Partial<Arriving> = {}) =>
  receiveBlob(
    testDatabase.db,
    { studyId: study, purpose: "upload", name: "scene.tif", maxBytes: 1e9, ...more },
    bytes,
  );
const count = async (): Promise<{ blobs: number; chunks: number }> =>
  (
    await testDatabase.withClient((client) =>
      client.query<{ blobs: number; chunks: number }>(
        `
          SELECT
            (SELECT count(*)::int FROM blob) AS blobs,
            (SELECT count(*)::int FROM blob_chunk) AS chunks
        `,
      ),
    )
  ).rows[0]!;

describe("receiving", () => {
  test.each([0, 1, CHUNK - 1, CHUNK, CHUNK + 1, 3 * CHUNK + 77])(
    "%i bytes are kept as they came, with size and checksum",
    async (length) => {
      const bytes = bytesOf(length);
      const blob = await receive(pieces(bytes, 1000));
      expect(blob).toMatchObject({
        state: "ready",
        name: "scene.tif",
        size: length,
        sha256: createHash("sha256").update(bytes).digest("hex"),
      });
      expect((await count()).chunks).toBe(Math.ceil(length / CHUNK));
      const back = await new BlobSource(testDatabase.db, blob.id, blob.size).read(0, length);
      expect(Buffer.compare(back, bytes)).toBe(0);
    },
  );

  test("a file over the limit is refused with its name and the limit, and nothing stays", async () => {
    const error = await receive(pieces(bytesOf(2 * CHUNK)), { maxBytes: CHUNK }).catch(
      (e: unknown) => e,
    );
    expect(error).toBeInstanceOf(AppError);
    expect(error).toMatchObject({ status: 413, code: "tooLarge", field: "file" });
    expect(String(error)).toContain("scene.tif is larger than 0 GB");
    expect(await count()).toEqual({ blobs: 0, chunks: 0 });
  });

  test("a line that breaks leaves nothing", async () => {
    async function* broken(): AsyncGenerator<Uint8Array> {
      yield bytesOf(CHUNK + 5);
      await Promise.resolve();
      throw new Error("The connection was closed");
    }
    await expect(receive(broken())).rejects.toThrow("The connection was closed");
    expect(await count()).toEqual({ blobs: 0, chunks: 0 });
  });

  test("a study that is not there is named as missing before any byte is read", async () => {
    let asked = false;
    async function* bytes(): AsyncGenerator<Uint8Array> {
      asked = true;
      await Promise.resolve();
      yield bytesOf(1);
    }
    await expect(
      receive(bytes(), { studyId: "0a000000-0000-4000-8000-0000000000aa" }),
    ).rejects.toMatchObject({ status: 404 });
    expect(asked).toBe(false);
  });

  test("nobody sees a file before its last byte", async () => {
    let go = () => {};
    const held = new Promise<void>((ok) => {
      go = ok;
    });
    async function* slow(): AsyncGenerator<Uint8Array> {
      yield bytesOf(10);
      await held;
      yield bytesOf(10);
    }
    const arriving = receive(slow(), { detail: { form: "raster" } });
    const uploads = () => testDatabase.withClient((client) => listUploads(client, study));
    await new Promise((ok) => setTimeout(ok, 50));
    expect(await uploads()).toEqual([]);
    go();
    const { id } = await arriving;
    expect((await uploads()).map((blob) => blob.id)).toEqual([id]);
  });
});

describe("reading at random", () => {
  const bytes = bytesOf(7 * CHUNK + 100);
  let source: BlobSource;
  beforeEach(async () => {
    const blob = await receive(pieces(bytes, CHUNK));
    source = new BlobSource(testDatabase.db, blob.id, blob.size);
  });

  test.each([
    ["within a chunk", 10, 20],
    ["over a border", CHUNK - 3, 6],
    ["a whole chunk", CHUNK, CHUNK],
    ["over many chunks", 3, 6 * CHUNK],
    ["to the last byte", 7 * CHUNK, 100],
    ["nothing", 5, 0],
  ])("%s", async (_what, offset, length) => {
    const got = await source.read(offset, length);
    expect(Buffer.compare(got, bytes.subarray(offset, offset + length))).toBe(0);
  });

  test("a download gives all bytes in order", async () => {
    const hash = createHash("sha256");
    for await (const part of source.stream()) {
      hash.update(part);
    }
    expect(hash.digest("hex")).toBe(createHash("sha256").update(bytes).digest("hex"));
  });

  test("past the end the file is called cut off, with the byte where it ends", async () => {
    await expect(source.read(bytes.length - 1, 2)).rejects.toThrow(
      `The file ends at byte ${bytes.length}, but bytes up to ${bytes.length + 1} are needed`,
    );
    await expect(source.read(-1, 2)).rejects.toMatchObject({ problem: "truncated" });
  });

  test("a chunk that is lost is said to be, and is asked for again the next time", async () => {
    const chunk = (sql: string) => testDatabase.withClient((client) => client.query(sql));
    await chunk("UPDATE blob_chunk SET seq = 1000 WHERE seq = 2");
    await expect(source.read(2 * CHUNK, 1)).rejects.toThrow("A part of the stored file is missing");
    await chunk("UPDATE blob_chunk SET seq = 2 WHERE seq = 1000");
    expect((await source.read(2 * CHUNK, 1))[0]).toBe(bytes[2 * CHUNK]);
  });
});

describe("sweeping", () => {
  const age = (id: string, by: string) =>
    testDatabase.withClient((client) =>
      client.query(
        "UPDATE blob SET created_at = now() - $2::interval, touched_at = now() - $2::interval WHERE id = $1",
        [id, by],
      ),
    );
  const isThere = async (id: string) =>
    (await testDatabase.withClient((client) => findBlob(client, id))) !== null;

  test("uploads that broke off go once they are silent; those that stand, that still come, and runs' own files stay", async () => {
    const whole = await receive(pieces(bytesOf(5)));
    const broken = await receive(pieces(bytesOf(5)));
    const coming = await receive(pieces(bytesOf(5)));
    const fetching = await receive(pieces(bytesOf(5)), { purpose: "fetching" });
    const all = [whole, broken, coming, fetching];
    await testDatabase.withClient(async (client) => {
      await client.query("UPDATE blob SET state = 'receiving' WHERE id <> $1", [whole.id]);
      await client.query(
        "UPDATE blob SET touched_at = now() - interval '61 minutes' WHERE id <> $1",
        [coming.id],
      );
    });
    expect(await testDatabase.withClient((client) => sweepBrokenBlobs(client, 1))).toBe(1);
    expect(await Promise.all(all.map(({ id }) => isThere(id)))).toEqual([true, false, true, true]);
  });

  test("uploads that nobody wanted for two days go; made files do not", async () => {
    const fresh = await receive(pieces(bytesOf(5)));
    const old = await receive(pieces(bytesOf(5)));
    const file = await receive(pieces(bytesOf(5)), { purpose: "file" });
    await age(old.id, "49 hours");
    await age(file.id, "49 hours");
    expect(await testDatabase.withClient((client) => sweepForgottenUploads(client, 2))).toBe(1);
    expect(await Promise.all([fresh, old, file].map(({ id }) => isThere(id)))).toEqual([
      true,
      false,
      true,
    ]);
  });

  test("files whose making died go after an hour", async () => {
    const young = await receive(pieces(bytesOf(5)), { purpose: "making" });
    const old = await receive(pieces(bytesOf(5)), { purpose: "making" });
    await age(old.id, "61 minutes");
    await testDatabase.withClient((client) => sweepUnfinishedFiles(client, 1));
    expect(await isThere(young.id)).toBe(true);
    expect(await isThere(old.id)).toBe(false);
  });
});

describe("files of runs and of maps", () => {
  const RUN = "0a000000-0000-4000-8000-000000000001";
  const MAP = "0a000000-0000-4000-8000-000000000002";
  const runFile = (seq: number, run = RUN) =>
    receive(pieces(bytesOf(3)), {
      purpose: "fetching",
      name: `part ${seq}`,
      detail: { run, seq },
    });

  test("a run's files are listed in the order of its ranges, and deleted by range or all", async () => {
    await runFile(2);
    await runFile(0);
    await runFile(1);
    const other = await runFile(0, MAP);
    const names = () =>
      testDatabase.withClient(async (client) =>
        (await listRunFiles(client, "fetching", RUN)).map(({ name }) => name),
      );
    expect(await names()).toEqual(["part 0", "part 1", "part 2"]);
    await testDatabase.withClient((client) => deleteRunFiles(client, ["fetching"], RUN, 1));
    expect(await names()).toEqual(["part 0", "part 2"]);
    await testDatabase.withClient((client) => deleteRunFiles(client, ["unpacked"], RUN));
    expect(await names()).toHaveLength(2);
    await testDatabase.withClient((client) => deleteRunFiles(client, ["fetching"], RUN));
    expect(await names()).toEqual([]);
    expect(await testDatabase.withClient((client) => findBlob(client, other.id))).not.toBeNull();
  });

  test("the file of one format of a map is deleted, the others stay", async () => {
    for (const format of ["cog", "csv"]) {
      await receive(pieces(bytesOf(3)), {
        purpose: "file",
        name: `map.${format}`,
        detail: { changeMapId: MAP, format },
      });
    }
    const listed = () => testDatabase.withClient((client) => listMapFiles(client, MAP));
    expect((await listed()).map(({ name, format, size }) => [name, format, size])).toEqual([
      ["map.cog", "cog", 3],
      ["map.csv", "csv", 3],
    ]);
    await testDatabase.withClient((client) => deleteMapFile(client, MAP, "cog"));
    expect((await listed()).map(({ format }) => format)).toEqual(["csv"]);
  });
});
