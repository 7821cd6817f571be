import { utm } from "@hindglance/core/geodesy/crs";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { northUp } from "@hindglance/core/grid/grid";
import { databaseForTests } from "../testing/database";
import {
  createImage,
  deleteImage,
  findImage,
  finishImage,
  setBandRanges,
  setVertical,
  sweepImages,
} from "./images";
import {
  deleteKept,
  findKept,
  listKept,
  saveKept,
  saveOrbit,
  listOrbits,
  orbitVectors,
} from "./products";
import { createRun, endRun } from "./runs";
import {
  createScene,
  createZones,
  deleteScene,
  deleteZones,
  findScene,
  findTwin,
  findZonesByFile,
  listScenes,
  listZones,
  setSceneImage,
  setSceneRun,
  updateScene,
} from "./scenes";

const testDatabase = databaseForTests();
let study: string;
const { withClient } = testDatabase;
beforeEach(async () => {
  study = await testDatabase.study("Scenes");
});
afterEach(() =>
  withClient((client) => client.query("DELETE FROM study; DELETE FROM image; DELETE FROM run")),
);

const NOBODY = "0a000000-0000-4000-8000-0000000000ff";
const info: ImageInfo = {
  grid: northUp(utm(27, true), 490_000, 5_180_000, 10, 10, 20, 30),
  type: "float32",
  bands: [
    { name: "elevation", unit: "m", role: "elevation" },
    { name: "slope", unit: "°", role: "value" },
  ],
};
const makeScene = (more: Partial<Parameters<typeof createScene>[1]> = {}) =>
  withClient((client) =>
    createScene(client, {
      studyId: study,
      kind: "radar",
      name: "VELL",
      acquiredAt: null,
      fileName: "vell.tif",
      fileSize: 2 ** 33,
      fileSha256: "a".repeat(64),
      detail: { pass: "ascending" },
      ...more,
    }),
  );
const makeImage = () => withClient((client) => createImage(client, info, 1));
const statistics = (min: number, max: number) => ({
  cells: 600,
  valid: 600,
  min,
  max,
  sum: 0,
  sumSquares: 0,
});

describe("scenes", () => {
  test("without an image they are there and say so; with one they say what it is", async () => {
    const id = await makeScene();
    expect(await withClient((client) => findScene(client, id))).toMatchObject({
      name: "VELL",
      fileSize: 2 ** 33,
      detail: { pass: "ascending" },
      imageId: null,
      info: null,
      runId: null,
    });
    const run = await withClient((client) =>
      createRun(client, { studyId: study, kind: "x", title: "x", params: {}, phases: [] }),
    );
    await withClient((client) => setSceneRun(client, id, run));
    expect((await withClient((client) => findScene(client, id)))!.runId).toBe(run);
    const image = await makeImage();
    expect(await withClient((client) => setSceneImage(client, id, image))).toBe(true);
    expect(await withClient((client) => findScene(client, id))).toMatchObject({
      imageId: image,
      runId: null,
      levels: 1,
      info: { bands: [{ name: "elevation" }, { name: "slope" }] },
    });
  });

  test("a scene that was deleted meanwhile takes no image", async () => {
    const image = await makeImage();
    const id = await makeScene();
    expect(await withClient((client) => deleteScene(client, id))).toBe(true);
    expect(await withClient((client) => deleteScene(client, id))).toBe(false);
    expect(await withClient((client) => setSceneImage(client, id, image))).toBe(false);
    expect(await withClient((client) => findScene(client, id))).toBeNull();
  });

  test("are listed by date, those without one last", async () => {
    for (const [name, acquiredAt] of [
      ["undated", null],
      ["after", "2025-05-14T18:00:00Z"],
      ["before", "2025-05-02T18:00:00Z"],
    ] as const) {
      await makeScene({ name, acquiredAt });
    }
    const names = (await withClient((client) => listScenes(client, study))).map(({ name }) => name);
    expect(names).toEqual(["before", "after", "undated"]);
  });

  test("name and date change one without the other; a date can be taken away", async () => {
    const id = await makeScene({ acquiredAt: "2025-05-14T18:00:00Z" });
    await withClient((client) => updateScene(client, id, { name: "VELL, east" }));
    const once = await withClient((client) => findScene(client, id));
    expect(once!.name).toBe("VELL, east");
    expect(once!.acquiredAt).not.toBeNull();
    await withClient((client) => updateScene(client, id, { acquiredAt: null }));
    expect(await withClient((client) => findScene(client, id))).toMatchObject({
      name: "VELL, east",
      acquiredAt: null,
    });
  });

  test("a twin is one of the same study with the same bytes, and says where it lies", async () => {
    const id = await makeScene();
    const twin = (of: string, sha256: string) =>
      withClient((client) => findTwin(client, of, sha256));
    expect(await twin(study, "a".repeat(64))).toEqual({ id, name: "VELL", crs: null });
    await withClient(async (client) =>
      setSceneImage(client, id, await createImage(client, info, 1)),
    );
    expect(await twin(study, "a".repeat(64))).toMatchObject({ crs: "EPSG:32727" });
    expect(await twin(study, "b".repeat(64))).toBeNull();
    expect(await twin(await testDatabase.study("Other"), "a".repeat(64))).toBeNull();
  });
});

describe("zones", () => {
  const zones = (name: string) =>
    withClient((client) =>
      createZones(client, {
        studyId: study,
        name,
        fileName: "districts.geojson",
        fileSha256: name.padEnd(64, "0"),
        nameField: "name",
        count: 0,
        features: Buffer.from(JSON.stringify({ type: "FeatureCollection", features: [] })),
      }),
    );

  test("are kept in the order they came, found by their file, deleted with their study named", async () => {
    const first = await zones("Districts");
    await zones("Parishes");
    const names = async () =>
      (await withClient((client) => listZones(client, study))).map(({ name }) => name);
    expect(await names()).toEqual(["Districts", "Parishes"]);
    expect(
      await withClient((client) => findZonesByFile(client, study, "Districts".padEnd(64, "0"))),
    ).toEqual({ id: first.id, name: "Districts" });
    expect(await withClient((client) => deleteZones(client, first.id))).toBe(study);
    expect(await withClient((client) => deleteZones(client, first.id))).toBeNull();
    expect(await names()).toEqual(["Parishes"]);
  });
});

describe("images", () => {
  test("an image is being written until it is finished with what was found in it", async () => {
    const id = await makeImage();
    expect(await withClient((client) => findImage(client, id))).toMatchObject({
      state: "writing",
      statistics: null,
    });
    await withClient((client) =>
      finishImage(client, id, { statistics: null, histograms: null, looks: [4.4, null] }),
    );
    expect(await withClient((client) => findImage(client, id))).toMatchObject({
      state: "ready",
      looks: [4.4, null],
    });
    await withClient((client) => deleteImage(client, id));
    expect(await withClient((client) => findImage(client, id))).toBeNull();
  });

  test("elevation learns its range in whole metres outwards; other bands are left", async () => {
    const id = await makeImage();
    await withClient((client) =>
      setBandRanges(client, id, info, [statistics(-3.2, 411.01), statistics(0, 40)]),
    );
    const image = await withClient((client) => findImage(client, id));
    expect(image!.info.bands.map(({ range }) => range)).toEqual([[-4, 412], undefined]);
  });

  test("what heights count from is said, and taken back", async () => {
    const id = await makeImage();
    const vertical = async () =>
      (await withClient((client) => findImage(client, id)))!.info.bands.map(
        (band) => band.vertical,
      );
    await withClient((client) => setVertical(client, id, "ellipsoid"));
    expect(await vertical()).toEqual(["ellipsoid", "ellipsoid"]);
    await withClient((client) => setVertical(client, id, null));
    expect(await vertical()).toEqual([undefined, undefined]);
    await withClient((client) => setVertical(client, NOBODY, "ellipsoid"));
  });

  test("those that nothing holds are swept: no scene, kept result or run at work", async () => {
    const [held, kept, coming, part, item, left] = await Promise.all(
      Array.from({ length: 6 }, makeImage),
    );
    const scene = await makeScene();
    await withClient((client) => setSceneImage(client, scene, held!));
    await withClient((client) =>
      saveKept(client, { hash: "h", imageId: kept!, sceneId: scene, step: "whole", steps: {} }),
    );
    const run = (params: object) =>
      withClient((client) =>
        createRun(client, { studyId: study, kind: "x", title: "x", params, phases: [] }),
      );
    const runs = [
      await run({ imageId: coming }),
      await run({ parts: [{ imageId: part }] }),
      await run({ items: [{ hash: "h" }, { imageId: item }] }),
    ];
    const stand = async () =>
      (
        await Promise.all(
          [held, kept, coming, part, item, left].map((id) =>
            withClient((client) => findImage(client, id!)),
          ),
        )
      ).map((image) => image !== null);
    expect(await withClient(sweepImages)).toBe(1);
    expect(await stand()).toEqual([true, true, true, true, true, false]);
    for (const id of runs) {
      await withClient((client) => endRun(client, id, "failed"));
    }
    expect(await withClient(sweepImages)).toBe(3);
    expect(await stand()).toEqual([true, true, false, false, false, false]);
  });
});

describe("kept results", () => {
  test("a result kept anew takes the place of the old one; what is not kept is left out", async () => {
    const scene = await makeScene();
    const [one, other] = [await makeImage(), await makeImage()];
    const keep = (hash: string, imageId: string, step: string) =>
      withClient((client) =>
        saveKept(client, { hash, imageId, sceneId: scene, step, steps: { calibrate: "sigma" } }),
      );
    await keep("aa", one, "calibrate");
    await keep("aa", other, "terrain");
    const found = await withClient((client) => findKept(client, ["aa", "bb"]));
    expect([...found]).toEqual([["aa", other]]);
    const [kept] = await withClient((client) => listKept(client, study));
    expect(kept).toMatchObject({
      step: "terrain",
      steps: { calibrate: "sigma" },
      cells: 20 * 30 * 2,
    });
    expect(await withClient((client) => deleteKept(client, ["aa", "bb"]))).toBe(1);
    expect(await withClient((client) => listKept(client, study))).toEqual([]);
  });
});

describe("orbit files", () => {
  const vectors = Array.from({ length: 61 }, (_v, k) => ({
    t: 1000 + 10 * k,
    position: [k, 0, 0] as [number, number, number],
    velocity: [0, 1, 0] as [number, number, number],
  }));
  const save = (fileSha256: string, from = 1000) =>
    withClient((client) =>
      saveOrbit(client, {
        studyId: study,
        fileName: "orbit.EOF",
        fileSha256,
        mission: "LANTERN1",
        kind: "precise",
        from,
        to: from + 600,
        gaps: [[1300, 1400]],
        vectors,
      }),
    );

  test("the same file twice is one; another is another, in order of time", async () => {
    const first = await save("a", 2000);
    expect((await save("a", 2000)).id).toBe(first.id);
    const second = await save("b", 1000);
    const list = await withClient((client) => listOrbits(client, study));
    expect(list.map(({ id }) => id)).toEqual([second.id, first.id]);
  });

  test("vectors are those of a span with a margin on both sides", async () => {
    const { id } = await save("a");
    const times = async (from: number, to: number, margin?: number) =>
      (await withClient((client) => orbitVectors(client, id, from, to, margin))).map(({ t }) => t);
    expect(await times(1200, 1220, 20)).toEqual([1180, 1190, 1200, 1210, 1220, 1230, 1240]);
    expect((await times(1200, 1220)).length).toBe(23);
    expect(await times(5000, 5010)).toEqual([]);
    expect(await withClient((client) => orbitVectors(client, NOBODY, 0, 1))).toEqual([]);
  });
});
