import { LONLAT, utm } from "../geodesy/crs";
import { cellAreas } from "../grid/area";
import { northUp } from "../grid/grid";
import { lcg } from "../testing/support";
import { RunSums, patchMeans, patchZones, perimeterM } from "./facts";
import { labelRuns } from "./label";
import { polygonise } from "./polygonise";
import { runsOf } from "./runs";

const width = 37;
const height = 29;
const random = lcg(9);
const labels = Uint8Array.from(
  { length: width * height },
  () => [0, 0, 1, 1, 2, 255][Math.floor(random() * 6)]!,
);
const values = Float32Array.from({ length: width * height }, (_v, i) =>
  i % 11 === 0 ? NaN : random() * 10,
);
const heights = Float32Array.from({ length: width * height }, () => 100 * random());
/** The neighbours that share a side first, then those that share a corner. */
const AROUND = [
  [1, 0],
  [-1, 0],
  [0, 1],
  [0, -1],
  [1, 1],
  [1, -1],
  [-1, 1],
  [-1, -1],
];

/** Cells of a patch by flooding from one of them, marked as seen. */
function flooded(first: number, neighbours: 4 | 8, seen: Uint8Array): number[] {
  const cells = [first];
  seen[first] = 1;
  for (let at = 0; at < cells.length; at++) {
    const c = cells[at]! % width;
    const r = Math.floor(cells[at]! / width);
    for (const [dc, dr] of AROUND.slice(0, neighbours)) {
      const x = c + dc!;
      const y = r + dr!;
      const j = y * width + x;
      if (x >= 0 && y >= 0 && x < width && y < height && !seen[j] && labels[j] === labels[first]) {
        seen[j] = 1;
        cells.push(j);
      }
    }
  }
  return cells;
}

test.each([4, 8] as const)(
  "parts of patches with %i neighbours by zone are those of their cells",
  (neighbours) => {
    // Zones as upright stripes of several widths; every third row lies in none.
    const zoneAt = (c: number, r: number) => (r % 3 === 0 ? 0 : 1 + (Math.floor(c / 7) % 3));
    const areas = cellAreas(northUp(LONLAT, -21, -43, 0.01, 0.01, width, height));
    const runs = runsOf(labels, width, height);
    const labelling = labelRuns(runs, neighbours);
    const zoneRow = (r: number) =>
      r % 3 === 0 ? null : Uint16Array.from({ length: width }, (_v, c) => zoneAt(c, r));
    const found = patchZones({ runs, labelling }, zoneRow, areas);
    const seen = new Uint8Array(labels.length);
    const wanted = [...labels.keys()]
      .filter((i) => labels[i] !== 0 && labels[i] !== 255)
      .flatMap((i) => {
        if (seen[i]) {
          return [];
        }
        const parts = new Map<number, { cells: number; areaM2: number }>();
        for (const j of flooded(i, neighbours, seen)) {
          const [c, r] = [j % width, Math.floor(j / width)];
          const { cells, areaM2 } = parts.get(zoneAt(c, r)) ?? { cells: 0, areaM2: 0 };
          parts.set(zoneAt(c, r), { cells: cells + 1, areaM2: areaM2 + areas.run(r, c, c + 1) });
        }
        return [[...parts].map(([zone, of]) => ({ zone, ...of })).sort((a, b) => a.zone - b.zone)];
      });
    const rounded = (all: typeof found) =>
      all.map((parts) => parts.map((part) => ({ ...part, areaM2: part.areaM2.toFixed(3) })));
    expect(rounded(found)).toEqual(rounded(wanted));
  },
);

test.each([4, 8] as const)(
  "means of patches with %i neighbours equal those of their cells, rows given in parts",
  (neighbours) => {
    const parts = [new RunSums(), new RunSums()];
    for (let r = 0; r < height; r++) {
      parts[r < 10 ? 0 : 1]!.addRow(
        labels.subarray(r * width, (r + 1) * width),
        [values, heights].map((layer) => layer.subarray(r * width, (r + 1) * width)),
      );
    }
    const runs = runsOf(labels, width, height);
    const labelling = labelRuns(runs, neighbours);
    const means = patchMeans(
      runs,
      labelling,
      Float64Array.from(parts.flatMap((part) => [...part.finish()])),
      2,
    );
    const shapes = polygonise(runs, neighbours);
    expect(means.length).toBe(2 * shapes.length);
    const seen = new Uint8Array(width * height);
    let k = 0;
    for (let i = 0; i < width * height; i++) {
      if (seen[i] || labels[i] === 0 || labels[i] === 255) {
        continue;
      }
      const cells = flooded(i, neighbours, seen);
      const own = cells.map((j) => values[j]!).filter((value) => value === value);
      const mean = own.reduce((s, value) => s + value, 0) / own.length;
      expect(shapes[k]!.cells).toBe(cells.length);
      if (own.length) {
        expect(means[2 * k]!).toBeCloseTo(mean, 5);
      } else {
        expect(means[2 * k]!).toBeNaN();
      }
      expect(means[2 * k + 1]!).toBeCloseTo(
        cells.reduce((s, j) => s + heights[j]!, 0) / cells.length,
        4,
      );
      k++;
    }
    expect(k).toBe(shapes.length);
  },
);
test("sums of another map are refused", () => {
  const runs = runsOf(labels, width, height);
  expect(() => patchMeans(runs, labelRuns(runs, 8), new Float64Array(12), 2)).toThrow(/do not fit/);
});
test.each([
  ["projected", northUp(utm(27, true), 500000, 5170000, 10, 10, 30, 30)],
  ["in degrees", northUp(LONLAT, -21, -43.6, 0.0002, 0.0001, 30, 30)],
])("the outline of a ring-shaped patch, %s", (_n, grid) => {
  const ring = Uint8Array.from({ length: 900 }, (_v, i) => {
    const c = i % 30;
    const r = Math.floor(i / 30);
    return c >= 5 && c < 25 && r >= 8 && r < 20 && !(c >= 10 && c < 14 && r >= 10 && r < 13)
      ? 1
      : 0;
  });
  const [shape] = polygonise(runsOf(ring, 30, 30), 8, cellAreas(grid));
  const across = 2 * (20 + 4);
  const down = 2 * (12 + 3);
  const side = grid.crs === LONLAT ? null : 10 * Math.sqrt(cellAreas(grid).cell(15, 15) / 100);
  if (side !== null) {
    expect(perimeterM(shape!, grid)).toBeCloseTo((across + down) * side, 4);
  }
  // On the ellipsoid at 43.6° south a degree is 111 100 m up and 80 729 m across (tables of the
  // length of a degree).
  else {
    expect(
      Math.abs(perimeterM(shape!, grid) / (across * 0.0002 * 80_729 + down * 0.0001 * 111_100) - 1),
    ).toBeLessThan(5e-4);
  }
});
