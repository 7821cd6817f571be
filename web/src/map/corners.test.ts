import { type Rings, cornerAmid, movedCorner, nextCorner, placeOf, withoutCorner } from "./corners";

// A square with a triangular hole, and a triangle: four, three and three corners.
const SHAPE: Rings = [
  [
    [
      [0, 0],
      [0, 10],
      [10, 10],
      [10, 0],
      [0, 0],
    ],
    [
      [2, 2],
      [4, 2],
      [2, 4],
      [2, 2],
    ],
  ],
  [
    [
      [20, 0],
      [20, 10],
      [30, 0],
      [20, 0],
    ],
  ],
];
const isClosed = (shape: Rings) =>
  shape.flat().every((ring) => String(ring[0]) === String(ring.at(-1)));

test("corners are counted over all rings, round and round", () => {
  expect(nextCorner(SHAPE, null, 1)).toBe(0);
  expect(nextCorner(SHAPE, null, -1)).toBe(9);
  expect(nextCorner(SHAPE, 9, 1)).toBe(0);
  expect(nextCorner(SHAPE, 0, -1)).toBe(9);
  expect([0, 4, 9, 10].map((corner) => placeOf(SHAPE, corner))).toEqual([
    [0, 0],
    [2, 2],
    [30, 0],
    null,
  ]);
});

test("a corner that is moved, also the one that closes its ring", () => {
  const moved = movedCorner(SHAPE, 0, [-1, 2]);
  expect(placeOf(moved, 0)).toEqual([-1, 2]);
  expect(isClosed(moved)).toBe(true);
  expect(moved[1]).toEqual(SHAPE[1]);
  expect(movedCorner(SHAPE, 99, [1, 1])).toEqual(SHAPE);
});

test("a corner more lies amid the side that follows, round the end of the ring too", () => {
  expect(placeOf(cornerAmid(SHAPE, 3)!, 4)).toEqual([5, 0]);
  expect(placeOf(cornerAmid(SHAPE, 4)!, 5)).toEqual([3, 2]);
  expect(isClosed(cornerAmid(SHAPE, 3)!)).toBe(true);
  expect(cornerAmid(SHAPE, 10)).toBeNull();
});

test("a corner less, but three at least stay in a ring", () => {
  const less = withoutCorner(SHAPE, 0)!;
  expect(less[0]![0]).toEqual([
    [0, 10],
    [10, 10],
    [10, 0],
    [0, 10],
  ]);
  expect(withoutCorner(SHAPE, 5)).toBeNull();
  expect(withoutCorner(SHAPE, 10)).toBeNull();
});
