import type { Geometry } from "./features";
import { partly } from "./partly";

/** A map of the eastern half, drawn ten times as large. */
const east = (x: number, y: number): [number, number] => (x < 0 ? [NaN, NaN] : [10 * x, 10 * y]);

test("a map of a part of the Earth gets what lies on it", () => {
  const box = (west: number) => [
    [west, 0],
    [west + 1, 0],
    [west + 1, 1],
    [west, 0],
  ];
  const all: [Geometry, Geometry | null][] = [
    [
      { type: "Point", coordinates: [1, 2] },
      { type: "MultiPoint", coordinates: [[10, 20]] },
    ],
    [{ type: "Point", coordinates: [-1, 2] }, null],
    [
      {
        type: "MultiPoint",
        coordinates: [
          [-1, 2],
          [1, 2],
        ],
      },
      { type: "MultiPoint", coordinates: [[10, 20]] },
    ],
    [
      {
        type: "LineString",
        coordinates: [
          [-1, 0],
          [1, 0],
          [2, 0],
        ],
      },
      {
        type: "MultiLineString",
        coordinates: [
          [
            [10, 0],
            [20, 0],
          ],
        ],
      },
    ],
    [
      {
        type: "MultiLineString",
        coordinates: [
          [
            [-1, 0],
            [1, 0],
          ],
        ],
      },
      null,
    ],
    [
      { type: "MultiPolygon", coordinates: [[box(-5)], [box(1), box(-3)]] },
      { type: "MultiPolygon", coordinates: [[box(1).map(([x, y]) => [10 * x!, 10 * y!])]] },
    ],
    [{ type: "Polygon", coordinates: [box(-5)] }, null],
  ];
  for (const [geometry, wanted] of all) {
    expect(partly(geometry, east)).toEqual(wanted);
  }
  const [point, , , line] = all.map(([geometry]) => geometry);
  expect(partly({ type: "GeometryCollection", geometries: [point!, line!] }, east)).toEqual({
    type: "GeometryCollection",
    geometries: [all[0]![1], all[3]![1]],
  });
  expect(partly({ type: "GeometryCollection", geometries: [all[1]![0], line!] }, east)).toEqual(
    all[3]![1],
  );
});
