import type { ControlPoint, OffsetPlace } from "@hindglance/core/align/alignment";
import { utm } from "@hindglance/core/geodesy/crs";
import { northUp } from "@hindglance/core/grid/grid";
import { emptyPoints, firstBand, fitOf, metresPerUnit, nextName, offsetFigures } from "./figures";
import { pointsToCsv, pointsToGeoJson, readPoints } from "./points/pointFiles";

const points: ControlPoint[] = [
  [10, 12],
  [80, 15],
  [20, 70],
  [66, 61],
].map(([c, r], k) => ({
  id: `p${k}`,
  name: k === 1 ? 'Bridge, "old"' : `P${k}`,
  from: [c!, r!],
  to: [500000 + 12.5 * c!, 5170000 - 12.5 * r!],
  on: k !== 3,
}));
const away = ([x, y]: [number, number]): [number, number] => [x / 1e5, y / 1e5];
const back = ([x, y]: [number, number]): [number, number] => [x * 1e5, y * 1e5];

test("points come back as they were from a table and from GeoJSON", () => {
  const bare = points.map(({ id: _id, ...point }) => point);
  expect(readPoints(pointsToCsv(points), "a.csv", back)).toEqual(bare);
  expect(readPoints(pointsToGeoJson(points, away), "a.geojson", back)).toEqual(bare);
  expect(readPoints("map_y;map_x;scene_y;scene_x\n5,5;4;3;2", "a.csv", back)).toEqual([
    { name: "1", from: [2, 3], to: [4, 5.5], on: true },
  ]);
  const plain = JSON.stringify({
    type: "FeatureCollection",
    features: [
      {
        type: "Feature",
        geometry: { type: "Point", coordinates: [5, 51.7] },
        properties: { scene_x: 1, scene_y: 2 },
      },
    ],
  });
  expect(readPoints(plain, "b.geojson", back)[0]!.to).toEqual([500000, 5170000]);
});
test.each([
  ["no columns", "a,b,c\n1,2,3", /no column scene_x/],
  [
    "words for a number",
    "name,scene_x,scene_y,map_x,map_y\nA,1,2,x,4",
    /a.csv, line 2: map_x is "x"/,
  ],
  ["half a JSON", '{"type":', /not valid JSON/],
  [
    "a polygon",
    '{"type":"FeatureCollection","features":[{"geometry":{"type":"Polygon","coordinates":[]}}]}',
    /point 1 is no point/,
  ],
  ["an empty number", "name,scene_x,scene_y,map_x,map_y\nA,1,,3,4", /line 2: scene_y is ""/],
])("a file with %s is refused with the place", (_n, text, message) => {
  expect(() => readPoints(text, "a.csv", back)).toThrow(message);
});

test("the fit takes the points that are on, says how many are missing, and what a cell is in metres", () => {
  const part = { ...emptyPoints("r"), points };
  const found = fitOf(part, true);
  if ("problem" in found) {
    throw new Error(found.problem);
  }
  expect([found.used.map((point) => point.id), found.fit.rmse]).toEqual([["p0", "p1", "p2"], null]);
  expect(metresPerUnit(found.fit, [500500, 5169500])).toBeCloseTo(12.5, 6);
  expect(fitOf({ ...part, model: "polynomial2" }, true)).toEqual({
    problem: "3 more points are needed",
  });
  expect(nextName([...points, { ...points[0]!, name: "5" }])).toBe("6");
});
test("figures of an offset: cells east and south, turn and scale", () => {
  const grid = northUp(utm(27, true), 500000, 5170000, 20, 20, 100, 80);
  const [x, y] = [501000, 5169200];
  const t = (0.3 * Math.PI) / 180;
  const k = 1.002;
  const place: OffsetPlace = {
    kind: "offset",
    referenceId: "r",
    band: "b",
    model: "affine",
    matches: [],
    tried: 1,
    rmseCells: 0,
    cellM: 20,
    kernel: "cubic",
    path: {
      kind: "polynomial",
      order: 1,
      centre: [x, y],
      scale: 1,
      x: [x + 34, k * Math.cos(t), -k * Math.sin(t)],
      y: [y - 16, k * Math.sin(t), k * Math.cos(t)],
    },
  };
  const fraction = offsetFigures(place, grid);
  expect(
    [fraction.east, fraction.south, fraction.turnDeg, fraction.scale].map(
      (value) => +value.toFixed(6),
    ),
  ).toEqual([1.7, 0.8, 0.3, 1.002]);
});
test("the band that dates are looked at in", () => {
  const b = (
    name: string,
    role: "power" | "reflectance" | "quality" | "value",
    wavelengthNm?: number,
  ) => ({ name, unit: "", role, ...(wavelengthNm ? { wavelengthNm } : {}) });
  expect([
    firstBand([b("B2", "reflectance", 482), b("B5", "reflectance", 865), b("q", "quality")]),
    firstBand([b("VV", "power"), b("x", "value")]),
    firstBand([b("EVI", "value")]),
    firstBand([b("q", "quality")]),
  ]).toEqual(["B5", "VV", "EVI", null]);
});
