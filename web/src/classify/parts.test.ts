import { EMPTY_CLASSIFY } from "@hindglance/core/classify/settings";
import { firstUnsupervised } from "@hindglance/core/classify/unsupervised";
import { areasOf, canTrain, mergedInto, withChanged, withoutAreas, withoutClass } from "./changes";
import { ellipseOf } from "./Scatter";
import { newClass, withAreas, withClass } from "@hindglance/core/classify/legend";

const square: [number, number][][] = [
  [
    [-21, -43],
    [-20.9, -43],
    [-20.9, -43.1],
    [-21, -43],
  ],
];
const area = (label: number, sceneId: string | null = null) => ({
  ...{ label, sceneId, polygons: [square] },
});
const two = [newClass([], "Water"), newClass([newClass([], "Water")], "Wood")].reduce(
  (settings, one) => withClass(one)(settings),
  EMPTY_CLASSIFY,
);

describe("a legend", () => {
  test("gives a new class a number, a name and a colour that no other has", () => {
    const third = newClass(two.legend);
    expect(third.label).toBe(3);
    expect(third.name).toBe("Class 3");
    expect(two.legend.map(({ color }) => color)).not.toContain(third.color);
    // A number that was given back is taken again.
    expect(newClass(withoutClass(1)(two).legend).label).toBe(1);
  });
  test("loses the areas of a class with it, and keeps those of the others", () => {
    const settings = withAreas({ a: area(1), b: area(2) })(two);
    expect(Object.keys(withoutClass(1)(settings).areas)).toEqual(["b"]);
    expect(Object.keys(withoutAreas(["b"])(settings).areas)).toEqual(["a"]);
    expect(withChanged(2, { name: "Forest" })(settings).legend[1]!.name).toBe("Forest");
  });
  test("gives the areas and groups of a class to the one that it is merged into", () => {
    const grouped = { ...firstUnsupervised(), given: { x: { "1": 1, "2": 2 } } };
    const settings = withAreas({ a: area(1), b: area(2) })({ ...two, unsupervised: grouped });
    const merged = mergedInto(1, 2)(settings);
    expect(merged.legend.map(({ label }) => label)).toEqual([2]);
    expect(Object.values(merged.areas).map(({ label }) => label)).toEqual([2, 2]);
    expect(merged.unsupervised!.given).toEqual({ x: { "1": 2, "2": 2 } });
  });
  test("can be trained on where two classes have an area on the date", () => {
    const settings = withAreas({ a: area(1), b: area(2, "x") })(two);
    expect([canTrain(settings, "x"), canTrain(settings, "y")]).toEqual([true, false]);
    expect(areasOf(settings, "y").map(([id]) => id)).toEqual(["a"]);
  });
});

test("an ellipse lies two deviations from the middle of its class, whichever way", () => {
  const covariance = [4, 0, 1.2, 0, 1, 0, 1.2, 0, 1];
  const facts = {
    ...{ label: 1, areas: 1, cells: 9, held: 0, lent: 0, sample: [] },
    ...{ mean: [10, 0, 5], deviation: [2, 1, 1], covariance },
  };
  const [xx, xy, yy] = [4, 1.2, 1];
  const determinant = xx * yy - xy * xy;
  for (const [x, y] of ellipseOf(facts, { x: 0, y: 2 })) {
    const [dx, dy] = [x - 10, y - 5];
    const squared = (yy * dx * dx - 2 * xy * dx * dy + xx * dy * dy) / determinant;
    expect(squared).toBeCloseTo(4, 9);
  }
});
