import { fullWindow, toMap } from "../grid/grid";
import { cellAreas } from "../grid/area";
import { slopeDegrees } from "../raster/slope";
import { halveMean, halveMode } from "../raster/pyramid";
import { Tally } from "../tally/tally";
import { lcg, testGrid } from "../testing/support";
import { rasterise } from "../vector/rasterise";

describe("small kernels", () => {
  test("slope of a tilted plane", () => {
    const w = 12;
    const h = 9;
    const src = Float32Array.from(
      { length: w * h },
      (_v, i) => (i % w) * 2 + Math.floor(i / w) * 3,
    );
    const out = new Float32Array(70);
    slopeDegrees(src, 10, 7, 20, 20, out);
    const expected = (Math.atan(Math.hypot(2 / 20, 3 / 20)) * 180) / Math.PI;
    out.forEach((value) => expect(value).toBeCloseTo(expected, 4));
  });
  test("halving keeps means, odd edges and gaps", () => {
    const out = new Float32Array(4);
    halveMean(Float32Array.from([1, 3, NaN, 5, 7, 9, NaN, NaN, 8]), 3, 3, out);
    expect([out[0], out[1], out[2], out[3]]).toEqual([4, 9, NaN, 8]);
    const m = new Uint8Array(4);
    halveMode(Uint8Array.from([1, 2, 255, 2, 1, 3, 255, 255, 4]), 3, 3, m);
    expect([...m]).toEqual([1, 3, 255, 4]);
  });
  test("rasterising agrees with an even–odd test of every centre", () => {
    const grid = testGrid(60, 50);
    const poly: [number, number][] = [
      [3.2, 2],
      [40, 7.7],
      [57, 30],
      [30, 25],
      [22, 48.4],
      [9, 44],
      [3.2, 2],
    ];
    const hole: [number, number][] = [
      [15, 15],
      [25, 15],
      [25, 22],
      [15, 15],
    ];
    const map = (r: [number, number][]) => r.map(([c, next]) => toMap(grid, c, next));
    const out = new Uint8Array(3000);
    rasterise([[map(poly), map(hole)]], grid, fullWindow(grid), 1, out);
    out.forEach((value, i) => {
      const x = (i % 60) + 0.5;
      const y = Math.floor(i / 60) + 0.5;
      let inside = false;
      for (const r of [poly, hole]) {
        for (let k = 0; k + 1 < r.length; k++) {
          const [x0, y0] = r[k]!;
          const [x1, y1] = r[k + 1]!;
          if (y0 > y !== y1 > y && x < x0 + ((y - y0) / (y1 - y0)) * (x1 - x0)) {
            inside = !inside;
          }
        }
      }
      expect([i, value === 1]).toEqual([i, inside]);
    });
  });
  test("a tally by zone equals cell-by-cell sums, and merges", () => {
    const grid = testGrid(70, 20);
    const areas = cellAreas(grid);
    const random = lcg(9);
    const labels = Uint8Array.from(
      { length: 1400 },
      () => [0, 0, 0, 1, 1, 2, 255][Math.floor(random() * 7)]!,
    );
    const zones = Uint8Array.from({ length: 1400 }, (_v, i) => (i % 70 > 33 ? 1 : 2));
    const tally = new Tally(3);
    const parts = [new Tally(3), new Tally(3)];
    tally.add(labels, zones, fullWindow(grid), areas);
    parts[0]!.add(
      labels.slice(0, 700),
      zones.slice(0, 700),
      { col: 0, row: 0, width: 70, height: 10 },
      areas,
    );
    parts[1]!.add(
      labels.slice(700),
      zones.slice(700),
      { col: 0, row: 10, width: 70, height: 10 },
      areas,
    );
    const joined = Tally.from(structuredClone(parts[0]!.toJSON()));
    joined.merge(parts[1]!.toJSON());
    for (const z of [1, 2]) {
      for (const value of [0, 1, 2, 255]) {
        let n = 0;
        let a = 0;
        labels.forEach((x, i) => {
          if (x === value && zones[i] === z) {
            n++;
            a += areas.cell(i % 70, Math.floor(i / 70));
          }
        });
        for (const one of [tally, joined]) {
          expect(one.of(value, z).cells).toBe(n);
          expect(one.of(value, z).areaM2 / a - 1).toBeCloseTo(0, 10);
        }
      }
    }
    expect(tally.total(1).cells).toBe(tally.of(1, 1).cells + tally.of(1, 2).cells);
  });
});
