import { featureCollectionOf } from "./zones";

const polygon = {
  type: "Polygon",
  coordinates: [
    [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 0],
    ],
  ],
};
const feature = (name: string) => ({ type: "Feature", properties: { name }, geometry: polygon });

test("a collection is taken as it is, a feature or a bare geometry as the only one", () => {
  const both = featureCollectionOf({
    type: "FeatureCollection",
    features: [feature("East"), feature("West")],
  })!;
  expect(both.features.map((one) => one.properties.name)).toEqual(["East", "West"]);
  expect(featureCollectionOf(feature("Plain"))!.features).toEqual([feature("Plain")]);
  const bare = featureCollectionOf(polygon)!;
  expect(bare.features).toHaveLength(1);
  expect(bare.features[0]!.geometry).toEqual(polygon);
  expect(bare.features[0]!.properties).toEqual({});
});

test("features without properties or geometry keep their place, so that it can be named", () => {
  const found = featureCollectionOf({
    type: "FeatureCollection",
    features: [null, { type: "Feature", properties: null, geometry: null }, feature("x")],
  })!;
  expect(found.features.map((one) => one.properties)).toEqual([{}, {}, { name: "x" }]);
  expect(found.features[0]!.geometry).toEqual({});
});

test.each([
  ["nothing", null],
  ["a list", [feature("x")]],
  ["a point", { type: "Point", coordinates: [0, 0] }],
  ["a collection without a list", { type: "FeatureCollection", features: {} }],
  ["a text", "Feature"],
])("%s is no collection", (_what, value) => {
  expect(featureCollectionOf(value)).toBeNull();
});
