import { randomUUID } from "node:crypto";
import { request } from "node:http";
import { alignRoutes } from "@hindglance/contract/align";
import { archiveRoutes } from "@hindglance/contract/archive";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { compareRoutes, comparisonRoutes, seriesRoutes } from "@hindglance/contract/compare";
import { crsRoutes } from "@hindglance/contract/crs";
import { pinRoutes } from "@hindglance/contract/pins";
import { prepareRoutes } from "@hindglance/contract/prepare";
import { presetRoutes } from "@hindglance/contract/presets";
import type { AnyRoute } from "@hindglance/contract/route";
import { runRoutes } from "@hindglance/contract/runs";
import { nodeRoutes, sceneRoutes } from "@hindglance/contract/scenes";
import { studyRoutes } from "@hindglance/contract/studies";
import { uploadRoutes } from "@hindglance/contract/upload";
import { vectorRoutes } from "@hindglance/contract/vectors";
import { TestServer } from "./testing/harness";
import { radarTiff } from "./testing/pairs";

type Address = Pick<AnyRoute, "method" | "path">;
const ROUTES: Address[] = [
  ...[alignRoutes, archiveRoutes, changeMapRoutes, compareRoutes, comparisonRoutes, crsRoutes],
  ...[nodeRoutes, pinRoutes, prepareRoutes, presetRoutes, runRoutes, sceneRoutes, seriesRoutes],
  ...[studyRoutes, uploadRoutes, vectorRoutes],
].flatMap((routes) => Object.values<Address>(routes));

let testServer: TestServer;
let study: string;
beforeAll(async () => {
  testServer = await TestServer.start({ workers: 1 });
  const named = { name: "Hostile", hazard: "flood" };
  study = (await testServer.call<{ id: string }>("POST", "/studies", named)).body.id;
});
afterAll(() => testServer.stop());

/** Sends bytes as they are, which no client library would. */
function raw(
  method: string,
  path: string,
  body?: string,
): Promise<{ status: number; text: string }> {
  return new Promise((ok, fail) => {
    const headers =
      body === undefined
        ? {}
        : { "content-type": "application/json", "content-length": Buffer.byteLength(body) };
    const sending = request(`${testServer.base}/api/`, { method, path: `/api${path}`, headers });
    sending.on("response", (response) => {
      let text = "";
      response.on("data", (chunk: Buffer) => (text += chunk.toString()));
      response.on("end", () => ok({ status: response.statusCode!, text }));
    });
    sending.on("error", fail);
    sending.end(body);
  });
}

/** An address with its parameters filled in: a study that is there, and what is asked besides. */
const filled = (path: string, other: string) =>
  path.replace(/:(\w+)/g, (_all, name: string, at: number) =>
    name === "id" && path.slice(0, at) === "/studies/" ? study : other,
  );

/** What bodies may hold that no field can mean. */
const BODIES = [
  undefined,
  "null",
  "[]",
  "{}",
  "{",
  '"text"',
  "1e999",
  '{"name":1e999,"lon":1e999,"lat":-1e999,"value":1e999,"size":1e999}',
  '{"name":"a\\u0000b","hazard":"flood","title":"a\\u0000"}',
  '{"name":-1,"eventAt":"2025-02-31T00:00:00Z","acquiredAt":"+999999-13-41T99:99:99Z"}',
  `{"changes":[{"op":"replace","path":"/a\\u0000","value":1e999}]}`,
  `${'{"a":'.repeat(500)}1${"}".repeat(500)}`,
];
const QUERIES = [
  "",
  "?bands=0,0,0&offset=1e999&limit=-1&lon=NaN&lat=1e999",
  "?offset=999999999999999999999&page=%00&family=%00&box=1e999,0,0,0",
  "?name=%00&take=true&onMap=%00",
  "?a=%E0%A4%A",
];
const OTHERS = [randomUUID(), "%00", "%E0%A4%A", "1e999", "../..", "-1", "x".repeat(5000)];

/** The one shape that errors have. */
const SAID = /^\{"error":\{"code":"\w+","message":"[^"]/;
const isSaid = (text: string): boolean => SAID.test(text);

/** Routes but that which takes the study of this test away, and those whose answer does not end. */
const asked = ROUTES.filter(
  ({ method, path }) => !/events/.test(path) && !(method === "DELETE" && path === "/studies/:id"),
);

test("no request of any route ends in an error of the server, and what is refused is said", async () => {
  const wrong: string[] = [];
  let count = 0;
  let refused = 0;
  const ask = async (method: string, path: string, body?: string) => {
    const { status, text } = await raw(method, path, body);
    count++;
    refused += status >= 400 ? 1 : 0;
    if (status >= 500 || (status >= 400 && !isSaid(text))) {
      wrong.push(
        `${method} ${path.slice(0, 120)} ${body?.slice(0, 60) ?? ""}: ${status} ${text.slice(0, 200)}`,
      );
    }
  };
  for (const { method, path } of asked) {
    for (const other of path.includes(":") ? OTHERS : [""]) {
      await ask(method, filled(path, other), method === "GET" ? undefined : "{}");
    }
    for (const query of QUERIES) {
      await ask(method, filled(path, randomUUID()) + query, method === "GET" ? undefined : "{}");
    }
    for (const body of method === "GET" ? [] : BODIES) {
      await ask(method, filled(path, randomUUID()), body);
    }
  }
  expect(wrong).toEqual([]);
  expect(count).toBeGreaterThan(1000);
  expect(refused / count).toBeGreaterThan(0.5);
}, 240_000);

test("addresses that lead nowhere are refused in the same shape", async () => {
  for (const path of [
    "/",
    "/nothing",
    "/%E0%A4%A",
    "/studies/%00",
    `/nodes/${"0".repeat(32)}/tiles/0/0/0`,
  ]) {
    const { status, text } = await raw("GET", path);
    expect([path, Math.floor(status / 100)]).toEqual([path, 4]);
    expect(isSaid(text)).toBe(true);
  }
});

test.each([
  [
    "a day that does not exist",
    { name: "a", hazard: "flood", eventAt: "2025-02-31T00:00:00Z" },
    "eventAt",
  ],
  [
    "an hour that does not exist",
    { name: "a", hazard: "flood", eventAt: "2025-02-01T25:00:00Z" },
    "eventAt",
  ],
  ["a NUL in a name", { name: "a\0b", hazard: "flood" }, "name"],
])("%s is refused with its field", async (_what, body, field) => {
  const { status, text } = await raw("POST", "/studies", JSON.stringify(body));
  expect(status).toBe(422);
  expect(text).toContain(`"field":"${field}"`);
});

test("a tile gives each band once", async () => {
  const picture = await testServer.importScene(
    study,
    "b_20250502_VV.tif",
    radarTiff(64, 64, 3, [10, 30]),
  );
  expect((await testServer.ended(picture.runId)).state).toBe("done");
  const { hash } = (await testServer.call<{ hash: string }>("GET", `/scenes/${picture.id}/node`))
    .body;
  const bands = Array.from({ length: 3000 }, () => 0).join();
  const many = await raw("GET", `/nodes/${hash}/tiles/0/0/0?bands=${bands}`);
  expect(many.status).toBe(422);
  expect(many.text).toContain("each band once");
  expect((await raw("GET", `/nodes/${hash}/tiles/0/0/0?bands=0`)).status).toBe(200);
});

test("an upload that is asked for eight times at once becomes one scene", async () => {
  const { body } = await testServer.upload(
    study,
    "twice_20250503_VV.tif",
    radarTiff(64, 64, 4, [10, 30]),
  );
  const asks = await Promise.all(
    Array.from({ length: 8 }, () =>
      testServer.call("POST", `/studies/${study}/scenes`, { uploadId: body.id, kind: "radar" }),
    ),
  );
  const refusals = asks.map(({ status }) => status).filter((status) => status !== 202);
  expect(refusals).toHaveLength(7);
  expect([...new Set(refusals)].filter((status) => status !== 409 && status !== 422)).toEqual([]);
  const scenes = (await testServer.call<{ fileName: string }[]>("GET", `/studies/${study}/scenes`))
    .body;
  expect(scenes.filter(({ fileName }) => fileName === "twice_20250503_VV.tif")).toHaveLength(1);
});

describe("a scene of another study", () => {
  let foreign: string;
  beforeAll(async () => {
    const named = { name: "Another", hazard: "flood" };
    const other = (await testServer.call<{ id: string }>("POST", "/studies", named)).body.id;
    const picture = await testServer.importScene(
      other,
      "far_20250502_VV.tif",
      radarTiff(64, 64, 5, [10, 30]),
    );
    expect((await testServer.ended(picture.runId)).state).toBe("done");
    foreign = picture.id;
  }, 60_000);

  const refused = async (method: string, path: string, body: object, field: string) => {
    const { status, text } = await raw(method, path, JSON.stringify(body));
    expect([path, status, text]).toEqual([
      path,
      422,
      expect.stringContaining(`"field":"${field}"`),
    ]);
  };

  test("is refused where a pin expects something of it", async () => {
    const pin = { name: "Ford", lon: 1, lat: 2, expected: null };
    const expected = { sceneId: foreign, band: "VV", value: 1, tolerance: 1 };
    const path = `/studies/${study}/pins`;
    await refused("POST", path, { ...pin, expected }, "expected.sceneId");
    const { body } = await testServer.call<{ id: string }>("POST", path, pin);
    await refused("PATCH", `/pins/${body.id}`, { expected }, "expected.sceneId");
    const kept = (await testServer.call<{ expected: object | null }[]>("GET", path)).body;
    expect(kept.map((one) => one.expected)).toEqual([null]);
  });

  test("is refused as a side of a comparison", async () => {
    const settings = { beforeId: foreign, afterId: null, setup: null };
    const changes = [
      { op: "test", path: "", value: null },
      { op: "replace", path: "", value: settings },
    ];
    await refused("PATCH", `/studies/${study}/comparison`, { changes, measure: "no" }, "beforeId");
  });

  test.each(["radar", "optical"])("is refused by the chain of %s", async (family) => {
    const path = `/studies/${study}/prepare?family=${family}`;
    const view = (
      await testServer.call<{ chain: object }>("GET", `/studies/${study}/prepare?family=${family}`)
    ).body;
    const state = { chain: view.chain, exceptions: {}, heldOut: [foreign] };
    await refused("PUT", path, state, "heldOut");
    const own = { ...state, heldOut: [], exceptions: { [foreign]: {} } };
    await refused("PUT", path, own, "exceptions");
  });

  test("is refused as a reference of Align", async () => {
    const scenes = (await testServer.call<{ id: string }[]>("GET", `/studies/${study}/scenes`))
      .body;
    const place = {
      kind: "points",
      referenceId: foreign,
      model: "polynomial1",
      smoothing: 0,
      kernel: "cubic",
      points: [],
    };
    await refused(
      "PUT",
      `/studies/${study}/align/${scenes[0]!.id}`,
      { place },
      "place.referenceId",
    );
    const { status } = await raw(
      "PUT",
      `/studies/${study}/align/${foreign}`,
      JSON.stringify({ place: null }),
    );
    expect(status).toBe(404);
  });
});
