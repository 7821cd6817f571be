import { LONLAT, transformer } from "../geodesy/crs";
import { HALF_WORLD_M, WEB_MERCATOR, isWebTile, tileBox, tileGround } from "./webTiles";

test("the one tile of the first level is the world up to its square's latitude", () => {
  const world = { level: 0, column: 0, row: 0 };
  expect(tileGround(world)).toEqual([-HALF_WORLD_M, -HALF_WORLD_M, HALF_WORLD_M, HALF_WORLD_M]);
  const [west, south, east, north] = tileBox(world);
  expect([west, east]).toEqual([-180, 180]);
  // atan(sinh(pi)) in degrees.
  expect(north).toBeCloseTo(85.0511287798, 9);
  expect(south).toBeCloseTo(-85.0511287798, 9);
});

test("ends in degrees are those that the projection gives", () => {
  const tile = { level: 12, column: 1809, row: 2581 };
  const [west, south, east, north] = tileGround(tile);
  const box = tileBox(tile);
  const onto = transformer(WEB_MERCATOR, LONLAT);
  const [first, last] = [onto(west, south), onto(east, north)];
  [...first, ...last].forEach((value, k) => expect(box[k]).toBeCloseTo(value, 9));
});

test.each([
  [{ level: 0, column: 0, row: 0 }, true],
  [{ level: 3, column: 7, row: 7 }, true],
  [{ level: 3, column: 8, row: 0 }, false],
  [{ level: 23, column: 0, row: 0 }, false],
  [{ level: 1, column: -1, row: 0 }, false],
  [{ level: 1, column: 0.5, row: 0 }, false],
  [{ level: NaN, column: 0, row: 0 }, false],
])("%j is a tile: %s", (tile, is) => {
  expect(isWebTile(tile)).toBe(is);
});
