import type { MultiPolygon, Polygon, Position } from "./polygons";
import { splitByLine } from "./split";

const box = (x: number, y: number, size: number): Polygon => [
  [
    [x, y],
    [x + size, y],
    [x + size, y + size],
    [x, y + size],
    [x, y],
  ],
];

/** Area by the shoelace, holes taken away. */
function areaOf(polygons: MultiPolygon): number {
  const ring = (places: readonly Position[]) =>
    Math.abs(
      places.reduce((sum, [x, y], k) => {
        const [nx, ny] = places[(k + 1) % places.length]!;
        return sum + x * ny - nx * y;
      }, 0) / 2,
    );
  return polygons.reduce(
    (sum, [shell, ...holes]) =>
      sum + ring(shell!) - holes.reduce((inside, hole) => inside + ring(hole), 0),
    0,
  );
}

describe("polygons cut along a line", () => {
  test("fall into the parts on either side of it", () => {
    const parts = splitByLine(
      [box(-21, -43, 0.4)],
      [
        [-20.9, -43.5],
        [-20.9, -42],
      ],
    )!;
    expect(parts.map(areaOf).sort()).toEqual([
      expect.closeTo(0.1 * 0.4, 8),
      expect.closeTo(0.3 * 0.4, 8),
    ]);
  });

  test("a bent line cuts along its bends; its ends lie outside", () => {
    // From the left side to the middle and down again: a quarter is cut out.
    const parts = splitByLine(
      [box(0, 0, 2)],
      [
        [-1, 1],
        [1, 1],
        [1, -1],
      ],
    )!;
    expect(parts.map(areaOf).sort()).toEqual([expect.closeTo(1, 7), expect.closeTo(3, 7)]);
  });

  test("what a line does not cross from side to side stays whole", () => {
    const square = [box(0, 0, 2)];
    const line = (...places: Position[]) => splitByLine(square, places);
    expect(line([-1, 1], [1, 1])).toBeNull();
    expect(line([-1, 3], [4, 3])).toBeNull();
    expect(line([1, 1], [1, 1])).toBeNull();
    expect(line([1, 1])).toBeNull();
  });

  test("a hole is kept, and polygons beside the line stay with the first part", () => {
    const holed: Polygon = [...box(0, 0, 6), ...box(2, 2, 1)];
    const parts = splitByLine(
      [box(10, 10, 1), holed],
      [
        [5, -1],
        [5, 7],
      ],
    )!;
    expect(parts).toHaveLength(2);
    expect(parts[0]).toHaveLength(2);
    expect(areaOf(parts[0]!) + areaOf(parts[1]!)).toBeCloseTo(1 + 36 - 1, 6);
    expect(parts.map(areaOf)).toContainEqual(expect.closeTo(6, 6));
  });
});
