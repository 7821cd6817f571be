import { runsOf } from "../patches/runs";
import { CLASS_NODATA } from "../raster/block";
import { normalFrom } from "../testing/normal";
import { bodyCells, waterBodies } from "./bodies";
import { robustLevel, robustPlane } from "./plane";
import { SHORE_REACH, shorePoints } from "./shore";
import { levelAt, waterSurfaces } from "./surface";

const CELL_M = 20;
const WIDTH = 260;
const HEIGHT = 200;
const NEW = 1;
const OLD = 2;

/** Height of the water: it falls by 1.5 m over a kilometre to the east. */
const levelOf = (col: number): number => 30 - 0.0015 * CELL_M * col;
/** A valley that rises to the north and to the south by 1 in 100, with a channel in its middle. */
function groundAt(i: number): number {
  const [row, col] = [Math.floor(i / WIDTH), i % WIDTH];
  const aside = Math.abs(row + 0.5 - HEIGHT / 2);
  const bank = levelOf(col + 0.5) - 0.6 + 0.01 * CELL_M * Math.max(0, aside - 4);
  return aside < 3 ? bank - 4 : bank;
}
const elevation = Float32Array.from({ length: WIDTH * HEIGHT }, (_v, i) => groundAt(i));
const labels = Uint8Array.from(elevation, (ground, i) => {
  const [row, col] = [Math.floor(i / WIDTH), i % WIDTH];
  if (col >= WIDTH - 4) {
    return CLASS_NODATA;
  }
  if (Math.abs(row + 0.5 - HEIGHT / 2) < 3) {
    return OLD;
  }
  // Plants that stand in the water: bright, and mapped as dry.
  const isPlants = row > 94 && row < 97 && col > 60 && col < 75;
  return ground < levelOf(col + 0.5) && !isPlants ? NEW : 0;
});
const bodies = waterBodies(runsOf(labels, WIDTH, HEIGHT), new Set([NEW, OLD]));
const window = {
  ...{ col: SHORE_REACH, row: SHORE_REACH },
  ...{ width: WIDTH - 2 * SHORE_REACH, height: HEIGHT - 2 * SHORE_REACH },
};
const whole = { col: 0, row: 0, width: WIDTH, height: HEIGHT };
const pointsOn = (heights: Float32Array) =>
  shorePoints(
    {
      ...{ window, elevation: heights, cells: bodyCells(bodies, whole) },
      flooded: labels.map((label) => (label === NEW ? 1 : 0)),
    },
    bodies,
    CELL_M,
  );

describe("bodies of water", () => {
  test("old and new water are one where they meet; nodata is neither", () => {
    const { part, wet } = bodyCells(bodies, whole);
    const isWater = (i: number) => labels[i] === NEW || labels[i] === OLD;
    labels.forEach((label, i) => {
      expect([part[i]! >= 0, wet[i] === 1]).toEqual([label !== CLASS_NODATA, isWater(i)]);
    });
    expect(new Set(part.filter((_id, i) => isWater(i))).size).toBe(1);
  });
});

describe("shores", () => {
  const points = pointsOn(elevation);
  test("lie where new water meets the valley's sides, at the height of the water", () => {
    expect(points.length).toBeGreaterThan(300);
    for (const { col, row, height } of points) {
      // Half the rise of a cell is what both cells' mean can be off.
      expect(Math.abs(height - levelOf(col))).toBeLessThan(0.5 * 0.01 * CELL_M + 0.03);
      expect(Math.abs(row - HEIGHT / 2)).toBeGreaterThan(5);
    }
  });
  test("plants amid the water, and the banks of old water, are none", () => {
    const amid = points.filter(({ row, col }) => row > 93 && row < 98 && col > 58 && col < 77);
    expect(amid).toEqual([]);
  });
});

describe("the surface of the water", () => {
  test("falls as it does, within centimetres; between nodes and beyond them", () => {
    const [surface, ...others] = waterSurfaces(pointsOn(elevation), CELL_M);
    expect(others).toEqual([]);
    for (const col of [10.5, 60.5, 130.5, 200.5, 245.5]) {
      const { level, spread } = levelAt(surface!, col, HEIGHT / 2);
      expect(Math.abs(level - levelOf(col))).toBeLessThan(0.06);
      expect(spread).toBeLessThan(0.2);
    }
  });
  test("an elevation that is off by half a metre moves it by a fraction of that, and is told as spread", () => {
    const normal = normalFrom(4);
    const noisy = elevation.map((height) => height + 0.5 * normal());
    const [surface] = waterSurfaces(pointsOn(noisy), CELL_M);
    const off = [40.5, 100.5, 160.5, 220.5].map((col) => {
      const { level, spread } = levelAt(surface!, col, HEIGHT / 2);
      expect(spread).toBeGreaterThan(0.15);
      return Math.abs(level - levelOf(col));
    });
    expect(Math.max(...off)).toBeLessThan(0.3);
  });
  test("of a body with few shore points it is their median; with hardly any there is none", () => {
    const some = [10, 10.2, 10.1, 10.1, 3, 10.3].map((height, k) => ({
      ...{ body: 7, col: k, row: 0, height },
    }));
    const [surface] = waterSurfaces(some, CELL_M);
    expect(levelAt(surface!, 500, 500).level).toBeCloseTo(10.1, 9);
    expect(waterSurfaces(some.slice(0, 4), CELL_M)).toEqual([]);
  });
});

describe("planes through heights of which many are wrong", () => {
  test("two fifths that lie far below leave it where it is", () => {
    const normal = normalFrom(2);
    const count = 200;
    const place = (k: number, step: number) => ((k * step) % 97) - 48;
    const col = Float64Array.from({ length: count }, (_v, k) => place(k, 31));
    const row = Float64Array.from({ length: count }, (_v, k) => place(k, 57));
    const height = col.map((x, k) => {
      const plane = 12 + 0.02 * x - 0.01 * row[k]!;
      return k % 5 < 2 ? plane - 1.5 - (k % 7) * 0.2 : plane + 0.02 * normal();
    });
    const plane = robustPlane({ col, row, height }, 0.2)!;
    expect(Math.abs(plane.height - 12)).toBeLessThan(0.02);
    expect(Math.abs(plane.slope[0] - 0.02)).toBeLessThan(0.001);
    expect(Math.abs(plane.slope[1] + 0.01)).toBeLessThan(0.001);
    expect(plane.share).toBeGreaterThan(0.5);
    expect(plane.share).toBeLessThanOrEqual(0.6);
  });
  test("along a straight shore the water is level, however ragged; a plane too steep is none", () => {
    const normal = normalFrom(6);
    const along = Float64Array.from({ length: 60 }, (_v, k) => k - 30);
    const line = new Float64Array(60);
    const flat = robustPlane({ col: line, row: along, height: along.map(() => 7) }, 0.08)!;
    expect(flat.height).toBeCloseTo(7, 9);
    const ragged = line.map(() => Math.round(normal()));
    const noisy = along.map(() => 7 + 0.1 * normal());
    const plane = robustPlane({ col: ragged, row: along, height: noisy }, 0.08)!;
    // Twenty-five cells, half a kilometre, across.
    expect(Math.abs(plane.height + 25 * plane.slope[0] - 7)).toBeLessThan(0.5);
    const steep = {
      col: Float64Array.of(0, 10, 0, 10),
      row: Float64Array.of(0, 0, 10, 10),
      height: Float64Array.of(0, 30, 0, 30),
    };
    expect(Math.abs(robustPlane(steep, 0.1)!.slope[0])).toBeLessThan(3);
    expect(robustPlane(steep, 50)!.slope[0]).toBeCloseTo(3, 1);
    expect(robustPlane({ col: along, row: along, height: Float64Array.of(1, 2) }, 1)).toBeNull();
  });
  test("a level is a median", () => {
    expect(robustLevel(Float64Array.of(3, 1, 2)).height).toBe(2);
    expect(robustLevel(Float64Array.of(4, 4, 4, 4)).spread).toBe(0.01);
  });
});
