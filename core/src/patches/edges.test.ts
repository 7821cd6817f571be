import { edgeCells } from "./edges";

test("a cell is at the edge where one beside it is another, corners aside", () => {
  const labels = [
    [1, 1, 1, 1, 1, 1],
    [1, 1, 1, 1, 1, 1],
    [1, 1, 1, 1, 0, 1],
    [1, 1, 1, 1, 1, 1],
    [1, 1, 1, 1, 1, 255],
  ];
  expect([...edgeCells(Uint8Array.from(labels.flat()), 6)]).toEqual([
    ...[0, 0, 0, 1],
    ...[0, 0, 1, 1],
    ...[0, 0, 0, 1],
  ]);
});
