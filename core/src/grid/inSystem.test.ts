import { LONLAT, transformer, utm } from "../geodesy/crs";
import { northUp, toMap } from "./grid";
import { gridInSystem } from "./inSystem";

const zone = utm(27, true);
const grid = northUp(zone, 490_005, 5_180_015, 20, 20, 301, 201);

test("a grid that is in the system and of the size already stays as it is", () => {
  expect(gridInSystem(grid, zone, null)).toBe(grid);
  expect(gridInSystem(grid, zone, 20)).toBe(grid);
});

test("in its own system with larger cells, corners lie on whole multiples and hold all of it", () => {
  const coarser = gridInSystem(grid, zone, 50);
  // 490005 .. 496025 and 5175995 .. 5180015, by hand.
  expect(coarser.transform).toEqual([490_000, 50, 0, 5_180_050, 0, -50]);
  expect([coarser.width, coarser.height]).toEqual([121, 82]);
});

test("in longitude and latitude its cells are about as large, and every corner lies in it", () => {
  const globe = gridInSystem(grid, LONLAT, null);
  const side = globe.transform[1];
  // A degree of latitude is 111.1 km there, one of longitude 80.6 km: the mean of both is by areas.
  expect(side).toBeCloseTo(20 / Math.sqrt(111_100 * 80_600), 5);
  expect(side).toBe(Number(side.toPrecision(3)));
  const onto = transformer(zone, LONLAT);
  const corners = [0, 301].flatMap((col) => [0, 201].map((row) => [col, row] as const));
  for (const [col, row] of corners) {
    const [lon, lat] = onto(...toMap(grid, col, row));
    const [west, north] = [globe.transform[0], globe.transform[3]];
    expect(lon).toBeGreaterThanOrEqual(west);
    expect(lon).toBeLessThanOrEqual(west + side * globe.width);
    expect(lat).toBeLessThanOrEqual(north);
    expect(lat).toBeGreaterThanOrEqual(north - side * globe.height);
  }
});

test("a system that the place does not lie in is refused", () => {
  // Mercator has no poles.
  const polar = northUp(LONLAT, -10, 90, 1, 1, 20, 5);
  const mercator = {
    code: "EPSG:3857",
    proj4: "+proj=merc +a=6378137 +b=6378137 +units=m +no_defs",
  };
  expect(() => gridInSystem(polar, mercator, 1000)).toThrow(/does not lie where EPSG:3857/);
});
