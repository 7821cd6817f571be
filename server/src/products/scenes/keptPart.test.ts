import { LONLAT, utm } from "@hindglance/core/geodesy/crs";
import { sensorFrame } from "@hindglance/core/grid/frames";
import { type Grid, northUp } from "@hindglance/core/grid/grid";
import { updateStudy } from "../../db/studies";
import { databaseForTests } from "../../testing/database";
import { classesFrom } from "./classes";
import { keptPart } from "./keptPart";

const testDatabase = databaseForTests();
let study: string;
beforeAll(async () => {
  study = await testDatabase.study("Parts");
}, 60_000);

/** A study area of so many hundredths of a degree around (20.5° E, 30.5° S). */
const setArea = (half: number | null) =>
  testDatabase.withClient((client) =>
    updateStudy(client, study, {
      studyArea:
        half === null
          ? null
          : {
              type: "Polygon",
              coordinates: [
                [
                  [20.5 - half, -30.5 - half],
                  [20.5 + half, -30.5 - half],
                  [20.5 + half, -30.5 + half],
                  [20.5 - half, -30.5 + half],
                  [20.5 - half, -30.5 - half],
                ],
              ],
            },
    }),
  );
const kept = (grid: Grid, kind: "other" | "elevation" = "other") =>
  testDatabase.withClient((client) => keptPart(client, study, grid, kind, "sheet.tif"));
/** A degree in 1000 x 1000 cells, its corner at 20° E, 30° S. */
const degree = northUp(LONLAT, 20, -30, 0.001, 0.001, 1000, 1000);
const all = { col: 0, row: 0, width: 1000, height: 1000 };

test("without a study area all of a map is kept", async () => {
  await setArea(null);
  expect(await kept(degree)).toEqual({ window: all, leftOut: null });
});

test("with one, its cells and 150 around them; how much is left out is said", async () => {
  await setArea(0.0995);
  // Cells 400.5 to 599.5, whole ones, and 150 on each side.
  expect(await kept(degree)).toEqual({
    window: { col: 250, row: 250, width: 500, height: 500 },
    leftOut:
      "75 % of the file lies away from the study area and was left out: 500 x 500 of 1000 x 1000 cells were kept",
  });
});

test("of elevation four kilometres are kept around, for what mountains hide", async () => {
  await setArea(0.0995);
  // A cell of a thousandth of a degree is 111 m along a meridian at the most: 37 cells are not
  // more than 150.
  expect((await kept(degree, "elevation")).window.width).toBe(500);
  const fine = northUp(utm(34, true), 0, 0, 10, 10, 20_000, 20_000);
  const centre = { ...fine, transform: [352_000, 10, 0, 6_725_000, 0, -10] } as Grid;
  await setArea(0.05);
  const wide = (await kept(centre, "elevation")).window;
  const narrow = (await kept(centre)).window;
  expect(wide.width - narrow.width).toBe(2 * (400 - 150));
  expect(wide.height - narrow.height).toBe(2 * (400 - 150));
});

test("where hardly anything would be left out, nothing is", async () => {
  await setArea(0.349);
  expect(await kept(degree)).toEqual({ window: all, leftOut: null });
});

test("a map that does not show the study area is refused by its name, with a remedy", async () => {
  await setArea(0.0995);
  await expect(kept(northUp(LONLAT, -20, 10, 0.001, 0.001, 100, 100))).rejects.toMatchObject({
    status: 422,
    code: "outside",
    message: "sheet.tif does not show the study area",
    hint: "Check the study area, or take another file.",
  });
});

test("what lies in the sensor's own frame is cut by its product, not here", async () => {
  await setArea(0.0995);
  const grid = { ...degree, crs: sensorFrame("0a000000-0000-4000-8000-000000000001") };
  expect(await kept(grid)).toEqual({ window: all, leftOut: null });
});

describe("names of classes", () => {
  test("come from the file's legend, colours from its palette; the rest is numbered", () => {
    expect(classesFrom("1=Water; 2 = Wood ;;3", ["#000000", "#0000ff"], [1, 2, 3])).toEqual([
      { label: 1, name: "Water", color: "#0000ff" },
      { label: 2, name: "Wood", color: "#8a938f" },
      { label: 3, name: "Class 3", color: "#8a938f" },
    ]);
    expect(classesFrom(undefined, null, [7])).toEqual([
      { label: 7, name: "Class 7", color: "#8a938f" },
    ]);
  });
});
