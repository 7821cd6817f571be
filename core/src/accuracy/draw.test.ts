import { CLASS_NODATA } from "../raster/block";
import { runsOf } from "../patches/runs";
import { type SampleDesign, drawPlaces, someOf, strataOf, withNear } from "./draw";

const WIDTH = 40;
const HEIGHT = 30;
/** Class 1 in a square, class 2 in a corner, no date in the last two columns. */
const labels = Uint8Array.from({ length: WIDTH * HEIGHT }, (_v, i) => {
  const [row, col] = [Math.floor(i / WIDTH), i % WIDTH];
  if (col >= WIDTH - 2) {
    return CLASS_NODATA;
  }
  if (row >= 10 && row < 14 && col >= 10 && col < 15) {
    return 1;
  }
  return row < 2 && col < 2 ? 2 : 0;
});
const runs = runsOf(labels, WIDTH, HEIGHT);
const NEAR = 3;
const near = withNear(runs, 2, NEAR);
const areas = { cell: () => 4, run: (_row: number, from: number, to: number) => 4 * (to - from) };
const strata = strataOf(near, areas, NEAR);
const map = { runs: near, strata };

/** What a cell's stratum is, looked at in every cell around it. */
function stratumAt(row: number, col: number): number {
  const own = labels[row * WIDTH + col]!;
  if (own !== 0) {
    return own;
  }
  for (let r = row - 2; r <= row + 2; r++) {
    for (let c = col - 2; c <= col + 2; c++) {
      const isIn = r >= 0 && c >= 0 && r < HEIGHT && c < WIDTH;
      const label = isIn ? labels[r * WIDTH + c]! : 0;
      if (label === 1 || label === 2) {
        return NEAR;
      }
    }
  }
  return 0;
}

describe("strata", () => {
  test("ground near change is what lies within so many cells of it, and nodata is none", () => {
    const cells = new Map<number, number>();
    for (let i = 0; i < labels.length; i++) {
      const id = stratumAt(Math.floor(i / WIDTH), i % WIDTH);
      cells.set(id, (cells.get(id) ?? 0) + 1);
    }
    cells.delete(CLASS_NODATA);
    expect(strata.map(({ id, cells: count }) => [id, count])).toEqual(
      [...cells].sort((a, b) => a[0] - b[0]),
    );
    expect(strata.map(({ areaM2, cells: count }) => areaM2 / count)).toEqual([4, 4, 4, 4]);
    expect(strata.find(({ id }) => id === NEAR)!.label).toBe(0);
  });
});

describe("places", () => {
  const design: SampleDesign = {
    ...{ drawing: "stratified", seed: 5, count: 0 },
    units: { 0: 60, 1: 8, 2: 4, [NEAR]: 20 },
  };
  test("of a stratified sample lie in their strata, each once, as many as asked for", () => {
    const places = drawPlaces(map, design);
    expect(places).toHaveLength(92);
    expect(new Set(places.map(({ row, col }) => row * WIDTH + col)).size).toBe(92);
    for (const { row, col, stratum, label } of places) {
      expect(stratumAt(row, col)).toBe(stratum);
      expect(label).toBe(labels[row * WIDTH + col]);
    }
    // They are not in the order of the map.
    const rows = places.map(({ row }) => row);
    expect(rows).not.toEqual([...rows].sort((a, b) => a - b));
  });
  test("are the same for the same seed, and others for another", () => {
    expect(drawPlaces(map, design)).toEqual(drawPlaces(map, design));
    expect(drawPlaces(map, { ...design, seed: 6 })).not.toEqual(drawPlaces(map, design));
  });
  test("of a simple sample are every cell as likely as any other", () => {
    const hits = new Map<number, number>();
    const rounds = 400;
    for (let seed = 1; seed <= rounds; seed++) {
      const places = drawPlaces(map, { ...design, drawing: "simple", seed, count: 57 });
      expect(places).toHaveLength(57);
      for (const { stratum } of places) {
        hits.set(stratum, (hits.get(stratum) ?? 0) + 1);
      }
    }
    const all = strata.reduce((sum, { cells }) => sum + cells, 0);
    for (const { id, cells } of strata) {
      const share = cells / all;
      const mean = rounds * 57 * share;
      const spread = Math.sqrt(rounds * 57 * share * (1 - share));
      expect(Math.abs((hits.get(id) ?? 0) - mean)).toBeLessThan(4 * spread);
    }
  });
  test("of a systematic sample stand on a lattice, about as many as asked for", () => {
    const places = drawPlaces(map, { ...design, drawing: "systematic", count: 120 });
    expect(Math.abs(places.length - 120)).toBeLessThan(25);
    const rows = [...new Set(places.map(({ row }) => row))].sort((a, b) => a - b);
    const gaps = rows.slice(1).map((row, k) => row - rows[k]!);
    expect(Math.max(...gaps) - Math.min(...gaps)).toBeLessThanOrEqual(1);
    expect(places.every(({ col }) => col < WIDTH - 2)).toBe(true);
  });
  test("more than a stratum has, or none at all, are refused", () => {
    expect(() => drawPlaces(map, { ...design, units: { 2: 5 } })).toThrow(/4 cells; 5 places/);
    expect(() => drawPlaces(map, { ...design, units: {} })).toThrow(/No place/);
  });
  test("some of a number are different and ascend", () => {
    const some = someOf(10, 10, () => 0.999);
    expect(some).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8, 9]);
    expect(someOf(5, 0, () => 0)).toEqual([]);
  });
});
