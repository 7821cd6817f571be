import { type OutgoingHttpHeaders, request } from "node:http";
import { setTimeout as wait } from "node:timers/promises";
import { CUT_ALL } from "./testing/database";
import { TestServer } from "./testing/harness";
import { radarTiff } from "./testing/pairs";
import { TUS, announce } from "./testing/sending";

let testServer: TestServer;
let study: string;
beforeAll(async () => {
  testServer = await TestServer.start();
  study = (
    await testServer.call<{ id: string }>("POST", "/studies", { name: "Steady", hazard: "flood" })
  ).body.id;
});
afterAll(() => testServer.stop());

/** Ends every connection to the database but the asking one, as its restart does. */
const cutAll = () => testServer.query(CUT_ALL);

/** Sends some bytes as the beginning of a body; the line stays open. */
function beginBody(method: string, path: string, headers: OutgoingHttpHeaders, bytes: number) {
  const sending = request(`${testServer.base}${path}`, {
    method,
    headers: { ...headers, connection: "close" },
  });
  const ended: string[] = [];
  sending.on("response", (response) => {
    response.resume();
    ended.push(String(response.statusCode));
  });
  sending.on("error", (error) => ended.push(error.message));
  sending.write(Buffer.alloc(bytes));
  return { sending, ended };
}

/** Begins to send a file as the body of one request and stops after some of its bytes. */
const beginUpload = (name: string, bytes: number, of: number) =>
  beginBody(
    "POST",
    `/api/studies/${study}/uploads?name=${name}&take=true`,
    { "content-length": of },
    bytes,
  );

/** The same, as a piece of a file that can go on. */
async function beginPiece(name: string, bytes: number, of: number) {
  const { at } = await announce(testServer, of, { study, filename: name });
  const headers = {
    ...TUS,
    "upload-offset": 0,
    "content-type": "application/offset+octet-stream",
    "content-length": of,
  };
  return beginBody("PATCH", new URL(at, testServer.base).pathname, headers, bytes);
}

describe("connections to the database that break", () => {
  test("while files come in end neither the server nor what it does besides", async () => {
    for (let k = 0; k < 5; k++) {
      const { sending } = beginUpload(`a${k}.tif`, 5 << 20, 50 << 20);
      await wait(150);
      await cutAll();
      expect((await testServer.call("GET", `/studies/${study}`)).status).toBe(200);
      sending.destroy();
    }
    expect((await testServer.call("GET", "/health")).status).toBe(200);
  });

  test("are not seen by who only reads: lists and tiles come all the same", async () => {
    const scene = await testServer.importScene(
      study,
      "b_20250502_VV.tif",
      radarTiff(600, 520, 3, [100, 300]),
    );
    expect((await testServer.ended(scene.runId)).state).toBe("done");
    const node = (await testServer.call<{ hash: string }>("GET", `/scenes/${scene.id}/node`)).body;
    for (let k = 0; k < 10; k++) {
      await cutAll();
      const [list, tile] = await Promise.all([
        testServer.call("GET", `/studies/${study}/scenes`),
        testServer.call("GET", `/nodes/${node.hash}/tiles/0/0/${k % 2}`),
      ]);
      expect([list.status, tile.status]).toEqual([200, 200]);
    }
  });
});

test.each([
  ["as one request", beginUpload],
  ["in pieces", beginPiece],
])("twelve files that come %s, a byte at a time, hold nobody up", async (_how, begin) => {
  const slow = await Promise.all(
    Array.from({ length: 12 }, (_v, k) => begin(`slow${k}.tif`, 1 << 20, 9 << 20)),
  );
  const trickle = setInterval(
    () => slow.forEach(({ sending }) => sending.write(Buffer.alloc(1))),
    200,
  );
  await wait(600);
  const begun = Date.now();
  for (let k = 0; k < 10; k++) {
    expect((await testServer.call("GET", `/studies/${study}/scenes`)).status).toBe(200);
  }
  expect(Date.now() - begun).toBeLessThan(3000);
  expect(slow.flatMap(({ ended }) => ended)).toEqual([]);
  clearInterval(trickle);
  slow.forEach(({ sending }) => sending.destroy());
});

test("a page that listens is told to ask anew after the server could not hear", async () => {
  const stop = new AbortController();
  const response = await testServer.request("/api/events", { signal: stop.signal });
  const reader = response.body!.pipeThrough(new TextDecoderStream()).getReader();
  let heard = (await reader.read()).value ?? "";
  await cutAll();
  for (const end = Date.now() + 10_000; !heard.includes("event: again") && Date.now() < end;) {
    heard += (await reader.read()).value ?? "";
  }
  expect(heard).toContain("event: again");
  stop.abort();
});
