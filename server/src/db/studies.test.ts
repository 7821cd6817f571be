import { emptySetup } from "@hindglance/core/change/defaults";
import { databaseForTests } from "../testing/database";
import {
  addToLedger,
  createStudy,
  deleteStudy,
  findStudy,
  listStudies,
  readLedger,
  replaceScenes,
  takeElevation,
  touchStudy,
  updateStudy,
} from "./studies";

const testDatabase = databaseForTests();
const { withClient } = testDatabase;
afterEach(() => withClient((client) => client.query("DELETE FROM study")));

const [ONE, TWO, THREE, JOINED] = [1, 2, 3, 9].map(
  (k) => `0a000000-0000-4000-8000-00000000000${k}`,
);
const NOBODY = "0a000000-0000-4000-8000-0000000000ff";
const setup = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
const begin = (name = "Vell") =>
  withClient((client) =>
    createStudy(client, { name, hazard: "flood", eventAt: null, studyArea: null }),
  );
const found = (id: string) => withClient((client) => findStudy(client, id));

describe("changing a study", () => {
  test("what is given changes, the rest stays; null empties", async () => {
    const { id } = await begin();
    await withClient((client) =>
      updateStudy(client, id, { hazard: "fire", eventAt: "2025-05-12T05:20:00Z" }),
    );
    const once = await found(id);
    expect(once).toMatchObject({ name: "Vell", hazard: "fire" });
    expect(new Date(once!.eventAt!).toISOString()).toBe("2025-05-12T05:20:00.000Z");
    await withClient((client) => updateStudy(client, id, { eventAt: null, name: "Vell, again" }));
    expect(await found(id)).toMatchObject({ name: "Vell, again", hazard: "fire", eventAt: null });
  });

  test("a change of settings raises the version, a mere touch does not", async () => {
    const { id, version } = await begin();
    await withClient((client) => touchStudy(client, id));
    expect((await found(id))!.version).toBe(version);
    await withClient((client) =>
      updateStudy(client, id, { compare: { beforeId: ONE!, afterId: TWO!, setup } }),
    );
    expect((await found(id))!.version).toBe(version + 1);
  });

  test("of a study that is not there nothing comes back", async () => {
    expect(await withClient((client) => updateStudy(client, NOBODY, { name: "x" }))).toBeNull();
    expect(await withClient((client) => deleteStudy(client, NOBODY))).toBe(false);
  });
});

test("the study last worked on stands first, with what it holds", async () => {
  const first = await begin("First");
  const second = await begin("Second");
  await withClient((client) => touchStudy(client, first.id));
  await withClient((client) =>
    client.query(
      `
        WITH made AS (INSERT INTO image (info, levels) VALUES ('{}', 1) RETURNING id)
        INSERT INTO scene (study_id, kind, name, file_name, file_size, file_sha256, detail, image_id)
        SELECT $1, 'radar', n, n, 1, 'x', '{}', i
        FROM (VALUES ('stored', (SELECT id FROM made)), ('still coming', NULL)) AS x (n, i)
      `,
      [second.id],
    ),
  );
  const list = await withClient(listStudies);
  expect(list.map(({ name, scenes, changeMaps }) => [name, scenes, changeMaps])).toEqual([
    ["First", 0, 0],
    ["Second", 1, 0],
  ]);
});

test("a study's ledger keeps what was done in its order, and goes with the study", async () => {
  const { id } = await begin();
  for (const what of ["Scene imported", "Scenes joined", "Change map written"]) {
    await withClient((client) => addToLedger(client, id, what, { of: what.length }));
  }
  const entries = await withClient((client) => readLedger(client, id));
  expect(entries.map(({ what, detail }) => [what, detail])).toEqual([
    ["Scene imported", { of: 14 }],
    ["Scenes joined", { of: 13 }],
    ["Change map written", { of: 18 }],
  ]);
  expect(await withClient((client) => deleteStudy(client, id))).toBe(true);
  expect(await withClient((client) => readLedger(client, id))).toEqual([]);
});

describe("one scene in place of others", () => {
  const chain = (terrain: object = {}) => ({
    chain: { terrain },
    exceptions: { [ONE!]: { speckle: {} }, [THREE!]: { speckle: {} } },
    heldOut: [ONE!, TWO!, THREE!],
  });
  const replaced = async (change: Parameters<typeof updateStudy>[2]) => {
    const { id } = await begin();
    await withClient((client) => updateStudy(client, id, change));
    await withClient((client) => replaceScenes(client, id, [ONE!, TWO!], JOINED!));
    return (await found(id))!;
  };

  test("stands in the pair where one of them stood", async () => {
    const { compare } = await replaced({ compare: { beforeId: TWO!, afterId: THREE!, setup } });
    expect(compare).toEqual({ beforeId: JOINED, afterId: THREE, setup });
  });

  test("and in the pairs of the other kinds, that a person may go back to", async () => {
    const { compare } = await replaced({
      compare: {
        beforeId: null,
        afterId: null,
        setup: null,
        others: { optical: { beforeId: ONE!, afterId: null, setup }, other: null },
      },
    });
    expect(compare).toEqual({
      beforeId: null,
      afterId: null,
      setup: null,
      others: { optical: { beforeId: JOINED, afterId: null, setup }, other: null },
    });
  });

  test.each(["chain", "opticalChain"] as const)(
    "in the %s is held out once where any was; exceptions of the old ones go",
    async (which) => {
      const study = await replaced({ [which]: chain() });
      expect(study[which]).toEqual({
        chain: { terrain: {} },
        exceptions: { [THREE!]: { speckle: {} } },
        heldOut: [JOINED, THREE],
      });
    },
  );

  test("a study that chose nothing is left as it is", async () => {
    const { compare, chain: radar, opticalChain, version } = await replaced({ name: "Vell" });
    expect([compare, radar, opticalChain]).toEqual([null, null, null]);
    expect(version).toBe(1);
  });

  test("the first elevation is taken where the chain has none, and no other's place", async () => {
    for (const [given, then] of [
      [null, JOINED],
      [ONE!, ONE!],
    ]) {
      const { id } = await begin();
      await withClient((client) =>
        updateStudy(client, id, { chain: chain({ elevationId: given }) }),
      );
      await withClient((client) => takeElevation(client, id, JOINED!));
      expect((await found(id))!.chain).toMatchObject({ chain: { terrain: { elevationId: then } } });
    }
  });
});
