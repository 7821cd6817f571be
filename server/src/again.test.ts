import type { ChangeMap } from "@hindglance/contract/changeMaps";
import type { ErrorAnswer } from "@hindglance/contract/errors";
import {
  type Account,
  type FromFiles,
  accountFrom,
  resultDifferences,
} from "@hindglance/core/again/account";
import { randomUUID } from "node:crypto";
import { TestServer } from "./testing/harness";
import { SETUP, X0, radarTiff } from "./testing/pairs";

// A date of two tiles that were joined, and a map that was edited twice: both come out of the files
// again, in a study that knows nothing of them but the account.

const CELL_M = 20;
const TILE = 200;
const HEIGHT = 120;
const FILES: Record<string, Uint8Array> = {
  "west_20250502.tif": radarTiff(TILE, HEIGHT, 1, [0, 3]),
  "east_20250502.tif": radarTiff(TILE, HEIGHT, 2, [0, 3], { x0: X0 + TILE * CELL_M }),
  "after_20250514.tif": radarTiff(2 * TILE, HEIGHT, 3, [60, 160], { alsoDark: [300, 340] }),
};
const DAYS = ["2025-05-02", "2025-05-14"];

let testServer: TestServer;
let study: string;
let edited: ChangeMap;
let account: Account;

const begin = async (name: string): Promise<string> =>
  (await testServer.call<{ id: string }>("POST", "/studies", { name, hazard: "flood" })).body.id;

/** Waits for the end of what an answer began. @throws Error where it failed */
async function done({ body }: { body: { runId: string } }): Promise<Record<string, string>> {
  const run = await testServer.ended(body.runId);
  if (run.state !== "done") {
    throw new Error(JSON.stringify(run.error ?? body));
  }
  return run.result ?? {};
}

async function take(into: string, name: string, said: object): Promise<string> {
  const scene = await testServer.importScene(into, name, FILES[name]!, said);
  await done({ body: scene });
  return scene.id;
}

async function join(into: string, sceneIds: string[], name: string): Promise<string> {
  const joined = await testServer.call<{ scene: { id: string }; runId: string }>(
    ...(["POST", `/studies/${into}/scenes/join`, { sceneIds, name }] as const),
  );
  await done(joined);
  return joined.body.scene.id;
}

const mapOf = async (id: string): Promise<ChangeMap> =>
  (await testServer.call<ChangeMap>("GET", `/change-maps/${id}`)).body;

/** Draws and names anew on a map, undoes one act, and writes what stands. */
async function editedFrom(map: string, left: number, name: string): Promise<ChangeMap> {
  type Done = { head: number; made: number[] };
  const edit = async (what: object): Promise<Done> => {
    const asked = { isSnapped: false, isTaking: true, ...what };
    const body = { key: randomUUID(), editor: "Ann", edit: asked };
    return (await testServer.call<Done>("POST", `/change-maps/${map}/edits`, body)).body;
  };
  const ring = [
    [left + 0.3, 20.2],
    [left + 2.1, 40.7],
    [left + 25.6, 44.4],
    [left + 0.3, 20.2],
  ];
  const drawn = await edit({ kind: "draw", label: 1, polygons: [[ring]] });
  await edit({ kind: "remove", numbers: drawn.made });
  // What is undone takes numbers all the same.
  await testServer.call("PATCH", `/change-maps/${map}/edits`, { head: drawn.head });
  await edit({ kind: "relabel", numbers: drawn.made, label: 2 });
  const write = `/change-maps/${map}/edits/map`;
  const { changeMapId } = await done(await testServer.call("POST", write, { name }));
  await testServer.quiet();
  return mapOf(changeMapId!);
}

async function accountOf(map: string): Promise<Account> {
  const path = `/change-maps/${map}/files`;
  const { blobId } = await done(await testServer.call("POST", path, { format: "account" }));
  return accountFrom((await testServer.call<unknown>("GET", `/files/${blobId}`)).body);
}

beforeAll(async () => {
  testServer = await TestServer.start();
  study = await begin("Then");
  const said = DAYS.map((day) => ({ kind: "radar", acquiredAt: `${day}T18:00:00Z` }));
  const tiles = [
    await take(study, "west_20250502.tif", said[0]!),
    await take(study, "east_20250502.tif", said[0]!),
  ];
  const beforeId = await join(study, tiles, "Both tiles");
  const afterId = await take(study, "after_20250514.tif", said[1]!);
  const asked = { beforeId, afterId, setup: SETUP, name: "As computed" };
  const first = await done(await testServer.call("POST", `/studies/${study}/change-maps`, asked));
  await testServer.quiet();
  const once = await editedFrom(first.changeMapId!, 240, "Looked over");
  edited = await editedFrom(once.id, 20, "Looked over again");
  // Neither the maps in between nor their edits are needed any more.
  for (const id of [first.changeMapId!, once.id]) {
    expect((await testServer.call("DELETE", `/change-maps/${id}`)).status).toBe(204);
  }
  account = await accountOf(edited.id);
}, 180_000);
afterAll(() => testServer.stop());

test("the account of an edited map tells the first map, and the edits from map to map", () => {
  expect(account.map.name).toBe("As computed");
  expect(account.map.provenance.edited).toBeUndefined();
  const { edits = [] } = account.map;
  expect(edits.map(({ name, acts }) => [name, acts.map(({ kind }) => kind)])).toEqual([
    ["Looked over", ["draw", "relabel"]],
    ["Looked over again", ["draw", "relabel"]],
  ]);
  // Two acts that stand and one that was undone, each with one patch but the removal.
  expect(edits[0]!.nextNumber).toBe(edits[0]!.acts[1]!.made[0]!.number + 1);
  expect(edits[1]!.acts[0]!.made[0]!.number).toBeGreaterThanOrEqual(edits[0]!.nextNumber);
});

test("a joined date is told by the files of its parts", () => {
  const joined = account.sources.flatMap(({ origin }) =>
    origin.kind === "joined" ? [origin] : [],
  );
  expect(joined.map(({ name }) => name)).toEqual(["Both tiles"]);
  const names = joined[0]!.parts.map(({ files }) => files[0]!.path);
  expect(names).toEqual(["west_20250502.tif", "east_20250502.tif"]);
});

describe("in another study, from the files", () => {
  let other: string;
  let scenes: Record<string, string>;
  let first: string;
  const bring = ({ name, files, said }: FromFiles): Promise<string> =>
    take(other, files[0]!.path, { ...said, name, kind: "radar" });

  beforeAll(async () => {
    other = await begin("A year later");
    scenes = {};
    for (const { content, origin } of account.sources) {
      if (origin.kind === "files") {
        scenes[content] = await bring(origin);
      } else if (origin.kind === "joined") {
        const parts: string[] = [];
        for (const part of origin.parts) {
          parts.push(await bring(part));
        }
        scenes[content] = await join(other, parts, origin.name);
      }
    }
    const again = `/studies/${other}/again/map`;
    const written = await done(await testServer.call("POST", again, { account, scenes }));
    await testServer.quiet();
    first = written.changeMapId!;
  }, 120_000);
  const editAgain = (map: string, told: object, stage: number) =>
    testServer.call<{ head: number } & ErrorAnswer>("POST", `/change-maps/${map}/again/edits`, {
      ...{ account: told, stage },
    });

  test("edits of another map, or that there are not, are refused", async () => {
    expect((await editAgain(first, account, 2)).body.error.field).toBe("stage");
    const wrong = structuredClone(account);
    wrong.map.edits![0]!.acts[0]!.made[0]!.number = 1;
    const refused = await editAgain(first, wrong, 0);
    expect([refused.status, refused.body.error.message]).toEqual([
      422,
      "The edits are those of another map",
    ]);
    wrong.map.edits![0]!.nextNumber = 1;
    expect((await editAgain(first, wrong, 0)).body.error.message).toMatch(/must grow/);
  });

  test("the same cells, patches and areas come out, with the same words", async () => {
    let map = first;
    for (const [stage, { name }] of account.map.edits!.entries()) {
      expect((await editAgain(map, account, stage)).status).toBe(200);
      const again = await editAgain(map, account, stage);
      expect([again.status, again.body.error.message]).toEqual([409, "This map has edits already"]);
      const write = `/change-maps/${map}/edits/map`;
      map = (await done(await testServer.call("POST", write, { name }))).changeMapId!;
      await testServer.quiet();
    }
    const now = await mapOf(map);
    expect(resultDifferences(account.result, (await accountOf(map)).result)).toEqual([]);
    expect(now.patchCount).toBe(edited.patchCount);
    expect(now.provenance.edited).toEqual(edited.provenance.edited);
    expect(now.edited).toMatchObject({ lastNumber: edited.edited!.lastNumber, editors: ["Ann"] });
  });
});
