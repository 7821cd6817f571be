import type { TrainingArea } from "./settings";
import { sharedGround, sharedGroundSaid, withoutTests } from "./testAreas";

const A_DATE = "00000000-0000-4000-8000-000000000001";
const OTHER_DATE = "00000000-0000-4000-8000-000000000002";

/** A square with its south-west corner at a place; with a hole amid it, perhaps. */
function square(west: number, south: number, size = 1, hole = 0): TrainingArea["polygons"] {
  const ring = (from: number, to: number): [number, number][] => [
    [west + from, south + from],
    [west + to, south + from],
    [west + to, south + to],
    [west + from, south + to],
    [west + from, south + from],
  ];
  const middle = size / 2;
  return [hole > 0 ? [ring(0, size), ring(middle - hole / 2, middle + hole / 2)] : [ring(0, size)]];
}
const area = (
  polygons: TrainingArea["polygons"],
  rest: Partial<TrainingArea> = {},
): TrainingArea => ({ label: 1, sceneId: null, polygons, ...rest });
const test1 = (polygons: TrainingArea["polygons"], rest: Partial<TrainingArea> = {}) =>
  area(polygons, { isTest: true, ...rest });

describe("ground that is trained on and tested on", () => {
  const tested = test1(square(10, 50));
  test.each<[what: string, other: TrainingArea, isShared: boolean]>([
    ["that lies over it", area(square(10.5, 50.5)), true],
    ["inside it", area(square(10.4, 50.4, 0.1)), true],
    ["around it", area(square(9, 49, 5)), true],
    ["that holds it in a hole", area(square(9.5, 49.5, 2, 1.2)), false],
    ["whose hole is smaller than it", area(square(9.5, 49.5, 2, 0.9)), true],
    ["beside it, with a border in common", area(square(11, 50)), false],
    ["that touches a corner", area(square(11, 51)), false],
    ["over its border by a rounding", area(square(11 - 1e-9, 50)), false],
    ["elsewhere", area(square(20, 50)), false],
    ["that is to test on too", test1(square(10.5, 50.5)), false],
  ])("an area %s", (_what, other, isShared) => {
    const found = sharedGround({ tested, other });
    expect(found).toEqual(isShared ? [{ training: "other", test: "tested" }] : []);
  });

  test("counts where there is a date for which both hold", () => {
    const shared = (one: string | null, other: string | null) =>
      sharedGround({
        one: area(square(10, 50), { sceneId: one }),
        other: test1(square(10, 50), { sceneId: other }),
      }).length;
    expect([shared(null, A_DATE), shared(A_DATE, null), shared(A_DATE, A_DATE)]).toEqual([1, 1, 1]);
    expect(shared(A_DATE, OTHER_DATE)).toBe(0);
  });

  test("is looked for where something is new", () => {
    const areas = { one: area(square(10, 50)), two: area(square(10.2, 50)), tested };
    expect(sharedGround(areas, (id) => id === "two")).toEqual([
      { training: "two", test: "tested" },
    ]);
    expect(sharedGround(areas, (id) => id === "tested")).toHaveLength(2);
    expect(sharedGround(areas, () => false)).toEqual([]);
  });
});

test("what is shared is said in words, by the names of classes", () => {
  const legend = [{ label: 1, name: "Heath", color: "#aa8855", note: "" }];
  const said = (testLabel: number, isNew: (id: string) => boolean) =>
    sharedGroundSaid(
      {
        legend,
        areas: {
          one: area(square(10, 50)),
          two: area(square(10.2, 50)),
          tested: test1(square(10, 50), { label: testLabel }),
        },
      },
      isNew,
    );
  expect(said(1, () => false)).toBeNull();
  expect(said(1, (id) => id === "one")).toBe(
    "A training area of heath overlaps a test area of heath",
  );
  expect(said(2, (id) => id === "one")).toBe(
    "A training area of heath overlaps a test area of no class",
  );
  expect(said(1, () => true)).toBe("2 training areas overlap test areas, the first one of heath");
});

test("ground that grew over test areas is kept without them, and then shares none", () => {
  const grown = { polygons: square(9.5, 49.5, 2), sceneId: null };
  const areas = { tested: test1(square(10, 50)), other: area(square(10, 50)) };
  const { polygons, tests } = withoutTests(grown, areas);
  expect([tests, polygons.length, polygons[0]!.length]).toEqual([1, 1, 2]);
  expect(sharedGround({ ...areas, grown: area(polygons) })).toEqual([
    { training: "other", test: "tested" },
  ]);
  // Of another date nothing is left out, and inside a test area nothing stays.
  const dated = { tested: test1(square(10, 50), { sceneId: A_DATE }) };
  expect(withoutTests({ ...grown, sceneId: OTHER_DATE }, dated).tests).toBe(0);
  const inside = { polygons: square(10.2, 50.2, 0.3), sceneId: null };
  expect(withoutTests(inside, areas)).toEqual({ polygons: [], tests: 1 });
});
