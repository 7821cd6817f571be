import { drainageHeight } from "./drainage";

const run = (rows: number[][], least: number) => {
  const z = Float64Array.from(rows.flat());
  const out = new Float64Array(z.length);
  drainageHeight(z, rows[0]!.length, rows.length, least, out);
  return { out, at: (c: number, r: number) => out[r * rows[0]!.length + c] };
};

describe("height of the drainage", () => {
  // A valley that falls to the south: z = 10·|c − 4| + (8 − r); all water of a row goes to its
  // middle and then down it.
  const valley = Array.from({ length: 9 }, (_r, r) =>
    Array.from({ length: 9 }, (_c, c) => 10 * Math.abs(c - 4) + (8 - r)),
  );
  test("in a straight valley the channel is the middle, from where enough cells have come together", () => {
    const { at } = run(valley, 15);
    // Slopes are steepest straight or slantwise to the middle; its cells below the second row drain
    // 15 cells and more.
    for (let r = 3; r < 9; r++) {
      expect(at(4, r)).toBe(8 - r);
    }
    // A cell on the side drains into the middle one row further down at the most, for steps are
    // slantwise.
    for (let r = 2; r < 8; r++) {
      for (const c of [3, 5]) {
        expect(at(c, r)).toBe(8 - Math.min(8, r + 1));
      }
    }
  });
  test("a hollow is filled and drains over its lowest rim", () => {
    const rows = Array.from({ length: 7 }, () => new Array<number>(7).fill(10));
    rows[3]![3] = 2;
    rows[3]![2] = 3;
    rows[3]![5] = 9;
    rows[3]![6] = 5;
    rows[3]![4] = 9.5;
    const { at } = run(rows, 3);
    // The water of the hollow leaves to the east, over 9.5 and 9, to the outlet at 5.
    expect(at(6, 3)).toBe(5);
    expect(at(2, 3)).toBeGreaterThanOrEqual(2);
    expect([at(3, 3), at(2, 3)].every((value) => value! <= 9.5)).toBe(true);
  });
  test("with no channel anywhere the outlet stands for it; what lies beside nodata still runs down where it can", () => {
    const slope = Array.from({ length: 6 }, (_r, r) => Array.from({ length: 5 }, () => 50 - 5 * r));
    const { out, at } = run(slope, 1e6);
    // Edge cells are their own outlet or run down the edge; all end at the lowest row.
    expect(at(2, 2)).toBe(25);
    slope[3]![2] = NaN;
    expect(run(slope, 1e6).at(2, 3)).toBeNaN();
    expect(run(slope, 1e6).at(2, 2)).toBe(25);
    expect([...out].every(Number.isFinite)).toBe(true);
  });
  test("against a slow search: every cell reaches its drainage without climbing above the filled ground", () => {
    const random = (() => {
      let s = 7;
      return () => (s = (s * 16807) % 2147483647) / 2147483647;
    })();
    const width = 23;
    const height = 17;
    const rows = Array.from({ length: height }, (_r, r) =>
      Array.from(
        { length: width },
        (_c, c) => 20 * Math.sin(c / 4) + 15 * Math.cos(r / 3) + 3 * random(),
      ),
    );
    const { out } = run(rows, 12);
    const z = rows.flat();
    // Lowest level to which water must rise from a cell to get out, by relaxing over and over.
    const fill = z.map((value, i) =>
      i % width === 0 || i % width === width - 1 || i < width || i >= width * (height - 1)
        ? value
        : Infinity,
    );
    for (let moved = true; moved;) {
      moved = false;
      for (let i = 0; i < z.length; i++) {
        for (const delta of [-width - 1, -width, -width + 1, -1, 1, width - 1, width, width + 1]) {
          const j = i + delta;
          if (j < 0 || j >= z.length || Math.abs((j % width) - (i % width)) > 1) {
            continue;
          }
          const value = Math.max(z[i]!, fill[j]!);
          if (value < fill[i]!) {
            fill[i] = value;
            moved = true;
          }
        }
      }
    }
    z.forEach((_v, i) => expect(out[i]!).toBeLessThanOrEqual(fill[i]! + 1e-9));
    // Some ground lies well above its water, and water itself lies at nought.
    expect(z.filter((value, i) => value - out[i]! > 5).length).toBeGreaterThan(20);
    expect(z.filter((value, i) => value === out[i]).length).toBeGreaterThan(12);
  });
});
