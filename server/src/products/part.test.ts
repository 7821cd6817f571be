import { norm, sub, toEcef } from "@hindglance/core/geodesy/ecef";
import { utcSeconds } from "@hindglance/core/radar/orbit";
import { RangeDoppler, type SensorModel } from "@hindglance/core/radar/sensor";
import { circularOrbit, vectorsOf } from "@hindglance/core/testing/circularOrbit";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { partGrid, partOf, partOutline } from "./part";

const MIDDLE = utcSeconds("2025-05-02T18:41:10.500000");
const orbit = circularOrbit({ lonDeg: -21, latDeg: -43.6 }, 7_064_000, 39, 101, 1);
const NEAR = norm(sub(orbit.at(0).position, toEcef(-21, -43.6, 0))) - 16_000;
/** A frame of 2400 lines and 5000 samples around 21° W, 43.6° S. */
const sensor: SensorModel = {
  mission: "TEST",
  mode: "IW",
  pass: "descending",
  look: "right",
  wavelengthM: 0.0555,
  orbit: vectorsOf(orbit, MIDDLE, -80, 80, 10),
  orbitSource: "annotation",
  firstLineT: MIDDLE - 1.8,
  lineIntervalS: 0.0015,
  sampleSpacingM: 10,
  lineSpacingM: 10,
  groundRange: [{ t: MIDDLE - 60, origin: NEAR, coefficients: [0, 1.589, -2.1e-7, 1e-14] }],
  lines: 2400,
  samples: 5000,
};
const around = (lon: number, lat: number, half: number): MultiPolygon => [
  [
    [
      [lon - half, lat - half],
      [lon + half, lat - half],
      [lon + half, lat + half],
      [lon - half, lat + half],
      [lon - half, lat - half],
    ],
  ],
];

test("without a study area all of a product is kept", () => {
  expect(partOf(sensor, null, "LANTERN1")).toEqual({
    part: { col: 0, row: 0, width: 5000, height: 2400 },
    leftOut: null,
  });
});

test("with one, what shows it at any height that ground has, and a margin around", () => {
  const area = around(-21, -43.6, 0.01);
  const { part, leftOut } = partOf(sensor, area, "LANTERN1");
  const doppler = new RangeDoppler(sensor);
  for (const [lon, lat] of area[0]![0]!) {
    for (const height of [0, 800, 2500]) {
      const at = doppler.locateGeodetic(lon, lat, height);
      expect(at.sample).toBeGreaterThan(part.col + 100);
      expect(at.sample).toBeLessThan(part.col + part.width - 100);
      expect(at.line).toBeGreaterThan(part.row + 100);
      expect(at.line).toBeLessThan(part.row + part.height - 100);
    }
  }
  const share = (part.width * part.height) / (5000 * 2400);
  expect(share).toBeLessThan(0.5);
  expect(leftOut).toBe(
    `${Math.round((1 - share) * 100)} % of the scene lies away from the study area and was left out: ${part.width} x ${part.height} of 5000 x 2400 cells were kept`,
  );
});

test("a study area larger than the product leaves nothing out", () => {
  expect(partOf(sensor, around(-21, -43.6, 1), "LANTERN1")).toEqual({
    part: { col: 0, row: 0, width: 5000, height: 2400 },
    leftOut: null,
  });
});

test.each([
  ["beside it", around(-25, -43.6, 0.1)],
  ["on the other side of the Earth", around(159, 43.6, 0.1)],
])("a product whose study area lies %s is refused by its name", (_where, area) => {
  expect(() => partOf(sensor, area, "LANTERN1")).toThrow("LANTERN1 does not show the study area");
});

test("a part keeps its place in the product's frame", () => {
  const part = { col: 100, row: 200, width: 30, height: 40 };
  const grid = partGrid("0a000000-0000-4000-8000-000000000001", part);
  expect(grid).toMatchObject({ transform: [100, 1, 0, 200, 0, 1], width: 30, height: 40 });
});

test("its outline on the globe is closed, and its corners lie where the sensor sees them", () => {
  const part = { col: 1000, row: 500, width: 2000, height: 1000 };
  const ring = partOutline(sensor, part);
  expect(ring).toHaveLength(25);
  expect(ring.at(-1)).toEqual(ring[0]);
  const doppler = new RangeDoppler(sensor);
  const corners = [0, 6, 12, 18].map((k) => {
    const [lon, lat] = ring[k]!;
    const at = doppler.locateGeodetic(lon, lat, 0);
    return [at.sample + 0.5, at.line + 0.5];
  });
  for (const [k, [sample, line]] of [
    [1000, 500],
    [3000, 500],
    [3000, 1500],
    [1000, 1500],
  ].entries()) {
    expect(corners[k]![0]).toBeCloseTo(sample!, 2);
    expect(corners[k]![1]).toBeCloseTo(line!, 2);
  }
});
