import { type NodeSpec, node, sourceNode } from "../graph/node";
import { blursIn, sharpened, smoothingWarnings } from "./smoothing";

const first = sourceNode("a");
const second = sourceNode("b");
const third = sourceNode("c");
const mean = (windowCells: number, of: NodeSpec) => node("radar.mean", { windowCells }, of);
const across = (index: number, ...dates: NodeSpec[]) =>
  node("radar.acrossDates", { index, windowCells: 7 }, ...dates);

test("a mean and a median blur banks; filters that keep edges do not", () => {
  expect(smoothingWarnings(mean(5, first))).toEqual([
    expect.stringMatching(/takes the mean of 5 × 5 cells: banks are blurred/),
  ]);
  expect(smoothingWarnings(node("radar.median", { windowCells: 7 }, first))).toEqual([
    expect.stringMatching(/takes the median of 7 × 7 cells/),
  ]);
  expect(smoothingWarnings(node("radar.lee", { windowCells: 7, looks: 4 }, first))).toEqual([]);
});

test("two dates alone lend each other their banks; three do not", () => {
  const two = node("radar.decibel", {}, across(0, first, second));
  expect(smoothingWarnings(two)).toEqual([expect.stringMatching(/two dates only/)]);
  expect(smoothingWarnings(across(0, first, second, third))).toEqual([]);
});

test("what blurs banks is told once, with the row that does it", () => {
  expect(blursIn(across(1, mean(5, first), mean(5, second)))).toEqual([
    { row: "speckle", said: "mean of 5 × 5 cells" },
    { row: "acrossDates", said: "across two dates" },
  ]);
});

test("a sharpened image is made of the same steps without what blurs, wherever it stands", () => {
  const chain = (side: NodeSpec) => node("radar.decibel", {}, node("radar.flatten", {}, side));
  const both = node("bands.join", {}, chain(mean(5, first)), mean(3, second));
  expect(sharpened(both)).toEqual(node("bands.join", {}, chain(first), second));
  const dates = [mean(5, first), mean(5, second)] as const;
  expect(sharpened(across(1, ...dates))).toEqual(second);
  const three = [first, second, third] as const;
  expect(sharpened(across(1, ...three))).toEqual(across(1, ...three));
});
