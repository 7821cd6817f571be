import { createHash } from "node:crypto";
import { encode } from "fast-png";
import { setTimeout as wait } from "node:timers/promises";
import { CUT_ALL } from "./testing/database";
import { TestServer } from "./testing/harness";
import { elevationTiff, radarTiff } from "./testing/pairs";
import {
  TUS,
  announce as announceTo,
  digestHeader,
  offsetOf as offsetAt,
  piece as pieceTo,
} from "./testing/sending";

// Files that come in pieces, by the protocol itself: requests as any of its clients sends them.

interface Arriving {
  id: string;
  name: string;
  state: string;
  size: number;
  length: number;
  files: number;
  refused: { code: string; message: string; hint?: string } | null;
  parts: { id: string; path: string; size: number; modified: number | null }[];
}

let testServer: TestServer;
let study: string;
beforeAll(async () => {
  testServer = await TestServer.start({ workers: 1 });
});
beforeEach(async () => {
  const named = { name: "Sending", hazard: "flood" };
  study = (await testServer.call<{ id: string }>("POST", "/studies", named)).body.id;
});
afterAll(() => testServer.stop());

const announce = (length: number, said: Record<string, string>) =>
  announceTo(testServer, length, { study, filename: "a.tif", ...said });
const piece = (
  at: string,
  offset: number,
  bytes: Uint8Array,
  headers: Record<string, string> = {},
) => pieceTo(testServer, at, offset, bytes, headers);
const offsetOf = (at: string) => offsetAt(testServer, at);

/** Sends a whole file in one piece. */
async function send(
  bytes: Uint8Array,
  said: Record<string, string>,
  headers?: Record<string, string>,
) {
  const { at } = await announce(bytes.length, said);
  return piece(at, 0, bytes, headers);
}

const arriving = async () =>
  (await testServer.call<Arriving[]>("GET", `/studies/${study}/arriving`)).body;
const uploads = async () =>
  (
    await testServer.call<{ id: string; name: string; sha256: string; detail: object }[]>(
      "GET",
      `/studies/${study}/uploads`,
    )
  ).body;
const scenes = async () =>
  (await testServer.call<{ name: string; fileName: string }[]>("GET", `/studies/${study}/scenes`))
    .body;

/** Waits until something is so. */
async function until<T>(ask: () => Promise<T>, isSo: (value: T) => boolean): Promise<T> {
  for (const end = Date.now() + 40_000; ;) {
    const value = await ask();
    if (isSo(value)) {
      return value;
    }
    if (Date.now() > end) {
      throw new Error(`It did not become so: ${JSON.stringify(value)}`);
    }
    await wait(100);
  }
}

/** A map that asks for nothing, and one that asks for its heights. */
const map = (seed = 3) => radarTiff(600, 520, seed, [100, 300]);
const ground = elevationTiff(300, 200);

describe("a file in pieces of any size", () => {
  test("is put together as it was, with its checksum, and imports itself", async () => {
    const bytes = map();
    const { at, status } = await announce(bytes.length, { filename: "b_20250502_VV.tif" });
    expect(status).toBe(201);
    const cuts = [0, 1, 70_000, 1 << 20, (1 << 20) + 5, bytes.length];
    for (const [k, from] of cuts.slice(0, -1).entries()) {
      const sent = await piece(at, from, bytes.subarray(from, cuts[k + 1]));
      expect(sent.status).toBe(k + 2 === cuts.length ? 200 : 204);
    }
    expect(await arriving()).toEqual([]);
    expect((await scenes()).map(({ fileName }) => fileName)).toEqual(["b_20250502_VV.tif"]);
    const [stored] = await testServer.query<{ sum: string }>(
      "SELECT file_sha256 AS sum FROM scene WHERE study_id = $1",
      [study],
    );
    expect(stored!.sum).toBe(createHash("sha256").update(bytes).digest("hex"));
  });

  test("waits as a question for anyone who opens the study, where it does not say all", async () => {
    const { status, text } = await send(ground, { filename: "ground.tif" });
    expect(status).toBe(200);
    expect(JSON.parse(text)).toMatchObject({ imported: false, detail: { form: "raster" } });
    expect((await uploads()).map(({ name }) => name)).toEqual(["ground.tif"]);
    expect(await arriving()).toEqual([]);
  });

  test("is forgotten where its sender says so", async () => {
    const { at } = await announce(ground.length, {});
    await piece(at, 0, ground.subarray(0, 1000));
    const response = await testServer.request(at, { method: "DELETE", headers: TUS });
    expect(response.status).toBe(204);
    expect(await offsetOf(at)).toBe(-404);
    expect(await arriving()).toEqual([]);
  });
});

describe("a sender that is cut off", () => {
  const half = () => ground.subarray(0, Math.floor(ground.length / 2));

  test("finds every byte that has come, also those of an unfilled chunk", async () => {
    const { at } = await announce(ground.length, { filename: "ground.tif", modified: "77" });
    const stop = new AbortController();
    let sent = 0;
    const body = new ReadableStream<Uint8Array>({
      async pull(controller) {
        if (sent > 0) {
          await wait(300);
          stop.abort();
          return;
        }
        controller.enqueue(new Uint8Array(half()));
        sent = half().length;
      },
    });
    await testServer
      .request(at, {
        method: "PATCH",
        headers: {
          ...TUS,
          "upload-offset": "0",
          "content-type": "application/offset+octet-stream",
        },
        body,
        signal: stop.signal,
        // The type of the platform does not know it yet.
        ...{ duplex: "half" },
      })
      .catch(() => null);
    expect(
      await until(
        () => offsetOf(at),
        (n) => n > 0,
      ),
    ).toBe(half().length);
    expect(await arriving()).toMatchObject([
      {
        name: "ground.tif",
        state: "coming",
        size: half().length,
        length: ground.length,
        parts: [{ path: "ground.tif", modified: 77 }],
      },
    ]);
    const rest = await piece(
      at,
      half().length,
      ground.subarray(half().length),
      digestHeader(ground),
    );
    expect(rest.status).toBe(200);
    const sums = (await uploads()).map(({ sha256 }) => sha256);
    expect(sums).toEqual([createHash("sha256").update(ground).digest("hex")]);
  });

  test("goes on after the server was killed and started again", async () => {
    const { at } = await announce(ground.length, { filename: "ground.tif" });
    await piece(at, 0, half());
    await testServer.kill();
    await testServer.restart({ workers: 1 });
    expect(await offsetOf(at)).toBe(half().length);
    const rest = await piece(
      at,
      half().length,
      ground.subarray(half().length),
      digestHeader(ground),
    );
    expect(rest.status).toBe(200);
    expect(await uploads()).toHaveLength(1);
  });

  test("is told where it stands when it begins at the wrong byte", async () => {
    const { at } = await announce(ground.length, {});
    await piece(at, 0, half());
    expect((await piece(at, 5, ground.subarray(5))).status).toBe(409);
    expect(await offsetOf(at)).toBe(half().length);
  });

  test("does not notice that the database was away", async () => {
    const bytes = map(5);
    const { at } = await announce(bytes.length, { filename: "b_20250502_VV.tif" });
    for (let from = 0; from < bytes.length; from += 200_000) {
      await testServer.query(CUT_ALL);
      const sent = await piece(at, from, bytes.subarray(from, from + 200_000));
      expect([200, 204]).toContain(sent.status);
    }
    expect(await scenes()).toHaveLength(1);
  });
});

describe("a whole file whose server died before it decided", () => {
  test("is decided on by the next one", async () => {
    await send(ground, { filename: "ground.tif" });
    // As it stands when the server dies with the last byte, and when it dies while it looks.
    await testServer.query(
      "UPDATE blob SET detail = NULL, state = 'receiving', sha256 = NULL WHERE study_id = $1",
      [study],
    );
    expect(await arriving()).toMatchObject([{ state: "settling" }]);
    await testServer.kill();
    await testServer.restart({ workers: 1 });
    const found = await until(uploads, (list) => list.length === 1);
    expect(found[0]!.sha256).toBe(createHash("sha256").update(ground).digest("hex"));
    expect(await arriving()).toEqual([]);
  });
});

describe("what cannot be taken in", () => {
  test("stays with its reason, is tried again, and is forgotten on wish", async () => {
    const sent = await send(ground.subarray(0, 900), { filename: "cut.tif" });
    expect(sent.status).toBe(200);
    const [refused] = await arriving();
    expect(refused).toMatchObject({ name: "cut.tif", state: "refused" });
    expect(refused!.refused!.message).toContain("cut.tif");
    expect(await uploads()).toEqual([]);
    const again = await testServer.call("POST", `/studies/${study}/arriving/${refused!.id}/again`);
    expect(again.status).toBe(204);
    expect((await arriving())[0]!.refused).toEqual(refused!.refused);
    const gone = await testServer.call("DELETE", `/studies/${study}/arriving/${refused!.id}`);
    expect(gone.status).toBe(204);
    expect(await arriving()).toEqual([]);
    expect(
      (await testServer.call("DELETE", `/studies/${study}/arriving/${refused!.id}`)).status,
    ).toBe(404);
  });

  test("is taken in by another try, once what was in its way is gone", async () => {
    const bytes = map(7);
    await send(bytes, { filename: "b_20250502_VV.tif" });
    await send(bytes, { filename: "twin_20250503_VV.tif" });
    const [refused] = await arriving();
    expect(refused!.refused!.code).toBe("alreadyThere");
    expect(refused!.refused!.message).toContain("twin_20250503_VV.tif is in this study already");
    const [scene] = (await testServer.call<{ id: string }[]>("GET", `/studies/${study}/scenes`))
      .body;
    await testServer.call("DELETE", `/scenes/${scene!.id}`);
    await testServer.call("POST", `/studies/${study}/arriving/${refused!.id}/again`);
    expect(await arriving()).toEqual([]);
    expect((await scenes()).map(({ fileName }) => fileName)).toEqual(["twin_20250503_VV.tif"]);
  });

  test("that other bytes came than were sent is seen by the checksum", async () => {
    await send(ground, { filename: "ground.tif" }, digestHeader(map()));
    const { refused } = (await arriving())[0]!;
    expect(refused!.code).toBe("garbled");
    expect(refused!.hint).toContain("send the file again");
  });

  test("the same bytes are recognised while the first ones wait with their question", async () => {
    await send(ground, { filename: "ground.tif" });
    await send(ground, { filename: "copy.tif" });
    expect((await uploads()).map(({ name }) => name)).toEqual(["ground.tif"]);
    expect((await arriving())[0]!.refused!.message).toBe(
      "copy.tif has arrived already, as ground.tif, and waits for an answer",
    );
    const sum = createHash("sha256").update(ground).digest("hex");
    const known = await testServer.call<{ said: string }>(
      "GET",
      `/studies/${study}/known?name=third.tif&sha256=${sum}`,
    );
    expect(known.body.said).toContain("third.tif has arrived already, as ground.tif");
  });

  test("two of the same bytes that end at once: one waits, the other is told", async () => {
    await Promise.all([
      send(ground, { filename: "one.tif" }),
      send(ground, { filename: "two.tif" }),
    ]);
    expect(await uploads()).toHaveLength(1);
    expect((await arriving()).map(({ refused }) => refused!.code)).toEqual(["alreadyThere"]);
  });

  test.each([
    ["no study", { study: "0a000000-0000-4000-8000-0000000000aa" }, 404, "study"],
    ["a study that is no id", { study: "x" }, 422, "study"],
    ["no name", { filename: " " }, 422, "name"],
    ["a path out of its folder", { folder: "x", path: "../a.tif" }, 422, "folder"],
  ])("a file with %s is refused before a byte is sent", async (_what, said, status, word) => {
    const answer = await announce(5, said);
    expect(answer.status).toBe(status);
    expect(answer.text).toContain(word);
    expect(await arriving()).toEqual([]);
  });

  test("an empty file is named", async () => {
    const answer = await announce(0, { filename: "nothing.tif" });
    expect(answer.status).toBe(422);
    expect(JSON.parse(answer.text)).toMatchObject({ error: { message: "nothing.tif is empty" } });
  });
});

describe("a folder", () => {
  const FOLDER = "0a000000-0000-4000-8000-00000000f01d";
  const world = new TextEncoder().encode("10\n0\n0\n-10\n500000\n4600000\n");
  const png = encode({
    width: 7,
    height: 5,
    channels: 1,
    data: Uint8Array.from({ length: 35 }, (_v, i) => i),
  });
  const files = () => [
    { path: "map.png", bytes: png },
    { path: "map.pgw", bytes: world },
  ];
  const said = (path: string, count = 2) => ({
    ...{ filename: path, folder: FOLDER, path, foldername: "map", files: String(count) },
    bytes: "1000",
  });
  const sendFile = ({ path, bytes }: { path: string; bytes: Uint8Array }, count?: number) =>
    send(bytes, said(path, count));

  test("is looked at once its last file is there, whichever that is", async () => {
    const [picture, worldFile] = files();
    expect((await sendFile(worldFile!)).text).toBe("null");
    expect(await arriving()).toMatchObject([
      { id: FOLDER, folder: true, name: "map", files: 2, state: "coming" },
    ]);
    const last = await sendFile(picture!);
    expect(JSON.parse(last.text)).toMatchObject({ detail: { form: "raster" } });
    expect(await arriving()).toEqual([]);
  });

  test("whose files all end at once is looked at once", async () => {
    await Promise.all(files().map((file) => sendFile(file)));
    const things = [...(await uploads()), ...(await scenes())];
    expect(things).toHaveLength(1);
    expect(await arriving()).toEqual([]);
  });

  test("that cannot be used stays as one thing with its reason, and goes as one", async () => {
    const junk = new TextEncoder().encode("no map");
    await sendFile({ path: "loose/junk.tif", bytes: junk }, 2);
    await sendFile({ path: "loose/other.tif", bytes: junk }, 2);
    const [refused, ...more] = await arriving();
    expect(more).toEqual([]);
    expect(refused).toMatchObject({ id: FOLDER, state: "refused" });
    expect(refused!.refused!.message).toMatch(/^map: /);
    const forget = `/studies/${study}/arriving/${FOLDER}`;
    expect((await testServer.call("DELETE", forget)).status).toBe(204);
    expect(await arriving()).toEqual([]);
  });
});

test("what is not the protocol is refused, and other pages may not read answers", async () => {
  const answer = await testServer.request("/api/sending", { method: "POST" });
  expect(answer.status).toBe(412);
  expect(answer.headers.get("access-control-allow-origin")).toBeNull();
});
