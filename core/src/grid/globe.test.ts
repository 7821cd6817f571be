import { proposeGrid } from "../chain/proposeGrid";
import { type Crs, LONLAT, metresPerUnit, transformer, utm } from "../geodesy/crs";
import { cellAreas } from "./area";
import {
  betweenGrids,
  drawnRing,
  ontoGlobe,
  ontoGlobeAround,
  ontoGrid,
  withoutLeap,
} from "./globe";
import { northUp, outline, toCell } from "./grid";
import { largestCellM, shownCellM } from "./metres";

/** A degree grid that counts on past 180: 175 to 185 degrees. */
const past180 = northUp(LONLAT, 175, 5, 0.1, 0.1, 100, 100);
/** One of the last zone that reaches over the date line. */
const zone60 = (() => {
  const [x, y] = transformer(LONLAT, utm(60, false))(179.9, 2);
  return northUp(utm(60, false), x, y, 100, 100, 400, 400);
})();
/** One around the south pole. */
const polar: Crs = {
  code: "EPSG:3031",
  proj4: "+proj=stere +lat_0=-90 +lat_ts=-71 +lon_0=0 +x_0=0 +y_0=0 +datum=WGS84 +units=m +no_defs",
};
const aroundPole = northUp(polar, -2e6, 2e6, 40_000, 40_000, 100, 100);

describe("over the date line", () => {
  test("a place is found on a grid by any name of its meridian", () => {
    expect(ontoGrid(past180)(-178, 1)).toEqual([182, 1]);
    expect(ontoGrid(past180)(182, 1)).toEqual([182, 1]);
    expect(ontoGrid(past180)(178, 1)).toEqual([178, 1]);
    expect(ontoGlobe(past180)(182, 1)).toEqual([-178, 1]);
    const [x, y] = ontoGrid(zone60)(-179.95, 1.9);
    const [sameX, sameY] = ontoGrid(zone60)(180.05, 1.9);
    expect(x).toBeCloseTo(sameX, 6);
    expect(y).toBeCloseTo(sameY, 6);
  });

  test("cells of a zone find those of a grid in degrees on both sides", () => {
    const across = betweenGrids(zone60, past180);
    for (const [lon, lat] of [
      [179.95, 1.95],
      [180.1, 1.9],
    ] as const) {
      const place = transformer(LONLAT, zone60.crs)(lon, lat);
      const [col, row] = toCell(past180, ...across(...place));
      expect(col).toBeCloseTo((lon - 175) / 0.1, 6);
      expect(row).toBeCloseTo((5 - lat) / 0.1, 6);
    }
  });

  test("outlines do not leap", () => {
    const globe = ontoGlobe(zone60);
    const ring = outline(zone60).map(([x, y]) => globe(x, y));
    const lons = ring.map(([lon]) => lon);
    expect(Math.max(...lons) - Math.min(...lons)).toBeGreaterThan(300);
    const drawn = drawnRing(ring).map(([lon]) => lon);
    expect(Math.max(...drawn) - Math.min(...drawn)).toBeLessThan(0.5);
    const around = outline(zone60).map(([x, y]) => ontoGlobeAround(zone60)(x, y)[0]);
    expect(Math.max(...around) - Math.min(...around)).toBeLessThan(0.5);
    expect(withoutLeap([[179, 0], [-179, 0], [-181, 0]])).toEqual([[179, 0], [181, 0], [179, 0]]); // prettier-ignore
  });

  test("a study grid is proposed for the ground, not for the way around the Earth", () => {
    const grid = proposeGrid(
      [
        [179.8, 1],
        [-179.8, 1],
        [-179.8, 1.2],
      ],
      50,
    );
    expect(["EPSG:32601", "EPSG:32660"]).toContain(grid.crs.code);
    // 0.4 degrees near the equator: 44.5 km.
    expect(grid.width * 50).toBeGreaterThan(44_000);
    expect(grid.width * 50).toBeLessThan(46_000);
  });

  test("areas are those of the same cells elsewhere", () => {
    const [x, y] = transformer(LONLAT, utm(30, false))(-0.1, 2);
    const elsewhere = northUp(utm(30, false), x, y, 100, 100, 400, 400);
    expect(cellAreas(zone60).run(200, 0, 400)).toBeCloseTo(
      cellAreas(elsewhere).run(200, 0, 400),
      3,
    );
  });
});

describe("around a pole", () => {
  test("the outline of a grid is closed along it", () => {
    const globe = ontoGlobe(aroundPole);
    const ring = drawnRing(outline(aroundPole).map(([x, y]) => globe(x, y)));
    const lons = ring.map(([lon]) => lon);
    expect(Math.max(...lons) - Math.min(...lons)).toBeCloseTo(360, 6);
    expect(ring.filter(([, lat]) => lat === -90)).toHaveLength(2);
    expect(ring.at(-1)).toEqual(ring[0]);
  });

  test("a cell beside the pole has the area that the projection's scale gives it", () => {
    const fine = northUp(aroundPole.crs, -5000, 5000, 100, 100, 100, 100);
    const areas = cellAreas(fine);
    // Scale of the polar stereographic projection at the pole, true at 71 degrees (Snyder 1987,
    // eqs. 15-9, 14-15, 21-35); it grows by the square of the distance over four radii squared.
    const e = 0.0818191908426;
    const sin = Math.sin((71 * Math.PI) / 180);
    const m = Math.cos((71 * Math.PI) / 180) / Math.sqrt(1 - e * e * sin * sin);
    const t =
      Math.tan(Math.PI / 4 - (71 * Math.PI) / 360) / ((1 - e * sin) / (1 + e * sin)) ** (e / 2);
    const pole = ((m / t) * Math.sqrt((1 + e) ** (1 + e) * (1 - e) ** (1 - e))) / 2;
    for (const [col, row] of [
      [49, 49],
      [50, 50],
      [60, 50],
      [90, 12],
    ] as const) {
      const distance = Math.hypot(col - 49.5, row - 49.5) * 100;
      const scale = pole * (1 + (distance / pole / 2 / 6399594) ** 2);
      expect(Math.abs((areas.cell(col, row) * scale ** 2) / 1e4 - 1)).toBeLessThan(1e-6);
    }
  });

  test("the areas of cells add up to that of the cap within them", () => {
    // The parallel at 75 degrees south lies within the grid: of the cells on it about half count.
    const areas = cellAreas(aroundPole);
    const globe = ontoGlobe(aroundPole);
    let inside = 0;
    for (let row = 0; row < 100; row++) {
      for (let col = 0; col < 100; col++) {
        const [, lat] = globe(-2e6 + (col + 0.5) * 40_000, 2e6 - (row + 0.5) * 40_000);
        inside += lat < -75 ? areas.cell(col, row) : 0;
      }
    }
    // Area of the cap by the authalic latitude of 75 degrees on the WGS 84 ellipsoid.
    const e = 0.0818191908426;
    const authalic = (s: number) =>
      (1 - e * e) * (s / (1 - e * e * s * s) - Math.log((1 - e * s) / (1 + e * s)) / (2 * e));
    const cap = Math.PI * 6378137 ** 2 * (authalic(1) - authalic(Math.sin((75 * Math.PI) / 180)));
    expect(Math.abs(inside / cap - 1)).toBeLessThan(5e-3);
  });
});

test("cells in feet are told in metres", () => {
  const feet: Crs = {
    code: "own: feet",
    proj4: "+proj=tmerc +lon_0=3 +to_meter=0.3048 +a=6378137 +rf=298 +no_defs",
  };
  const survey: Crs = { code: "EPSG:2263", proj4: "+proj=lcc +lat_1=41 +lat_2=40 +units=us-ft" };
  expect(metresPerUnit(feet)).toBe(0.3048);
  expect(metresPerUnit(survey)).toBeCloseTo(0.3048006096, 10);
  expect(metresPerUnit(LONLAT)).toBe(1);
  const grid = northUp(feet, 0, 0, 100, 100, 10, 10);
  expect(largestCellM(grid)).toBeCloseTo(30.48, 9);
  expect(shownCellM(grid)).toBeCloseTo(30.48, 9);
  expect(cellAreas(grid).cell(5, 5)).toBeCloseTo(30.48 ** 2, -1);
});
