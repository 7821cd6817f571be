import { setTimeout as wait } from "node:timers/promises";
import type { ErrorAnswer } from "@hindglance/contract/errors";
import { changesBetween } from "@hindglance/contract/changes";
import type { Comparison, ComparisonView } from "@hindglance/contract/comparison";
import { SETUP, elevationTiff, radarTiff } from "./testing/pairs";
import { studyEvents } from "./testing/events";
import { TestServer } from "./testing/harness";

const width = 320;
const height = 300;
let testServer: TestServer;
let study: string;
let first: Comparison;

async function newStudy(name: string): Promise<string> {
  const made = await testServer.call<{ id: string }>("POST", "/studies", {
    name,
    hazard: "flood",
    eventAt: "2025-05-12T00:00:00Z",
  });
  return made.body.id;
}

const patch = (from: unknown, to: unknown, measure = "no") =>
  testServer.call<ComparisonView & ErrorAnswer>("PATCH", `/studies/${study}/comparison`, {
    changes: changesBetween(from, to),
    measure,
  });

const withThreshold = (value: number): Comparison => {
  const setup = structuredClone(first.setup!);
  setup.rules[0]!.all[0]!.value = value;
  return { ...first, setup };
};

beforeAll(async () => {
  testServer = await TestServer.start();
  study = await newStudy("Together");
  const ids = [];
  for (const [name, seed, day, dark] of [
    ["before.tif", 1, "02", [20, 60]],
    ["after.tif", 2, "14", [20, 200]],
  ] as const) {
    const scene = await testServer.importScene(
      study,
      name,
      radarTiff(width, height, seed, [...dark]),
      { acquiredAt: `2025-05-${day}T18:00:00Z`, kind: "radar" },
    );
    expect((await testServer.ended(scene.runId)).state).toBe("done");
    ids.push(scene.id);
  }
  first = { beforeId: ids[0]!, afterId: ids[1]!, setup: SETUP as Comparison["setup"] };
});
afterAll(() => testServer.stop());

describe("a comparison is one resource", () => {
  test("its answer holds settings, nodes and areas of one version", async () => {
    const made = await patch(null, first, "yes");
    expect(made.status).toBe(200);
    expect(made.body.comparison).toEqual(first);
    expect(made.body.problem).toBeNull();
    expect(made.body.nodes!.classes.hash).toMatch(/^[0-9a-f]{32}$/);
    const { areas } = made.body;
    expect(areas).toMatchObject({ state: "measuring", hash: made.body.nodes!.classes.hash });
    const run = areas!.state === "measuring" ? areas!.runId : "";
    expect((await testServer.ended(run)).state).toBe("done");
    const read = await testServer.call<ComparisonView>("GET", `/studies/${study}/comparison`);
    expect(read.body.areas).toMatchObject({ state: "known", hash: areas!.hash });
    expect(read.body.version).toBe(made.body.version);
  });

  test("two pages that change different settings keep both; the version rises with each", async () => {
    const mine = await patch(first, withThreshold(-6));
    const theirs = await patch(first, {
      ...first,
      setup: { ...first.setup!, limits: { ...first.setup!.limits, minPatchCells: 25 } },
    });
    expect([mine.status, theirs.status]).toEqual([200, 200]);
    expect(theirs.body.version).toBe(mine.body.version + 1);
    const kept = theirs.body.comparison!.setup!;
    expect(kept.rules[0]!.all[0]!.value).toBe(-6);
    expect(kept.limits.minPatchCells).toBe(25);
    await patch(theirs.body.comparison, first);
  });

  test("two pages that change the same setting do not overwrite each other without a word", async () => {
    expect((await patch(first, withThreshold(-7))).status).toBe(200);
    const late = await patch(first, withThreshold(-4));
    expect(late.status).toBe(409);
    expect(late.body.error).toMatchObject({
      code: "changedElsewhere",
      field: "setup.rules.0.all.0.value",
    });
    const read = await testServer.call<ComparisonView>("GET", `/studies/${study}/comparison`);
    expect(read.body.comparison!.setup!.rules[0]!.all[0]!.value).toBe(-7);
    await patch(withThreshold(-7), first);
  });

  test("settings that do not fit are refused and nothing is kept of them", async () => {
    const broken = await patch(first, {
      ...first,
      setup: { ...first.setup!, measure: "beauty" },
    });
    expect(broken.status).toBe(422);
    const read = await testServer.call<ComparisonView>("GET", `/studies/${study}/comparison`);
    expect(read.body.comparison).toEqual(first);
  });

  test("a measuring that nobody waits for is cancelled, and the same one is not begun twice", async () => {
    const runs = new Set<string>();
    for (let k = 0; k < 8; k++) {
      const from = k === 0 ? first : withThreshold(-3 - k / 10);
      const answer = await patch(from, withThreshold(-3 - (k + 1) / 10), "yes");
      if (answer.body.areas!.state === "measuring") {
        runs.add(answer.body.areas!.runId);
      }
    }
    const states = await Promise.all([...runs].map((run) => testServer.ended(run)));
    const going = await testServer.query<{ n: number }>(
      `
        SELECT count(*)::int AS n
        FROM run
        WHERE kind = 'measureAreas'
          AND state = 'running'
      `,
    );
    expect(going[0]!.n).toBe(0);
    expect(states.at(-1)!.state).toBe("done");
    // Each was superseded by the next; one may have ended by itself before that.
    expect(states.filter((run) => run.state === "cancelled").length).toBeGreaterThan(0);
    await patch(withThreshold(-3.8), first);
  }, 60_000);

  test("every run of a study is cancelled at once", async () => {
    const { body } = await testServer.call<{ cancelled: number }>("POST", "/runs/cancel", {
      studyId: study,
    });
    expect(body.cancelled).toBe(0);
    await patch(first, withThreshold(-9.5), "yes");
    const answer = await testServer.call<{ cancelled: number }>("POST", "/runs/cancel", {
      studyId: study,
    });
    expect(answer.body.cancelled).toBe(1);
    await patch(withThreshold(-9.5), first);
  });

  test("the other page hears of a change at once, with the version that it made", async () => {
    let version = 0;
    const events = await studyEvents(
      testServer,
      async () => {
        version = (await patch(first, withThreshold(-8))).body.version;
      },
      1,
    );
    expect(events).toEqual([{ id: study, part: "study", version }]);
    await patch(withThreshold(-8), first);
  });
});

describe("files that say everything", () => {
  const zones = (names: string[]) => ({
    type: "FeatureCollection",
    features: names.map((name, k) => ({
      type: "Feature",
      properties: { name },
      geometry: {
        type: "Polygon",
        coordinates: [
          [
            [-21 + k / 10, -43.6],
            [-20.95 + k / 10, -43.6],
            [-20.95 + k / 10, -43.65],
            [-21 + k / 10, -43.6],
          ],
        ],
      },
    })),
  });
  const send = (to: string, name: string, content: Uint8Array | object) =>
    testServer.call<{ id: string; imported: boolean } & ErrorAnswer>(
      "POST",
      `/studies/${to}/uploads?name=${name}&take=1`,
      content instanceof Uint8Array ? content : new TextEncoder().encode(JSON.stringify(content)),
    );

  test("are imported when they arrive, whatever becomes of the page; others wait", async () => {
    const to = await newStudy("Left alone");
    const sent = await send(to, "districts.geojson", zones(["East", "West"]));
    expect(sent.body.imported).toBe(true);
    const layers = await testServer.call<{ name: string }[]>("GET", `/studies/${to}/zones`);
    expect(layers.body.map((layer) => layer.name)).toEqual(["districts"]);
    const asks = await send(to, "ground.tif", elevationTiff(64, 64));
    expect(asks.body.imported).toBe(false);
    const left = await testServer.call<{ id: string }[]>("GET", `/studies/${to}/uploads`);
    expect(left.body.map((upload) => upload.id)).toEqual([asks.body.id]);
  });

  test("a single polygon is asked about: zones, or the study area", async () => {
    const to = await newStudy("One polygon");
    const sent = await send(to, "area.geojson", zones(["Plain"]).features[0]!);
    expect(sent.status).toBe(201);
    expect(sent.body.imported).toBe(false);
    const set = await testServer.call("POST", `/studies/${to}/study-area`, {
      uploadId: sent.body.id,
    });
    expect(set.status).toBe(204);
    const { body } = await testServer.call<{ studyArea: { coordinates: number[][][][] } }>(
      "GET",
      `/studies/${to}`,
    );
    expect(body.studyArea.coordinates[0]![0]![0]).toEqual([-21, -43.6]);
    expect((await testServer.call<unknown[]>("GET", `/studies/${to}/uploads`)).body).toEqual([]);
  });

  test("a file that is there already is refused with the name that it has", async () => {
    const twin = await testServer.upload(study, "again.tif", radarTiff(width, height, 1, [20, 60]));
    const refused = await testServer.call<ErrorAnswer>("POST", `/studies/${study}/scenes`, {
      uploadId: twin.body.id,
      kind: "radar",
      acquiredAt: "2025-05-03T00:00:00Z",
    });
    expect(refused.status).toBe(409);
    expect(refused.body.error.message).toMatch(/again\.tif is in this study already, as "before/);
    const to = await newStudy("Twins");
    await send(to, "districts.geojson", zones(["East", "West"]));
    const second = await send(to, "copy.geojson", zones(["East", "West"]));
    expect(second.status).toBe(409);
    expect(second.body.error.message).toContain('the zones "districts"');
  });

  test("a file whose looking at was broken off can be looked at again", async () => {
    const to = await newStudy("Broken off");
    const sent = await send(to, "ground.tif", elevationTiff(64, 64));
    await testServer.query("UPDATE blob SET detail = NULL WHERE id = $1", [sent.body.id]);
    const uploads = async () =>
      (await testServer.call<{ detail: { form: string } }[]>("GET", `/studies/${to}/uploads`)).body;
    expect(await uploads()).toEqual([]);
    const again = `/studies/${to}/arriving/${sent.body.id}/again`;
    expect((await testServer.call("POST", again)).status).toBe(204);
    expect((await uploads()).map(({ detail }) => detail.form)).toEqual(["raster"]);
  });
});

test("two classes of one name are refused, whatever case and spaces", async () => {
  const setup = structuredClone(first.setup!);
  setup.rules[1]!.name = " new  WATER";
  const answer = await patch(first, { ...first, setup });
  expect(answer.status).toBe(422);
  expect(answer.body.error.message).toContain('Two classes are called " new  WATER"');
});

test("a change map is renamed, and nothing else of it", async () => {
  const { body } = await testServer.call<{ runId: string }>(
    "POST",
    `/studies/${study}/change-maps`,
    { ...first, name: "First" },
  );
  const run = await testServer.ended(body.runId);
  const id = run.result!.changeMapId!;
  const path = `/change-maps/${id}`;
  const before = (await testServer.call<Record<string, unknown>>("GET", path)).body;
  expect((await testServer.call("PATCH", path, { name: "  " })).status).toBe(422);
  expect((await testServer.call("PATCH", path, { name: "Second" })).status).toBe(200);
  const after = (await testServer.call<Record<string, unknown>>("GET", path)).body;
  expect(after).toEqual({ ...before, name: "Second" });
});

test("script and style travel compressed", async () => {
  const page = await (await testServer.request("/")).text();
  const script = /src="(\/assets\/[^"]+\.js)"/.exec(page)![1]!;
  const response = await testServer.request(script, {
    headers: { "accept-encoding": "gzip" },
  });
  expect(response.headers.get("content-encoding")).toBe("gzip");
  await response.arrayBuffer();
});

describe("exact areas that pages wait for", () => {
  const PAGE = "0a000000-0000-4000-8000-00000000000a";
  const measuring = async () =>
    (
      await testServer.query<{ id: string; state: string }>(
        "SELECT id, state FROM run WHERE kind = 'measureAreas' AND study_id = $1 ORDER BY created_at",
        [study],
      )
    ).map(({ state }) => state);
  const ask = (measure: string, page?: string) =>
    testServer.call<ComparisonView>("PATCH", `/studies/${study}/comparison`, {
      changes: [],
      measure,
      page,
    });
  beforeAll(async () => {
    // Without a worker a run stays as it was begun.
    await testServer.kill();
    await testServer.restart({ workers: 0 });
    const { body } = await testServer.call<ComparisonView>("GET", `/studies/${study}/comparison`);
    await patch(body.comparison, withThreshold(-3.21));
  }, 60_000);

  test("are not begun by looking, and once by eight that want them at once", async () => {
    const before = (await measuring()).length;
    const looks = await Promise.all(
      Array.from({ length: 4 }, () =>
        testServer.call<ComparisonView>("GET", `/studies/${study}/comparison`),
      ),
    );
    expect(looks.map(({ body }) => body.areas!.state)).toEqual(Array(4).fill("notAsked"));
    expect(await measuring()).toHaveLength(before);
    const asked = await Promise.all(Array.from({ length: 8 }, () => ask("yes", PAGE)));
    const runs = new Set(
      asked.map(({ body }) => (body.areas!.state === "measuring" ? body.areas!.runId : "none")),
    );
    expect(runs.size).toBe(1);
    expect(await measuring()).toHaveLength(before + 1);
    const look = await testServer.call<ComparisonView>("GET", `/studies/${study}/comparison`);
    expect(look.body.areas).toMatchObject({ state: "measuring", runId: [...runs][0] });
  });

  test("are given up when the page has closed; what was begun without one goes on", async () => {
    const stop = new AbortController();
    const line = await testServer.request(`/api/events?page=${PAGE}`, { signal: stop.signal });
    await ask("yes", PAGE);
    await wait(23_000);
    expect((await measuring()).at(-1)).toBe("running");
    stop.abort();
    await line.body?.cancel().catch(() => {});
    await until(async () => (await measuring()).at(-1) === "cancelled");
    await ask("yes");
    await wait(3000);
    expect((await measuring()).at(-1)).toBe("running");
  }, 90_000);
});

async function until(isSo: () => Promise<boolean>): Promise<void> {
  for (const end = Date.now() + 30_000; !(await isSo());) {
    if (Date.now() > end) {
      throw new Error("It did not become so");
    }
    await wait(200);
  }
}
