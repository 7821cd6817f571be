import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { createServer } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { emptySetup } from "@hindglance/core/change/defaults";
import type { FileFormat } from "@hindglance/contract/files";
import type { ChangeMap } from "@hindglance/contract/changeMaps";
import type { SheetState } from "@hindglance/contract/sheet";
import type { KeptRecipe, RecipeOrder, RecipeRun } from "@hindglance/contract/recipes";
import type { LedgerEntry } from "@hindglance/contract/studies";
import { FIRST_RECIPES, type Recipe } from "@hindglance/core/recipe/recipe";
import { tellEnd } from "./recipes/notices";
import { FLOOD_SIZE, FloodedStudy, dateIn } from "./testing/flooded";
import { TestServer } from "./testing/harness";
import { radarTiff } from "./testing/pairs";

// Recipes on a flood whose dates come calibrated: nothing has to be prepared.
let testServer: TestServer;
let study: FloodedStudy;

beforeAll(async () => {
  testServer = await TestServer.start();
  study = await FloodedStudy.make(testServer, "Recipes");
});
afterAll(() => testServer.stop());

const recipe = (more: Partial<Recipe> = {}): Recipe => ({
  ...FIRST_RECIPES.flood,
  name: "Night flood",
  family: null,
  ...more,
});
interface Order {
  recipe: object;
  files: FileFormat[];
  beforeId: string;
  afterId: string;
  name: string | null;
}
const order = (more: Partial<Order> = {}): Order => ({
  ...{ recipe: recipe(), files: ["csv", "geojson"], name: null },
  ...study.dates,
  ...more,
});
interface Answer {
  id: string;
  ids: string[];
  error?: { message: string; field?: string; hint?: string };
}
const begin = (body: object, path = "recipe-runs") =>
  testServer.call<Answer>("POST", `/studies/${study.id}/${path}`, body);

async function ended(id: string): Promise<RecipeRun> {
  for (;;) {
    const { body } = await testServer.call<RecipeRun>("GET", `/recipe-runs/${id}`);
    if (body.state !== "running") {
      return body;
    }
    await new Promise((ok) => setTimeout(ok, 150));
  }
}
const textsOf = ({ log }: RecipeRun) => log.map(({ text }) => text);

test("a recipe makes a map with its files and says what it did", async () => {
  const { status, body } = await begin(order());
  expect(status).toBe(202);
  const run = await ended(body.id);
  expect(textsOf(run).join("\n")).toMatch(/“Night flood, 2025-05-14” is written: \d+ patches/);
  expect(run).toMatchObject({ state: "done", progress: 1, lookFirst: [] });
  const { body: map } = await testServer.call<ChangeMap>(
    "GET",
    `/change-maps/${run.made.changeMapId!}`,
  );
  expect(map.doubt).not.toBeNull();
  expect(run.made.files.map(({ format }) => format).sort()).toEqual(["csv", "geojson"]);
  const { body: ledger } = await testServer.call<LedgerEntry[]>(
    "GET",
    `/studies/${study.id}/ledger`,
  );
  const written = ledger.find(({ what }) => what === "Change map written")!;
  expect(written.actor).toBe("nobody named, by the recipe “Night flood”");
  expect(written.detail).toMatchObject({ changeMap: map.id, ...study.dates });
  expect(ledger.find(({ what }) => what === "Scene imported")).toMatchObject({
    actor: null,
    detail: { kind: "radar", sha256: expect.stringMatching(/^[0-9a-f]{64}$/) as unknown },
  });
  // Flood from column 60 to 220 and from 300 to 340, over all 300 rows.
  const water = map.rows.find(({ zone, name }) => zone === null && name === "New water")!;
  const truth = (160 + 40) * 300;
  expect(Math.abs(water.cells - truth) / truth).toBeLessThan(0.05);
});

test("what cannot be trusted is finished, but marked", async () => {
  const wary = recipe({ lookFirst: { leastSeen: 1, mostSwing: 0, leastCells: 1e6 } });
  const { body } = await begin(order({ recipe: wary, files: [] }));
  const run = await ended(body.id);
  expect(run.state).toBe("done");
  expect(run.lookFirst.join("\n")).toMatch(/fewer than the 1\s?000\s?000/);
  expect(run.lookFirst.join("\n")).toMatch(/is fragile: moved by 0.5 dB/);
  expect(textsOf(run).at(-1)).toBe("Finished: look first.");
  expect(run.log.at(-1)!.tone).toBe("doubt");
});

test("of a list one pair that is broken does not keep the rest", async () => {
  const scenes = await testServer.call<{ id: string; name: string }[]>(
    "GET",
    `/studies/${study.id}/scenes`,
  );
  const [before, after] = [study.dates.beforeId, study.dates.afterId].map(
    (id) => scenes.body.find((scene) => scene.id === id)!.name,
  );
  const text = await testServer.call<Answer>("POST", `/studies/${study.id}/recipe-lists`, {
    recipe: recipe(),
    files: [],
    csv: `before,after\n${before},nowhere`,
  });
  expect(text.body.error!.message).toMatch(/line 2, after: there is no date “nowhere”/);
  const { rules, limits, speckle, measure } = emptySetup({
    ...{ looks: 4, hasStudyArea: false, hasElevation: false },
  });
  const compare = {
    ...{ band: "sigma9", bands: null, formula: null, reweighted: null, falseAlarmKm2: null },
    ...{ groups: null, rules, limits, speckle, measure },
  };
  const broken = await begin(order({ recipe: recipe({ compare }), files: [] }));
  const csv = [
    "Before , after,name",
    `${before},${after},Third`,
    `${study.dates.beforeId},${after},`,
  ];
  const { body } = await begin(
    { recipe: recipe(), files: [], csv: csv.join("\n") },
    "recipe-lists",
  );
  expect(body.ids).toHaveLength(2);
  const runs = await Promise.all([broken.body.id, ...body.ids].map(ended));
  expect(runs.map(({ state }) => state)).toEqual(["failed", "done", "done"]);
  expect(textsOf(runs[0]!).at(-1)).toMatch(/There is no band "sigma9": the date before has /);
  expect(runs.map(({ name }) => name)).toEqual([
    ...["Night flood, 2025-05-14", "Third", "Night flood, 2025-05-14"],
  ]);
});

test("a run is cancelled, and what it waits for with it", async () => {
  const { body } = await begin(order({ files: [] }));
  await testServer.call("POST", `/recipe-runs/${body.id}/cancel`);
  const run = await ended(body.id);
  expect(run.state).toBe("cancelled");
  expect((await testServer.call("DELETE", `/recipe-runs/${body.id}`)).status).toBe(204);
  expect((await testServer.call("GET", `/recipe-runs/${body.id}`)).status).toBe(404);
  await testServer.quiet();
});

test("orders that make no sense are refused by field", async () => {
  const refused = async (more: Partial<Order>) => {
    const { status, body } = await begin(order(more));
    return [status, body.error?.message];
  };
  expect(await refused({ afterId: study.dates.beforeId })).toEqual([
    422,
    expect.stringMatching(/one and the same/) as unknown,
  ]);
  expect(await refused({ recipe: { ...recipe(), family: "optical" } })).toEqual([
    422,
    expect.stringMatching(/“Night flood” is for optical dates; .* is radar/) as unknown,
  ]);
  expect(await refused({ beforeId: study.id })).toEqual([
    422,
    expect.stringMatching(/no such date/),
  ]);
  expect(await refused({ recipe: { ...recipe(), format: 7 } })).toEqual([
    422,
    expect.stringMatching(/format must be 1/) as unknown,
  ]);
  expect(await refused({ recipe: { ...recipe(), secret: 1 } })).toEqual([
    422,
    expect.stringMatching(/secret/) as unknown,
  ]);
});

test("recipes are kept in versions, taken from a study, and hold in another one", async () => {
  const save = (body: Recipe) => testServer.call<KeptRecipe>("POST", "/recipes", { recipe: body });
  const first = await save(recipe());
  const second = await save(recipe({ note: "finer" }));
  expect([first.body.version, second.body.version]).toEqual([1, 2]);
  const none = await testServer.call<Answer>("GET", `/studies/${study.id}/recipe`);
  expect(none.body.error!.message).toMatch(/compares nothing yet/);
  const map = await testServer.call<ChangeMap[]>("GET", `/studies/${study.id}/change-maps`);
  const { setup } = map.body[0]!;
  await testServer.call("PATCH", `/studies/${study.id}`, { compare: { ...study.dates, setup } });
  const sheetAt = (id: string) => `/change-maps/${id}/sheet`;
  const proposed = await testServer.call<SheetState>("GET", sheetAt(map.body[0]!.id));
  const layout = { ...proposed.body.sheet.layout, paper: "A2" as const };
  const texts = { ...proposed.body.sheet.texts, title: "Only here", maker: "Night desk" };
  const sheet = { ...proposed.body.sheet, layout, texts };
  await testServer.call("PUT", sheetAt(map.body[0]!.id), { sheet, version: 0 });
  const taken = await testServer.call<Recipe>("GET", `/studies/${study.id}/recipe`);
  expect(taken.body).toMatchObject({
    ...{ name: "Recipes", hazard: "flood", family: null, thresholds: "kept" },
    compare: { measure: setup.measure, rules: setup.rules },
  });
  const other = await FloodedStudy.make(testServer, "Elsewhere");
  const { body } = await testServer.call<Answer>("POST", `/studies/${other.id}/recipe-runs`, {
    ...{ recipe: taken.body, files: [], name: "Moved", ...other.dates },
  });
  const run = await ended(body.id);
  const made = await testServer.call<ChangeMap>("GET", `/change-maps/${run.made.changeMapId!}`);
  // The sheet came along, but for what belongs to the other map.
  const moved = await testServer.call<SheetState>("GET", sheetAt(made.body.id));
  expect(moved.body.sheet).toEqual({ ...sheet, texts: { ...texts, title: null } });
  // The same dates with the same settings: the same areas.
  const same = map.body.find(({ setup: own }) => own === setup)!;
  const cells = ({ rows }: ChangeMap) => rows.map((row) => [row.zone, row.name, row.cells]);
  expect(cells(made.body)).toEqual(cells(same));
  for (const { id } of [first.body, second.body]) {
    expect((await testServer.call("DELETE", `/recipes/${id}`)).status).toBe(204);
  }
  expect((await testServer.call<KeptRecipe[]>("GET", "/recipes")).body).toEqual([]);
});

test("a standing order runs on every date that comes, and on none that was there", async () => {
  const other = await FloodedStudy.make(testServer, "Standing");
  const path = `/studies/${other.id}/recipe-orders`;
  const given = await testServer.call<Answer>("POST", path, {
    ...{ recipe: recipe({ name: "Each date" }), files: ["csv"], beforeId: null },
  });
  expect(given.status).toBe(201);
  const runs = async () =>
    (await testServer.call<RecipeRun[]>("GET", `/studies/${other.id}/recipe-runs`)).body;
  const { width, height } = FLOOD_SIZE;
  const came = await dateIn(
    testServer,
    other.id,
    "2025-05-26",
    radarTiff(width, height, 7, [60, 140]),
  );
  while ((await runs()).length === 0) {
    await new Promise((ok) => setTimeout(ok, 200));
  }
  const [begun] = await runs();
  expect(begun).toMatchObject({
    ...{ afterId: came, beforeId: other.dates.afterId, name: "Each date, 2025-05-26" },
  });
  const run = await ended(begun!.id);
  expect(run.state).toBe("done");
  expect(run.made.files.map(({ format }) => format)).toEqual(["csv"]);
  const orders = await testServer.call<RecipeOrder[]>("GET", path);
  expect(orders.body).toMatchObject([{ id: given.body.id, runs: 1, before: null }]);
  // What a recipe makes is no date that it is run on, and the one that was run on is not again.
  await new Promise((ok) => setTimeout(ok, 4000));
  expect(await runs()).toHaveLength(1);
  const removed = await testServer.call("DELETE", `/recipe-orders/${given.body.id}`);
  expect(removed.status).toBe(204);
  expect(await runs()).toHaveLength(1);
  const ledger = await testServer.call<LedgerEntry[]>("GET", `/studies/${other.id}/ledger`);
  const acts = ledger.body.map(({ what }) => what);
  expect(acts).toEqual(expect.arrayContaining(["Standing order given", "Standing order ended"]));
  const gone = await testServer.call("DELETE", `/recipe-orders/${given.body.id}`);
  expect(gone.status).toBe(404);
  const odd = await testServer.call<Answer>("POST", path, {
    ...{ recipe: recipe(), files: ["csv"], beforeId: study.dates.beforeId },
  });
  expect(odd.body.error).toMatchObject({
    message: "The study has no such date",
    field: "beforeId",
  });
});

test("the end of a run is told to a file and an address, and it is said where that fails", async () => {
  const told: string[] = [];
  const listener = createServer((request, response) => {
    request.setEncoding("utf8");
    request.on("data", (text: string) => told.push(text));
    request.on("end", () => response.writeHead(told.length > 1 ? 500 : 204).end());
  });
  await new Promise<void>((ok) => listener.listen(0, "127.0.0.1", ok));
  const folder = mkdtempSync(join(tmpdir(), "notices-"));
  const file = join(folder, "notices.jsonl");
  const address = listener.address();
  const port = address && typeof address === "object" ? address.port : 0;
  const url = `http://127.0.0.1:${port}/`;
  const { body } = await begin(order({ files: [] }));
  const done = await ended(body.id);
  const run = { ...done, files: [], waits: [], notes: {}, actor: null };
  await tellEnd({ url, file }, run);
  const sent: unknown = JSON.parse(told[0]!);
  expect(sent).toMatchObject({ run: done.id, state: "done", changeMapId: done.made.changeMapId });
  expect(JSON.parse(readFileSync(file, "utf8"))).toEqual(sent);
  await expect(tellEnd({ url, file: null }, run)).rejects.toThrow(/answered with 500/);
  listener.close();
  rmSync(folder, { recursive: true });
});
