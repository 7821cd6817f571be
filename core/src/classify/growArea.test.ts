import { areaOnGrid } from "../change/areaOnGrid";
import { utm } from "../geodesy/crs";
import { northUp } from "../grid/grid";
import { normalFrom } from "../testing/normal";
import type { MultiPolygon } from "../vector/polygons";
import { rasteriseSpans } from "../vector/rasterise";
import { MOST_DISTANCE, cellArea, growLevels, grownArea, hasCells } from "./growArea";

const size = { width: 40, height: 30 };
const count = size.width * size.height;
const grid = northUp(utm(28, true), 512_340, 5_233_340, 10, 10, size.width, size.height);

/** Two bands of noise that was smoothed, so that like cells lie together. */
function twoBands(): Float32Array[] {
  return [1, 2].map((seed) => {
    const normal = normalFrom(seed);
    const noise = Float32Array.from({ length: count }, normal);
    return noise.map((_value, cell) => {
      const beside = [0, 1, -1, size.width, -size.width].map((by) => noise[cell + by] ?? 0);
      return beside.reduce((sum, value) => sum + value, 0);
    });
  });
}

/** By cell: its distance from the first one, by the definition. */
function distances(bands: readonly Float32Array[], first: number): number[] {
  const about = [-1, 0, 1].flatMap((down) =>
    [-1, 0, 1].map((across) => first + down * size.width + across),
  );
  const mean = (values: readonly number[]) =>
    values.reduce((sum, value) => sum + value, 0) / values.length;
  const parts = bands.map((band) => {
    const all = [...band];
    const spread = Math.sqrt(mean(all.map((value) => (value - mean(all)) ** 2)));
    const middle = mean(about.map((cell) => band[cell]!));
    return all.map((value) => ((value - middle) / spread) ** 2);
  });
  return parts[0]!.map((_value, cell) => Math.sqrt(mean(parts.map((part) => part[cell]!))));
}

/** Cells that are joined to the first one by cells no farther than so much. */
function joined(away: readonly number[], first: number, distance: number): number[] {
  const found = new Set([first]);
  const open = [first];
  for (let cell = open.pop(); cell !== undefined; cell = open.pop()) {
    const col = cell % size.width;
    const beside = [
      ...(col > 0 ? [cell - 1] : []),
      ...(col < size.width - 1 ? [cell + 1] : []),
      ...[cell - size.width, cell + size.width],
    ];
    for (const other of beside) {
      if (away[other] !== undefined && away[other] <= distance && !found.has(other)) {
        found.add(other);
        open.push(other);
      }
    }
  }
  return [...found].sort((a, b) => a - b);
}

/** Cells of the grid whose centres lie in an area. */
function cellsIn(polygons: MultiPolygon): number[] {
  const cells: number[] = [];
  rasteriseSpans(areaOnGrid(polygons, grid), grid, { col: 0, row: 0, ...size }, (row, from, to) => {
    for (let col = from; col < to; col++) {
      cells.push(row * size.width + col);
    }
  });
  return cells.sort((a, b) => a - b);
}

describe("ground that grows from a cell", () => {
  const first = 12 * size.width + 17;
  const bands = twoBands();
  const levels = growLevels(bands, size, first);
  const away = distances(bands, first);

  test.each([80, 95, 110, 127, 180])("is what is joined to it within %i steps", (step) => {
    const distance = (step / 254) * MOST_DISTANCE;
    const known = joined(away, first, distance);
    const area = grownArea({ grid, levels }, distance);
    // Both are asked for something between one cell and all of them.
    expect(known.length).toBeGreaterThan(1);
    expect(known.length).toBeLessThan(count);
    expect(area.cells).toBe(known.length);
    expect(cellsIn(area.polygons)).toEqual(known);
  });

  test("is the cell alone at no distance, and says where it was not looked at farther", () => {
    const none = grownArea({ grid, levels }, 0);
    expect([none.cells, none.isCut]).toEqual([1, false]);
    expect(cellsIn(none.polygons)).toEqual([first]);
    expect(grownArea({ grid, levels }, MOST_DISTANCE).isCut).toBe(true);
  });

  test("does not go where a band has no number, nor from there", () => {
    const wall = bands.map((band) =>
      band.map((value, cell) => (cell % size.width === 20 ? NaN : value)),
    );
    const beyond = growLevels(wall, size, first).filter(
      (level, cell) => cell % size.width >= 20 && level < 255,
    );
    expect(beyond).toHaveLength(0);
    const nothing = growLevels(wall, size, 12 * size.width + 20);
    expect(nothing.every((level) => level === 255)).toBe(true);
  });

  test("grows over all where every cell is alike", () => {
    const flat = new Float32Array(count).fill(7);
    expect(grownArea({ grid, levels: growLevels([flat], size, 0) }, 0).cells).toBe(count);
  });
});

test("an area holds cells where it covers the centre of one", () => {
  const [part] = cellArea(grid, [512_345, 5_233_335])!;
  const sliver = part!.map((ring) => ring.map(([x, y]): [number, number] => [x, y + 5e-5]));
  expect(hasCells([part!], grid)).toBe(true);
  expect(hasCells([sliver], grid)).toBe(false);
});

test("one cell as an area holds that cell alone; outside there is none", () => {
  const area = cellArea(grid, [512_340 + 10 * 3 + 1, 5_233_340 - 10 * 5 - 9]);
  expect(cellsIn(area!)).toEqual([5 * size.width + 3]);
  expect(cellArea(grid, [512_339, 5_233_300])).toBeNull();
});
