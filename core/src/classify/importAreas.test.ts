import { withImported } from "./importAreas";
import { newClass, withClass } from "./legend";
import { EMPTY_CLASSIFY } from "./settings";

const square: [number, number][][] = [
  [
    [-21, -43],
    [-20.9, -43],
    [-20.9, -43.1],
    [-21, -43],
  ],
];
const two = [newClass([], "Water"), newClass([newClass([], "Water")], "Wood")].reduce(
  (settings, one) => withClass(one)(settings),
  EMPTY_CLASSIFY,
);

describe("training areas of a file", () => {
  const feature = (properties: object, coordinates: unknown = square) => ({
    ...{ type: "Feature", properties },
    geometry: { type: "Polygon", coordinates },
  });
  const read = (features: unknown[]) => {
    let ids = 0;
    const text = JSON.stringify({ type: "FeatureCollection", features });
    const as = { sceneId: null };
    return withImported(two, { text, file: "a.geojson", newId: () => `n${ids++}`, as });
  };
  test("go to the classes of their names; classes that are lacking come with them", () => {
    const next = read([feature({ Class: "water " }), feature({ class: "Reeds" })]);
    expect(next.legend.map(({ name }) => name)).toEqual(["Water", "Wood", "Reeds"]);
    expect(Object.values(next.areas).map(({ label }) => label)).toEqual([1, 3]);
  });
  test.each([
    ["no JSON", "{", /a.geojson is not JSON/],
    ["no features", "{}", /a.geojson holds no features/],
  ])("%s is refused with the file's name", (_what, text, message) => {
    const asked = { text, file: "a.geojson", newId: () => "x", as: { sceneId: null } };
    expect(() => withImported(two, asked)).toThrow(message);
  });
  test("a feature without a class, or in metres, is named", () => {
    expect(() => read([feature({ class: "Wood" }), feature({})])).toThrow(
      "Feature 2 of a.geojson says no class",
    );
    const metres = [square[0]!.map(([x, y]) => [x * 1e4, y * 1e4])];
    expect(() => read([feature({ class: "Wood" }, metres)])).toThrow(/no longitude and latitude/);
  });
  test("a feature that is no area is named", () => {
    const point = { type: "Point", coordinates: [0, 0] };
    expect(() =>
      read([feature({ class: "Wood" }), { ...feature({ class: "Wood" }), geometry: point }]),
    ).toThrow("Feature 2 of a.geojson is no area: geometry of type Point has no area");
  });
});
