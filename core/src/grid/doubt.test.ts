import { LONLAT } from "../geodesy/crs";
import { positionDoubt } from "./doubt";
import { pictureFrame } from "./frames";
import { northUp } from "./grid";

const gridOf = (accuracy: number | null | undefined, cell: number) =>
  northUp(
    {
      ...{ code: "EPSG:27700", name: "National Grid", proj4: "+proj=tmerc +lon_0=-2 +units=m" },
      ...(accuracy === undefined ? {} : { accuracy }),
    },
    ...([0, 0, cell, cell, 10, 10] as const),
  );

test("a position is doubted where its shift is worse than half a cell, or not known", () => {
  expect(positionDoubt(gridOf(undefined, 10))).toBeNull();
  expect(positionDoubt(gridOf(2, 10))).toBeNull();
  expect(positionDoubt(gridOf(5, 10))).toBeNull();
  expect(positionDoubt(gridOf(5.5, 10))).toMatch(
    /off by 5.5 m, and cells are 10 m.*National Grid \(EPSG:27700\)/,
  );
  expect(positionDoubt(gridOf(21, 10))).toMatch(/off by 21 m/);
  expect(positionDoubt(gridOf(null, 1000))).toMatch(/some hundred metres/);
  const modern = gridOf(null, 10);
  const crs = {
    ...modern.crs,
    proj4: "+proj=tmerc +lon_0=3 +a=6378137 +rf=298.257222101 +no_defs",
  };
  expect(positionDoubt({ ...modern, crs })).toMatch(/no more than metres/);
});

test("a picture without position and WGS 84 itself are not doubted", () => {
  expect(positionDoubt(northUp(pictureFrame("a"), 0, 0, 1, 1, 5, 5))).toBeNull();
  expect(positionDoubt(northUp(LONLAT, 0, 0, 1e-6, 1e-6, 5, 5))).toBeNull();
});
