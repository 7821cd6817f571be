import { RunSums, patchMeans } from "./facts";
import { labelRuns } from "./label";
import { numbersOf } from "./overlap";
import { RunsBuilder } from "./runs";

const WIDTH = 8;
// Two classes; the patch of class 1 on the left was parted by hand, one of class 2 has two parts.
const LABELS = [
  [1, 1, 1, 1, 0, 2, 2, 0],
  [1, 1, 1, 1, 0, 0, 0, 0],
  [0, 0, 0, 0, 1, 0, 2, 2],
];
const NUMBERS = [
  [9, 9, 5, 5, 0, 7, 7, 0],
  [9, 9, 5, 5, 0, 0, 0, 0],
  [0, 0, 0, 0, 0, 0, 7, 7],
];

const numbered = () => {
  const builder = new RunsBuilder(WIDTH, LABELS.length);
  LABELS.forEach((row, r) => builder.addRow(Uint8Array.from(row), Uint32Array.from(NUMBERS[r]!)));
  return builder.finish();
};

test("runs of a number are one patch and join no other", () => {
  const runs = numbered();
  const labelling = labelRuns(runs, 8);
  const patchAt = (row: number, start: number) => {
    const run = [...runs.starts].findIndex(
      (at, k) => at === start && k >= runs.rows[row]! && k < runs.rows[row + 1]!,
    );
    return labelling.patchOfRun[run]!;
  };
  expect(patchAt(0, 0)).toBe(patchAt(1, 0));
  expect(patchAt(0, 0)).not.toBe(patchAt(0, 2));
  // Corner to corner with number 5, but nobody gave it that outline.
  expect(patchAt(2, 4)).not.toBe(patchAt(1, 2));
  expect(patchAt(0, 5)).toBe(patchAt(2, 6));
  const sizes = [patchAt(0, 0), patchAt(0, 2), patchAt(0, 5), patchAt(2, 4)];
  expect(sizes.map((id) => labelling.sizes[id])).toEqual([4, 4, 4, 1]);
  expect(sizes.map((id) => numbersOf({ runs, labelling })[id])).toEqual([1, 2, 3, 4]);
});

test("means are taken over the runs of numbers", () => {
  const runs = numbered();
  const sums = new RunSums();
  LABELS.forEach((row, r) =>
    sums.addRow(
      Uint8Array.from(row),
      [Float32Array.from(row, (_label, c) => 10 * r + c)],
      Uint32Array.from(NUMBERS[r]!),
    ),
  );
  const means = patchMeans(runs, labelRuns(runs, 8), sums.finish(), 1);
  expect([...means]).toEqual([
    (0 + 1 + 10 + 11) / 4,
    (2 + 3 + 12 + 13) / 4,
    (5 + 6 + 26 + 27) / 4,
    24,
  ]);
});
