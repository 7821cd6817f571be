import { gridOf } from "@hindglance/core/chain/family";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { LONLAT, transformer, utm } from "@hindglance/core/geodesy/crs";
import { northUp, toCell } from "@hindglance/core/grid/grid";
import { createScene, findScene, setSceneImage } from "../../db/scenes";
import { createImage } from "../../db/images";
import { findStudy, updateStudy } from "../../db/studies";
import { databaseForTests } from "../../testing/database";
import { HOUSES, type ReadyScene, isReady } from "./index";

const testDatabase = databaseForTests();
const GRID = northUp(utm(27, true), 480_000, 5_190_000, 20, 20, 1500, 1500);
const light = (name: string, wavelengthNm: number) => ({
  name,
  unit: "",
  role: "reflectance" as const,
  wavelengthNm,
});
const OPTICAL: ImageInfo = {
  grid: GRID,
  type: "float32",
  bands: [light("red", 660), light("nir", 850), light("swir2", 2200)],
};

/** A study and one scene of it whose image is stored. */
async function studyWith(kind: string, info: ImageInfo, studyArea: object | null = null) {
  const id = await testDatabase.study(kind);
  const scene = await testDatabase.withClient(async (client) => {
    const facts = { fileName: "f", fileSize: 1, fileSha256: "a", detail: {} };
    const made = { studyId: id, kind, name: kind, acquiredAt: "2025-02-11T10:00:00Z", ...facts };
    const sceneId = await createScene(client, made);
    await setSceneImage(client, sceneId, await createImage(client, info, 1));
    await updateStudy(client, id, { studyArea });
    return findScene(client, sceneId);
  });
  const study = await testDatabase.withClient((client) => findStudy(client, id));
  if (!isReady(scene) || !study) {
    throw new Error("The scene is not stored");
  }
  return { study, scene };
}
const inputs = (study: Awaited<ReturnType<typeof studyWith>>["study"], scenes: ReadyScene[]) => ({
  study,
  scenes,
  elevations: [],
  orbits: new Map(),
  brokenOrbits: new Map(),
});
const AREA = {
  type: "MultiPolygon",
  coordinates: [
    [
      [
        [-21.1, -43.6],
        [-21, -43.6],
        [-21, -43.5],
        [-21.1, -43.6],
      ],
    ],
  ],
};

test("a scene without its image is of no family", async () => {
  const id = await testDatabase.study("Coming");
  const scene = await testDatabase.withClient(async (client) => {
    const facts = { fileName: "f", fileSize: 1, fileSha256: "a", detail: {} };
    const made = { studyId: id, kind: "radar", name: "x", acquiredAt: null, ...facts };
    return (await findScene(client, await createScene(client, made)))!;
  });
  expect(isReady(scene)).toBe(false);
  expect(isReady(null)).toBe(false);
  expect(HOUSES.radar.takes(scene)).toBe(false);
  expect(HOUSES.optical.takes(scene)).toBe(false);
});

test("bands of light are the optical chain's, an image on the map is not the radar chain's", async () => {
  const { scene } = await studyWith("optical", OPTICAL);
  expect(HOUSES.radar.takes(scene)).toBe(false);
  expect(HOUSES.radar.field).toBe("chain");
  expect(HOUSES.optical.field).toBe("opticalChain");
});

test.each(["radar", "optical"] as const)(
  "the %s chain is proposed on a grid that holds the study area",
  async (family) => {
    const { study, scene } = await studyWith("optical", OPTICAL, AREA);
    const chain = HOUSES[family].propose(inputs(study, family === "optical" ? [scene] : []));
    const grid = gridOf(family, chain);
    const onMap = transformer(LONLAT, grid.crs);
    for (const [lon, lat] of AREA.coordinates[0]![0]!) {
      const [column, row] = toCell(grid, ...onMap(lon!, lat!));
      expect(column).toBeGreaterThanOrEqual(-1e-6);
      expect(column).toBeLessThanOrEqual(grid.width + 1e-6);
      expect(row).toBeGreaterThanOrEqual(-1e-6);
      expect(row).toBeLessThanOrEqual(grid.height + 1e-6);
    }
  },
);

test("without area and scenes a chain is proposed all the same", async () => {
  const { study } = await studyWith("optical", OPTICAL);
  for (const house of Object.values(HOUSES)) {
    const chain = house.propose(inputs(study, []));
    const grid = gridOf(house.family, chain);
    expect(grid.width * grid.height).toBeGreaterThan(0);
  }
});

test("every date comes with the settings of its own", async () => {
  const { study, scene } = await studyWith("optical", OPTICAL, AREA);
  const chain = HOUSES.optical.propose(inputs(study, [scene]));
  const asked: string[] = [];
  const dated = await testDatabase.withClient((client) =>
    HOUSES.optical.dated(client, inputs(study, [scene]), (id) => {
      asked.push(id);
      return chain;
    }),
  );
  expect(dated).toHaveLength(1);
  expect(dated[0]!.scene).toMatchObject({ id: scene.id, imageId: scene.imageId });
  expect(dated[0]!.settings).toBe(chain);
  expect(new Set(asked)).toEqual(new Set([scene.id]));
});
