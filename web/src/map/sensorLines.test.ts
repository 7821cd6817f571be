/** @jest-environment jsdom */
import type { Feature } from "@hindglance/core/vector/features";
import { norm, sub, toEcef } from "@hindglance/core/geodesy/ecef";
import { pictureFrame, sensorFrame } from "@hindglance/core/grid/frames";
import { circularOrbit, vectorsOf } from "@hindglance/core/testing/circularOrbit";
import { aScene, aSensor } from "../testing/things";
import { featuresOn } from "./ground";
import { isInLines, ontoLines } from "./sensorLines";
import { groundHeight } from "./useOutline";

/** A place that the orbit sees abeam at time 0, 16 km of slant range behind the first sample. */
const PLACE = { lonDeg: -21, latDeg: -43.6 };
const truth = circularOrbit(PLACE, 7_064_000, 39, 101, 1);
const NEAR = norm(sub(truth.at(0).position, toEcef(-21, -43.6, 0))) - 16_000;
const image = {
  grid: { crs: sensorFrame("p") },
  sensor: aSensor({
    orbit: vectorsOf(truth, 0, -80, 80, 10),
    ...{ firstLineT: -1.8, lineIntervalS: 0.0015, lines: 2400, samples: 5000 },
    groundRange: [{ t: -60, origin: NEAR, coefficients: [0, 1.589, -2.1e-7] }],
  }),
};

describe("places in the lines of a sensor", () => {
  test("are where the orbit has them; high ground lies nearer to the sensor", () => {
    const [x, y] = ontoLines(image, 0)(-21, -43.6);
    // 1.589 · 16000 − 2.1e-7 · 16000² metres, and 1.8 s of 1.5 ms.
    expect(x).toBeCloseTo(2537.024 + 0.5, 2);
    expect(y).toBeCloseTo(-1200.5, 2);
    // 100 m up are about 100 / tan 39° nearer on the ground.
    const [higher] = ontoLines(image, 100)(-21, -43.6);
    expect(x - higher).toBeCloseTo(100 / Math.tan((39 * Math.PI) / 180) / 10, 0);
  });
  test("far away are none, the ones across the orbit too", () => {
    const onto = ontoLines(image, 0);
    for (const [lon, lat] of [
      [-21, -40],
      [-6, -43.6],
      [159, 43.6],
    ] as const) {
      expect(onto(lon, lat)).toEqual([NaN, NaN]);
    }
    expect(ontoLines({ grid: image.grid }, 0)(-21, -43.6)).toEqual([NaN, NaN]);
  });
  test("are known where the image knows its sensor", () => {
    expect(isInLines(image)).toBe(true);
    expect(isInLines({ grid: { crs: pictureFrame("x") } })).toBe(false);
  });
  test("are drawn with what of a feature is near", () => {
    const features: Feature[] = [
      { properties: { name: "far" }, geometry: { type: "Point", coordinates: [10, 50] } },
      {
        properties: { name: "road" },
        geometry: {
          type: "LineString",
          coordinates: [
            [-21, -43.6],
            [-21, -43.61],
            [20, -43.6],
          ],
        },
      },
    ];
    const ground = { crs: image.grid.crs, onto: ontoLines(image, 0) };
    const drawn = featuresOn(ground, features);
    expect(drawn.map((feature): unknown => feature.get("name"))).toEqual(["road"]);
    const [left, , right] = drawn[0]!.getGeometry()!.getExtent();
    expect(Math.min(Math.abs(left! - 2537.5), Math.abs(right! - 2537.5))).toBeLessThan(0.1);
    expect(right! - left!).toBeLessThan(200);
  });
});

test("the ground is as high as the elevation is in the mean; without one it is at 0", () => {
  const statistics = [{ sum: 500, valid: 4, cells: 5, min: 0, max: 300, sumSquares: 1 }];
  expect(groundHeight([aScene(), aScene({ kind: "elevation", statistics })])).toBe(125);
  expect(groundHeight([aScene(), aScene({ kind: "elevation", statistics: null })])).toBe(0);
});
