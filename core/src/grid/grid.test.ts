import geodesic from "geographiclib-geodesic";
import { LONLAT, transformer, utm } from "../geodesy/crs";
import { zoneArea } from "../geodesy/ellipsoid";
import { cellAreas } from "./area";
import { cutGrid, unionGrid, windowAround } from "./union";
import {
  blockWindows,
  intersect,
  levelCount,
  levelGrid,
  northUp,
  sameGrid,
  toCell,
  toMap,
  type Grid,
} from "./grid";

const geodesicCellArea = (grid: Grid, c: number, r: number): number => {
  const pointTransform = transformer(grid.crs, LONLAT);
  const polygonAreaClass = geodesic.Geodesic.WGS84.Polygon(false);
  const n = 20;
  const corners = [
    [c, r],
    [c, r + 1],
    [c + 1, r + 1],
    [c + 1, r],
    [c, r],
  ] as const;
  for (let k = 0; k < 4; k++) {
    for (let i = 0; i < n; i++) {
      const [x, y] = toMap(
        grid,
        corners[k]![0] + ((corners[k + 1]![0] - corners[k]![0]) * i) / n,
        corners[k]![1] + ((corners[k + 1]![1] - corners[k]![1]) * i) / n,
      );
      const [lon, lat] = pointTransform(x, y);
      polygonAreaClass.AddPoint(lat, lon);
    }
  }
  return Math.abs(polygonAreaClass.Compute(false, true).area!);
};

describe("pixel convention", () => {
  test("corners and centres", () => {
    const grid = northUp(utm(27, true), 1000, 2000, 20, 10, 7, 5);
    expect(toMap(grid, 0, 0)).toEqual([1000, 2000]);
    expect(toMap(grid, 0.5, 0.5)).toEqual([1010, 1995]);
    expect(toCell(grid, 1010, 1995)).toEqual([0.5, 0.5]);
  });
  test("a rotated, sheared grid inverts", () => {
    const grid: Grid = {
      crs: utm(27, true),
      transform: [10, 3, 1, 20, -0.5, -2],
      width: 9,
      height: 4,
    };
    const [c, r] = toCell(grid, ...toMap(grid, 3.25, 1.75));
    expect(c).toBeCloseTo(3.25, 12);
    expect(r).toBeCloseTo(1.75, 12);
  });
  test("levels round up and stop at one block", () => {
    const grid = northUp(utm(27, true), 0, 0, 20, 20, 1201, 999);
    expect(levelGrid(grid, 1)).toMatchObject({ width: 601, height: 500 });
    expect(levelGrid(grid, 1).transform[1]).toBe(40);
    expect(levelCount(1201, 999)).toBe(3);
    expect(levelCount(512, 512)).toBe(1);
    expect(levelCount(10000, 10000)).toBe(6);
  });
  test("blocks cover every cell once", () => {
    const seen = new Uint8Array(1201 * 999);
    for (const w of blockWindows({ width: 1201, height: 999 })) {
      for (let r = w.row; r < w.row + w.height; r++) {
        for (let c = w.col; c < w.col + w.width; c++) {
          seen[r * 1201 + c]!++;
        }
      }
    }
    expect(seen.every((n) => n === 1)).toBe(true);
  });
  test("windows that do not meet have no intersection", () => {
    expect(
      intersect({ col: 0, row: 0, width: 5, height: 5 }, { col: 5, row: 0, width: 5, height: 5 }),
    ).toBeNull();
    expect(
      intersect({ col: -3, row: -3, width: 5, height: 5 }, { col: 0, row: 0, width: 9, height: 1 }),
    ).toEqual({ col: 0, row: 0, width: 2, height: 1 });
  });
  test("grids are the same only to a thousandth of a cell", () => {
    const grid = northUp(utm(27, true), 0, 0, 20, 20, 10, 10);
    expect(sameGrid(grid, northUp(utm(27, true), 0.001, 0, 20, 20, 10, 10))).toBe(true);
    expect(sameGrid(grid, northUp(utm(27, true), 1, 0, 20, 20, 10, 10))).toBe(false);
    expect(sameGrid(grid, northUp(utm(28, true), 0, 0, 20, 20, 10, 10))).toBe(false);
  });
});

describe("area on the ellipsoid", () => {
  test("the whole ellipsoid", () => {
    // Surface of WGS 84 as published: 510 065 621.724 km².
    expect(zoneArea(-90, 90, 360) / 1e6).toBeCloseTo(510065621.724, 2);
  });
  const grids: [string, Grid][] = [
    ["UTM, 20 m", northUp(utm(27, true), 488000, 5182000, 20, 20, 1200, 1000)],
    [
      "UTM, 250 m, far from the central meridian",
      northUp(utm(27, true), 250000, 5200000, 250, 250, 120, 90),
    ],
    ["lon/lat, 0.01°", northUp(LONLAT, -21.5, -43.2, 0.01, 0.01, 80, 70)],
    [
      "lon/lat, turned",
      {
        crs: LONLAT,
        transform: [-21.5, 0.0002, 0.00005, -43.2, 0.00005, -0.0002],
        width: 300,
        height: 200,
      },
    ],
    [
      "UTM, turned and south-up",
      { crs: utm(27, true), transform: [500000, 25, 8, 5170000, 8, 25], width: 333, height: 222 },
    ],
    [
      "Lambert conformal",
      northUp(
        {
          code: "made-up",
          proj4: "+proj=lcc +lat_1=-40 +lat_2=-46 +lat_0=-43 +lon_0=-21 +datum=WGS84 +units=m",
        },
        -100000,
        100000,
        100,
        100,
        2000,
        2000,
      ),
    ],
  ];
  test.each(grids)("%s: cells agree with geodesic polygons to 1e-6", (_name, grid) => {
    const a = cellAreas(grid);
    for (const [c, r] of [
      [0, 0],
      [grid.width - 1, 0],
      [grid.width >> 1, grid.height >> 1],
      [3, grid.height - 1],
      [grid.width - 1, grid.height - 1],
    ] as const) {
      expect(a.cell(c, r) / geodesicCellArea(grid, c, r) - 1).toBeCloseTo(0, 6);
    }
  });
  test.each(grids)("%s: a run is the sum of its cells", (_name, grid) => {
    const a = cellAreas(grid);
    for (const [row, from, to] of [
      [0, 0, grid.width],
      [grid.height - 1, 7, grid.width - 3],
      [5, 40, 41],
    ] as const) {
      let s = 0;
      for (let c = from; c < to; c++) {
        s += a.cell(c, row);
      }
      expect(a.run(row, from, to) / s - 1).toBeCloseTo(0, 11);
    }
  });
});

describe("grids that share their cells", () => {
  const crs = utm(27, true);
  const grid = northUp(crs, 1000, 2000, 10, 10, 30, 20);
  const b = northUp(crs, 1250, 2100, 10, 10, 40, 12);
  test("become one that holds both, each at its place", () => {
    const unit = unionGrid([grid, b], ["a", "b"]);
    expect([
      unit.grid.width,
      unit.grid.height,
      unit.grid.transform[0],
      unit.grid.transform[3],
    ]).toEqual([65, 30, 1000, 2100]);
    expect(unit.offsets).toEqual([
      { col: 0, row: 10 },
      { col: 25, row: 0 },
    ]);
    // A cell keeps its place on the map.
    expect(toMap(unit.grid, 25 + 3, 0 + 4)).toEqual(toMap(b, 3, 4));
  });
  test("what does not fall on the same cells is refused by name", () => {
    expect(() => unionGrid([grid, northUp(crs, 1003, 2000, 10, 10, 5, 5)], ["a", "b"])).toThrow(
      /cells of b do not fall on those of a/,
    );
    expect(() => unionGrid([grid, northUp(crs, 1000, 2000, 20, 20, 5, 5)], ["a", "b"])).toThrow(
      /b has cells of 20 x 20, a of 10 x 10/,
    );
    expect(() =>
      unionGrid([grid, northUp(utm(28, true), 1000, 2000, 10, 10, 5, 5)], ["a", "b"]),
    ).toThrow(/b is in/);
    expect(() => unionGrid([], [])).toThrow(/no grid/);
  });
  test("the part around points, with a margin, ends at the rim; none when they lie elsewhere", () => {
    expect(
      windowAround(
        grid,
        [
          [1105, 1935],
          [1141, 1902],
        ],
        3,
      ),
    ).toEqual({ col: 7, row: 3, width: 11, height: 10 });
    expect(windowAround(grid, [[1001, 1999]], 5)).toEqual({ col: 0, row: 0, width: 6, height: 6 });
    expect(windowAround(grid, [[5000, 1999]], 5)).toBeNull();
    expect(cutGrid(grid, { col: 7, row: 3, width: 11, height: 10 })).toMatchObject({
      transform: [1070, 10, 0, 1970, 0, -10],
      width: 11,
      height: 10,
    });
  });
});
