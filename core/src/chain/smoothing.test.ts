import { type NodeSpec, node, sourceNode } from "../graph/node";
import { beforeMeans, meanCells, smoothingWarnings } from "./smoothing";

const first = sourceNode("a");
const second = sourceNode("b");
const third = sourceNode("c");

test("a wide mean blurs banks, a narrow one and filters that keep edges do not", () => {
  expect(smoothingWarnings(node("radar.mean", { windowCells: 5 }, first))).toEqual([
    expect.stringMatching(/mean of 5 × 5 cells/),
  ]);
  expect(smoothingWarnings(node("radar.mean", { windowCells: 3 }, first))).toEqual([]);
  expect(smoothingWarnings(node("radar.lee", { windowCells: 7, looks: 4 }, first))).toEqual([]);
});

test("two dates alone lend each other their banks; three do not", () => {
  const params = { index: 0, windowCells: 7 };
  const two = node("radar.decibel", {}, node("radar.acrossDates", params, first, second));
  expect(smoothingWarnings(two)).toEqual([expect.stringMatching(/two dates only/)]);
  expect(smoothingWarnings(node("radar.acrossDates", params, first, second, third))).toEqual([]);
});

test("an image before its means is made of the same steps without them, wherever they stand", () => {
  const chain = (side: NodeSpec) => node("radar.decibel", {}, node("radar.flatten", {}, side));
  const mean = (windowCells: number, of: NodeSpec) => node("radar.mean", { windowCells }, of);
  const both = node("bands.join", {}, chain(mean(5, first)), mean(3, second));
  expect(meanCells(both)).toBe(5);
  expect(beforeMeans(both)).toEqual(node("bands.join", {}, chain(first), second));
  const plain = chain(node("radar.lee", { windowCells: 7, looks: 4 }, first));
  expect(meanCells(plain)).toBeNull();
  expect(beforeMeans(plain)).toEqual(plain);
});
