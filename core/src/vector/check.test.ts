import { faultsOf, isRepairable } from "./check";
import { crossingOf, isInside } from "./crossings";
import { type Coordinates, type Feature, type Geometry, placed, shapesOf } from "./features";
import { dissolved, repaired } from "./repair";

const box = (west: number, south: number, size: number): Coordinates[] => [
  [west, south],
  [west + size, south],
  [west + size, south + size],
  [west, south + size],
  [west, south],
];
const polygon = (...coordinates: Coordinates[][]): Feature => ({
  properties: {},
  geometry: { type: "Polygon", coordinates },
});
/** Area of rings by the surveyor's formula, holes taken away. */
const areaOf = (polygons: readonly Coordinates[][][]): number => {
  const ringArea = (ring: Coordinates[]) =>
    Math.abs(
      ring.reduce((sum, [x, y], k) => {
        const [x2, y2] = ring[(k + 1) % ring.length]!;
        return sum + x! * y2! - x2! * y!;
      }, 0),
    ) / 2;
  return polygons.reduce(
    (sum, [shell, ...holes]) =>
      sum + ringArea(shell!) - holes.reduce((all, hole) => all + ringArea(hole), 0),
    0,
  );
};
const areaLeft = (feature: Feature): number => {
  const [left] = repaired([feature], faultsOf([feature]));
  const geometry = left!.geometry;
  return geometry?.type === "MultiPolygon" ? areaOf(geometry.coordinates) : NaN;
};
const kindsOf = (...features: Feature[]) =>
  faultsOf(features).map(({ feature, kind }) => `${feature} ${kind}`);

describe("faults of geometries", () => {
  const bowTie = polygon([
    [0, 0],
    [2, 2],
    [2, 0],
    [0, 2],
    [0, 0],
  ]);

  test("none are found in boxes, boxes with holes, lines and points", () => {
    const lines: Feature = {
      properties: {},
      geometry: {
        type: "LineString",
        coordinates: [
          [0, 0],
          [2, 2],
          [2, 0],
          [0, 2],
        ],
      },
    };
    const points: Feature = { properties: {}, geometry: { type: "Point", coordinates: [3, 4] } };
    expect(kindsOf(polygon(box(0, 0, 4), box(1, 1, 1)), lines, points)).toEqual([]);
  });

  test("are told with the number of the feature, each kind once", () => {
    const open = polygon(box(0, 0, 4).slice(0, 4));
    const flat = polygon([
      [0, 0],
      [1, 1],
      [0, 0],
      [0, 0],
    ]);
    const outside = polygon(box(0, 0, 2), box(5, 5, 1));
    const empty: Feature = { properties: {}, geometry: null };
    const metres = polygon(box(500_000, 5_170_000, 20));
    const broken = polygon([
      [0, 0],
      [NaN, 1],
      [1, 1],
      [0, 0],
    ]);
    const faults = faultsOf([
      polygon(box(0, 0, 1)),
      open,
      bowTie,
      flat,
      outside,
      empty,
      metres,
      broken,
    ]);
    expect(faults.map(({ feature, kind }) => `${feature} ${kind}`)).toEqual([
      "2 openRing",
      "3 crossing",
      "4 flatRing",
      "5 holeOutside",
      "6 empty",
      "7 offGlobe",
      "8 notNumbers",
    ]);
    expect(faults.filter((fault) => !isRepairable(fault)).map(({ kind }) => kind)).toEqual([
      "offGlobe",
      "notNumbers",
    ]);
    expect(faults[5]!.said).toBe(
      "has the place 500000, 5170000, which is no longitude and latitude",
    );
  });

  test("are mended: a bow tie keeps both its halves, an open box its area, a lone hole goes", () => {
    expect(areaLeft(bowTie)).toBeCloseTo(2, 12);
    expect(areaLeft(polygon(box(0, 0, 4).slice(0, 4)))).toBeCloseTo(16, 12);
    expect(areaLeft(polygon(box(0, 0, 2), box(5, 5, 1)))).toBeCloseTo(4, 12);
    const flat = polygon([
      [0, 0],
      [1, 1],
      [0, 0],
      [0, 0],
    ]);
    const good = polygon(box(0, 0, 1));
    expect(repaired([flat, good], faultsOf([flat, good]))).toEqual([good]);
    expect(faultsOf(repaired([bowTie], faultsOf([bowTie])))).toEqual([]);
  });
});

describe("crossings", () => {
  test("through a corner count, touching does not", () => {
    const through: Coordinates[] = [
      [0, 0],
      [1, 1],
      [2, 2],
      [2, 0],
      [1, 1],
      [0, 2],
      [0, 0],
    ];
    expect(crossingOf([through])).not.toBeNull();
    // Two triangles that touch at a corner, walked around without crossing there.
    const touching: Coordinates[] = [
      [0, 0],
      [1, 1],
      [2, 0],
      [2, 2],
      [1, 1],
      [0, 2],
      [0, 0],
    ];
    expect(crossingOf([touching])).toBeNull();
    // A corner on a side: once up to it and back, once through it.
    expect(
      crossingOf([
        [
          [0, 0],
          [4, 0],
          [4, 4],
          [2, 0],
          [0, 4],
          [0, 0],
        ],
      ]),
    ).toBeNull();
    expect(
      crossingOf([
        [
          [0, 0],
          [4, 0],
          [4, 4],
          [2, 0],
          [1, -1],
          [0, 4],
          [0, 0],
        ],
      ]),
    ).not.toBeNull();
  });

  test("of a hole and its shell count, sharing a part of an edge does not", () => {
    expect(crossingOf([box(0, 0, 4), box(3, 1, 2)])).not.toBeNull();
    expect(crossingOf([box(0, 0, 4), box(3, 1, 1)])).toBeNull();
    expect(crossingOf([box(0, 0, 4), box(0, 0, 1)])).toBeNull();
  });

  test("within the tolerance are rounding", () => {
    const off = (gap: number): Coordinates[][] => [
      box(0, 0, 4),
      [
        [2, 1],
        [2 + 1, -gap],
        [3, 1],
        [2, 1],
      ],
    ];
    expect(crossingOf(off(1e-9), 2e-7)).toBeNull();
    expect(crossingOf(off(1e-3), 2e-7)).not.toBeNull();
  });

  test("are found among many corners", () => {
    const circle = Array.from({ length: 20_000 }, (_v, k): Coordinates => [
      Math.cos((2 * Math.PI * k) / 20_000),
      Math.sin((2 * Math.PI * k) / 20_000),
    ]);
    expect(crossingOf([circle])).toBeNull();
    expect(crossingOf([[...circle, [-2, 0.5]]])).not.toBeNull();
  });

  test("are not looked for without end where sides crowd", () => {
    const spikes = Array.from({ length: 30_000 }, (_v, k) => {
      const angle = (2 * Math.PI * k) / 30_000;
      const radius = k % 2 === 0 ? 5 : 1;
      return [radius * Math.cos(angle), radius * Math.sin(angle)];
    });
    const coordinates = [[...spikes, spikes[0]!]];
    const [fault] = faultsOf([{ properties: {}, geometry: { type: "Polygon", coordinates } }]);
    expect(fault).toEqual({
      feature: 1,
      kind: "tooDense",
      said: "has more sides near each other than can be looked through",
    });
    expect(isRepairable(fault!)).toBe(false);
  });
  test("a place is inside a ring or not", () => {
    expect([isInside([1, 1], box(0, 0, 4)), isInside([5, 1], box(0, 0, 4))]).toEqual([true, false]);
  });
});

test("overlapping polygons become one area, counted once", () => {
  expect(areaOf(dissolved([[box(0, 0, 2)], [box(1, 1, 2)]]))).toBeCloseTo(7, 12);
  expect(dissolved([])).toEqual([]);
});

describe("features on the globe", () => {
  const onto = (x: number, y: number): [number, number] => [x, y];
  test("lose their heights, and do not leap around the Earth", () => {
    const ring: Coordinates[] = [
      [179, 0, 5],
      [-179, 0, 5],
      [-179, 1, 5],
      [179, 1, 5],
      [179, 0, 5],
    ];
    expect(placed({ type: "Polygon", coordinates: [ring] }, onto)).toEqual({
      type: "Polygon",
      coordinates: [
        [
          [179, 0],
          [181, 0],
          [181, 1],
          [179, 1],
          [179, 0],
        ],
      ],
    });
    const world = box(-180, -90, 360);
    expect(placed({ type: "Polygon", coordinates: [world] }, onto)).toEqual({
      type: "Polygon",
      coordinates: [world],
    });
  });
  test("are points, lines or polygons, or several of them", () => {
    const mixed: Geometry = {
      type: "GeometryCollection",
      geometries: [
        { type: "Point", coordinates: [0, 0, 1] },
        {
          type: "MultiLineString",
          coordinates: [
            [
              [0, 0],
              [1, 1],
            ],
          ],
        },
        { type: "Polygon", coordinates: [box(0, 0, 1)] },
      ],
    };
    expect(shapesOf(mixed)).toEqual(["point", "line", "polygon"]);
    expect(shapesOf(null)).toEqual([]);
    expect(placed(mixed, (x, y) => [x + 1, y])).toMatchObject({
      geometries: [
        { coordinates: [1, 0] },
        {
          coordinates: [
            [
              [1, 0],
              [2, 1],
            ],
          ],
        },
        {},
      ],
    });
  });
});
