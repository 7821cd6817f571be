import { LONLAT, transformer, utm } from "../geodesy/crs";
import { egm96 } from "../geodesy/egm96";
import { nameGeoid } from "../geodesy/geoid";
import { northUp } from "../grid/grid";
import { coverOf } from "./cover";
import { heightsWith, rangeWith } from "./outside";

const grid = northUp(utm(27, true), 500_000, 5_170_000, 100, 100, 96, 48);
const everywhere = () => true;
const all = (width: number, height: number) => new Uint8Array(width * height).fill(1);

describe("what an elevation covers", () => {
  test("all, half, nothing, and a third of what counts", () => {
    const same = { grid, known: all(96, 48) };
    const west = {
      grid: northUp(utm(27, true), 500_000, 5_170_000, 100, 100, 48, 48),
      known: all(48, 48),
    };
    const elsewhere = {
      grid: northUp(utm(27, true), 600_000, 5_170_000, 100, 100, 48, 48),
      known: all(48, 48),
    };
    expect(coverOf(grid, same, everywhere)).toBe(1);
    expect(coverOf(grid, west, everywhere)).toBeCloseTo(0.5, 2);
    expect(coverOf(grid, elsewhere, everywhere)).toBe(0);
    // Places east of a quarter count: a third of them lie in the western half.
    const quarter = -21 + (24 * 100) / (111_320 * Math.cos((43.6 * Math.PI) / 180));
    expect(coverOf(grid, west, (lon) => lon > quarter)).toBeCloseTo(1 / 3, 1);
    expect(coverOf(grid, same, () => false)).toBeNull();
  });
  test("cells without heights do not count as covered", () => {
    const known = Uint8Array.from({ length: 96 * 48 }, (_v, i) => (i % 96 < 24 ? 0 : 1));
    expect(coverOf(grid, { grid, known }, everywhere)).toBeCloseTo(0.75, 2);
  });
});

describe("beyond an elevation", () => {
  const window = { col: 3, row: 5, width: 4, height: 1 };
  const heights = Float32Array.of(12, NaN, 30, NaN);
  beforeAll(() => nameGeoid(egm96));

  test("nodata, the ellipsoid or the sea stands for heights", () => {
    expect([...heightsWith("nodata", heights, grid, window, 0)]).toEqual([12, NaN, 30, NaN]);
    expect([...heightsWith("ellipsoid", heights, grid, window, 0)]).toEqual([12, 0, 30, 0]);
    const [first, sea, third, farther] = heightsWith("seaLevel", heights, grid, window, 0);
    expect([first, third]).toEqual([12, 30]);
    // The model itself at the place, 450 m east and 550 m south of the corner.
    const place = transformer(grid.crs, LONLAT)(500_450, 5_169_450);
    expect(Math.abs(sea! - egm96(...place))).toBeLessThan(0.02);
    expect(Math.abs(farther! - sea!)).toBeLessThan(0.05);
  });
  test("the range of heights takes in what stands for them", () => {
    expect(rangeWith("nodata", [40, 900])).toEqual([40, 900]);
    expect(rangeWith("ellipsoid", [40, 900])).toEqual([0, 900]);
    expect(rangeWith("seaLevel", [40, 900])[0]).toBeLessThan(-100);
  });
});
