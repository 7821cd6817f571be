import { type Box, boxOf, joinedBox } from "./box";
import { alongHilbert, packTree } from "./packedTree";

test("the curve goes through every cell of its square, each beside the one before", () => {
  const side = 32;
  // The corner of a curve of the 16th order is a whole curve of a lower one.
  const places = Array.from({ length: side * side }, (_v, k) => [k % side, Math.floor(k / side)]);
  const along = places.map(([x, y]) => alongHilbert(x!, y!));
  expect([...along].sort((one, other) => one - other)).toEqual([...places.keys()]);
  const inOrder = places.toSorted((one, other) => {
    const [first, second] = [one, other].map(([x, y]) => alongHilbert(x!, y!));
    return first! - second!;
  });
  inOrder.slice(1).forEach(([x, y], k) => {
    expect(Math.abs(x! - inOrder[k]![0]!) + Math.abs(y! - inOrder[k]![1]!)).toBe(1);
  });
  expect(alongHilbert(65_535, 0)).toBe(2 ** 32 - 1);
});

const boxes: Box[] = Array.from({ length: 300 }, (_v, k) => {
  const [x, y] = [(k * 37) % 101, (k * 53) % 67];
  return [x, y, x + 1 + (k % 3), y + 2];
});

test.each([1, 16, 17, 256, 300])("every box of %i lies within those above it", (count) => {
  const { order, levels } = packTree(boxes.slice(0, count), 16);
  expect([...order].sort((one, other) => one - other)).toEqual([...Array(count).keys()]);
  expect(levels[0]).toEqual(Array.from(order, (item) => boxes[item]));
  expect(levels.at(-1)).toHaveLength(1);
  expect(levels.length).toBeGreaterThan(1);
  for (const [k, level] of levels.slice(1).entries()) {
    expect(level).toHaveLength(Math.ceil(levels[k]!.length / 16));
    levels[k]!.forEach((box, j) => {
      const over = level[Math.floor(j / 16)]!;
      expect(joinedBox(over, box)).toEqual(over);
    });
  }
});

test("boxes of one place are in the order in which they came", () => {
  const { order } = packTree([boxes[0]!, boxes[0]!, boxes[0]!], 16);
  expect([...order]).toEqual([0, 1, 2]);
});

test("the box of positions holds them, that of none holds nothing", () => {
  expect(
    boxOf([
      [3, -1],
      [2, 5],
    ]),
  ).toEqual([2, -1, 3, 5]);
  expect(boxOf([])).toEqual([Infinity, Infinity, -Infinity, -Infinity]);
});
