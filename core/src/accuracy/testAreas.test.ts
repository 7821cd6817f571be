import { utm } from "../geodesy/crs";
import { northUp } from "../grid/grid";
import { runsOf } from "../patches/runs";
import { CLASS_NODATA } from "../raster/block";
import { countAreas } from "./testAreas";

const grid = northUp(utm(27, true), 0, 100, 10, 10, 10, 10);
/** Class 1 in the left half, none in the right; no date in the last row. */
const labels = Uint8Array.from({ length: 100 }, (_v, i) => {
  const isClass = i % 10 < 5 ? 1 : 0;
  return i >= 90 ? CLASS_NODATA : isClass;
});
const runs = runsOf(labels, 10, 10);
const box = (west: number, south: number, east: number, north: number) => [
  [
    [
      [west, south],
      [east, south],
      [east, north],
      [west, north],
      [west, south],
    ] as [number, number][],
  ],
];

test("cells of areas are counted by what the map says and what they are, each once", () => {
  const areas = [
    // Columns 3 to 6 of two rows: two cells a row of class 1, two of none.
    { label: 1, polygons: box(30, 80, 70, 100) },
    { label: 1, polygons: box(30, 80, 50, 100) },
    // The last two rows, of which one has no date.
    { label: 0, polygons: box(0, 0, 100, 20) },
  ];
  expect(countAreas(runs, grid, areas)).toEqual([
    { stratum: 1, reference: 1, units: 4 },
    { stratum: 0, reference: 1, units: 4 },
    { stratum: 1, reference: 0, units: 5 },
    { stratum: 0, reference: 0, units: 5 },
  ]);
});

test("a cell of areas of two classes counts for neither; ground outside counts for nothing", () => {
  const areas = [
    { label: 1, polygons: box(0, 80, 20, 100) },
    { label: 2, polygons: box(10, 80, 30, 100) },
    { label: 2, polygons: box(500, 80, 600, 100) },
  ];
  expect(countAreas(runs, grid, areas)).toEqual([
    { stratum: 1, reference: 1, units: 2 },
    { stratum: 1, reference: 2, units: 2 },
  ]);
});
