import { LONLAT, transformer, utm } from "../geodesy/crs";
import { egm96 } from "../geodesy/egm96";
import { nameGeoid } from "../geodesy/geoid";
import { northUp, toMap } from "../grid/grid";
import { datumDoubt } from "./datum";

const grid = northUp(utm(27, true), 500_000, 5_170_000, 200, 200, 80, 60);
const toLonLat = transformer(grid.crs, LONLAT);
/** Where the sea lies above the ellipsoid, about 20 m here. */
const seaAt = (i: number) =>
  egm96(...toLonLat(...toMap(grid, (i % 80) + 0.5, Math.floor(i / 80) + 0.5)));

/** An island of hills in the sea, or in a lake of its own. */
const island = (waterAt: (i: number) => number) =>
  Float32Array.from({ length: 80 * 60 }, (_v, i) => {
    const off = Math.hypot((i % 80) - 40, Math.floor(i / 80) - 30);
    return waterAt(i) + Math.max(0, 25 - off) * (9 + Math.sin(i));
  });

beforeAll(() => nameGeoid(egm96));

test("a sea that lies where it must is not questioned", () => {
  expect(
    datumDoubt(
      island(() => 0),
      grid,
      "egm96",
    ),
  ).toBeNull();
  expect(datumDoubt(island(seaAt), grid, "ellipsoid")).toBeNull();
  expect(
    datumDoubt(
      island(() => 4),
      grid,
      "egm2008",
    ),
  ).toBeNull();
});
test("heights above sea level that are said to be above the ellipsoid, or of which nothing is said", () => {
  for (const vertical of ["ellipsoid", null] as const) {
    expect(
      datumDoubt(
        island(() => 0),
        grid,
        vertical,
      ),
    ).toMatch(/lies at 0 m, and the sea lies 2[01] m above the ellipsoid here: .*above sea level/);
  }
});
test("heights above the ellipsoid that are said to be above sea level", () => {
  expect(datumDoubt(island(seaAt), grid, "egm96")).toMatch(
    /lies at 2[01] m, .*above the ellipsoid, not/,
  );
});
test("a wide sea anywhere else is questioned, a lake is not", () => {
  expect(
    datumDoubt(
      island(() => 37),
      grid,
      "egm96",
    ),
  ).toMatch(/37 m from where the sea would lie/);
  expect(
    datumDoubt(
      island(() => 312),
      grid,
      "egm96",
    ),
  ).toBeNull();
  const pond = Float32Array.from({ length: 80 * 60 }, (_v, i) =>
    Math.hypot((i % 80) - 40, Math.floor(i / 80) - 30) < 12 ? 37 : 60 + 9 * Math.sin(i),
  );
  expect(datumDoubt(pond, grid, "egm96")).toBeNull();
});
