import geodesic from "geographiclib-geodesic";
import { LONLAT, utm } from "../geodesy/crs";
import { cellAreas } from "../grid/area";
import { ontoGlobe } from "../grid/globe";
import { type Grid, northUp, toMap } from "../grid/grid";
import { lcg } from "../testing/support";
import type { Position } from "../vector/polygons";
import { AssetMeter, type GroundPart } from "./assets";
import { CoverTally } from "./cover";
import { piecesOf } from "./lines";
import {
  PeopleTally,
  allPeople,
  ontoCells,
  peopleOf,
  samplesAlong,
  spreadPeople,
  windowUnder,
} from "./people";
import { type Road, roadCuts } from "./roads";

const map: Grid = northUp(utm(27, true), 490_000, 5_175_000, 10, 10, 120, 80);
/** Class 1 west of column 60, class 2 on 60 to 90, none beyond; two zones, north and south of row 40. */
const LABELS = [1, 2, 0];
const labelAt = (col: number) => LABELS[[60, 90].filter((end) => col >= end).length]!;
const zoneAt = (row: number) => (row < 40 ? 1 : 2);
const groundOf = ({
  col,
  row,
  width,
  height,
}: {
  col: number;
  row: number;
  width: number;
  height: number;
}): GroundPart => {
  const at = (k: number) => [col + (k % width), row + Math.floor(k / width)] as const;
  const size = width * height;
  return {
    labels: Uint8Array.from({ length: size }, (_v, k) => labelAt(at(k)[0])),
    zones: Uint16Array.from({ length: size }, (_v, k) => zoneAt(at(k)[1])),
    depths: Float32Array.from({ length: size }, (_v, k) => (at(k)[0] < 60 ? at(k)[0] / 10 : NaN)),
  };
};
const whole = { col: 0, row: 0, width: map.width, height: map.height };
const globe = ontoGlobe(map);
const placeAt = (col: number, row: number): Position => globe(...toMap(map, col, row));

describe("people", () => {
  const spread = (people: Grid, counts: Float32Array) => {
    const onto = ontoCells(people, map);
    const tally = new PeopleTally(3);
    const window = { col: 0, row: 0, width: people.width, height: people.height };
    const under = windowUnder(window, onto, map);
    const part = under && { window: under, ...groundOf(under) };
    spreadPeople(counts, window, onto, samplesAlong(people, map), part, tally);
    return tally.toJSON();
  };

  test("on cells that hold whole cells of the map each is counted by its class and zone", () => {
    const people = northUp(map.crs, 490_000, 5_175_000, 100, 100, 12, 8);
    const counts = Float32Array.from({ length: 96 }, (_v, k) => k + 1);
    const sums = spread(people, counts);
    const expected = (label: number, zone: number) =>
      counts.reduce((sum, count, k) => {
        const isIt = labelAt((k % 12) * 10) === label && zoneAt(Math.floor(k / 12) * 10) === zone;
        return isIt ? sum + count : sum;
      }, 0);
    for (const [label, zone] of [
      [1, 1],
      [1, 2],
      [2, 1],
      [0, 2],
    ] as const) {
      expect(peopleOf(sums, label, zone)).toBeCloseTo(expected(label, zone), 8);
    }
    expect(sums.beyond).toBe(0);
  });

  test("in degrees, turned and partly beside the map, nobody is lost: to a billionth", () => {
    const [lon, lat] = placeAt(0, 0);
    const random = lcg(5);
    for (const cell of [0.0003, 0.0011, 0.004]) {
      const people = northUp(LONLAT, lon - 0.003, lat + 0.002, cell, cell, 17, 13);
      const counts = Float32Array.from({ length: 17 * 13 }, () =>
        random() < 0.1 ? NaN : 1000 * random(),
      );
      const total = counts.reduce((sum, count) => (count > 0 ? sum + count : sum), 0);
      const sums = spread(people, counts);
      expect(Math.abs(allPeople(sums) / total - 1)).toBeLessThan(1e-9);
      expect(sums.beyond).toBeGreaterThan(0);
    }
  });

  test("a cell of people over a border is shared by the ground on either side", () => {
    const people = northUp(map.crs, 490_000 + 580, 5_175_000, 40, 40, 1, 1);
    const sums = spread(people, Float32Array.of(100));
    expect(peopleOf(sums, 1, null)).toBeCloseTo(50, 9);
    expect(peopleOf(sums, 2, null)).toBeCloseTo(50, 9);
  });

  test("parts merge; people far away are beyond", () => {
    const away = northUp(map.crs, 400_000, 5_000_000, 100, 100, 2, 2);
    const sums = spread(away, Float32Array.of(1, 2, NaN, -9));
    expect(sums).toEqual({ zones: 3, entries: [], beyond: 3 });
    const both = new PeopleTally(3);
    both.merge(sums);
    both.merge({ zones: 3, entries: [[257, 4]], beyond: 1 });
    expect(both.toJSON()).toEqual({ zones: 3, entries: [[257, 4]], beyond: 4 });
  });
});

describe("land cover", () => {
  test("is summed by class and zone, parts together; what was not seen is left out", () => {
    const areas = cellAreas(map);
    const tally = new CoverTally();
    const coverAt = (col: number, row: number) => 1 + (((col >> 3) + row) % 3);
    const parts = [
      { ...whole, height: 30 },
      { ...whole, row: 30, height: 50 },
    ].map((window) => {
      const { labels, zones } = groundOf(window);
      const seen = labels.map((label, k) => (k % window.width === 5 ? 255 : label));
      const covers = Uint8Array.from(labels, (_v, k) =>
        coverAt(k % window.width, window.row + Math.floor(k / window.width)),
      );
      const own = new CoverTally();
      own.add({ window, labels: seen, zones }, covers, areas);
      return own.toJSON();
    });
    parts.forEach((part) => tally.merge(part));
    const found = tally.toJSON();
    const expected = (zone: number, label: number, cover: number) => {
      let [cells, areaM2] = [0, 0];
      for (let row = 0; row < map.height; row++) {
        for (let col = 0; col < map.width; col++) {
          const isIt =
            zoneAt(row) === zone && labelAt(col) === label && coverAt(col, row) === cover;
          if (isIt && col !== 5) {
            cells++;
            areaM2 += areas.cell(col, row);
          }
        }
      }
      return { cells, areaM2 };
    };
    expect(found).toHaveLength(2 * 3 * 3);
    for (const { zone, label, cover, cells, areaM2 } of found) {
      const counted = expected(zone, label, cover);
      expect(cells).toBe(counted.cells);
      expect(areaM2 / counted.areaM2).toBeCloseTo(1, 9);
    }
  });
});

describe("lines", () => {
  test("are cut at the sides of cells", () => {
    const pieces = piecesOf([0.5, 0.5], [2.5, 1.5]);
    expect(pieces.map(({ col, row }) => [col, row])).toEqual([
      [0, 0],
      [1, 0],
      [1, 1],
      [2, 1],
    ]);
    expect(pieces.map(({ from }) => from)).toEqual([0, 0.25, 0.5, 0.75]);
    expect(pieces.at(-1)!.to).toBe(1);
    expect(piecesOf([3.2, 4.2], [3.2, 4.2])).toEqual([{ col: 3, row: 4, from: 0, to: 1 }]);
  });
});

describe("assets", () => {
  const meter = new AssetMeter(map, cellAreas(map), (window) => Promise.resolve(groundOf(window)));

  test("points are counted where they lie, with the depth there", async () => {
    const coordinates = [placeAt(20.5, 10.5), placeAt(70.5, 50.5), placeAt(-5, 10)];
    const [found] = await meter.measure({ type: "MultiPoint", coordinates });
    expect(found!.parts).toEqual([
      { zone: 0, label: 255, amount: 1 },
      { zone: 1, label: 1, amount: 1 },
      { zone: 2, label: 2, amount: 1 },
    ]);
    expect(found!.depth).toEqual({ deepestM: 2, meanM: 2 });
    expect(found!.at).toEqual(coordinates[0]);
  });

  test("a line in metres on the ellipsoid, by class and zone, with mean depth", async () => {
    const ends = [placeAt(30, 20.3), placeAt(110, 20.3)] as const;
    const [found] = await meter.measure({ type: "LineString", coordinates: [...ends] });
    const { s12 } = geodesic.Geodesic.WGS84.Inverse(ends[0][1], ends[0][0], ends[1][1], ends[1][0]);
    const amounts = new Map(found!.parts.map(({ label, amount }) => [label, amount]));
    expect([...amounts.values()].reduce((sum, one) => sum + one, 0)).toBeCloseTo(s12!, 6);
    expect(amounts.get(1)).toBeCloseTo((s12! * 30) / 80, 2);
    expect(amounts.get(2)).toBeCloseTo((s12! * 30) / 80, 2);
    expect(amounts.get(0)).toBeCloseTo((s12! * 20) / 80, 2);
    expect(found!.depth!.deepestM).toBeCloseTo(5.9, 6);
    expect(found!.depth!.meanM).toBeCloseTo((3 + 5.9) / 2, 2);
    expect(found!.lines[0]!.along.at(-1)).toBeCloseTo(s12!, 9);
  });

  test("areas are sums of the cells whose centres lie in them; a tiny one still lies somewhere", async () => {
    const corners = [
      [50, 30],
      [50, 50],
      [70, 50],
      [70, 30],
      [50, 30],
    ].map(([col, row]) => placeAt(col!, row!));
    const [found] = await meter.measure({ type: "Polygon", coordinates: [corners] });
    const areas = cellAreas(map);
    const sum = (from: number, to: number, top: number) =>
      Array.from({ length: 10 }, (_v, k) => areas.run(top + k, from, to)).reduce((a, b) => a + b);
    expect(found!.parts.map(({ zone, label }) => [zone, label])).toEqual([
      [1, 1],
      [1, 2],
      [2, 1],
      [2, 2],
    ]);
    found!.parts.forEach(({ amount, zone, label }) =>
      expect(
        amount / sum(label === 1 ? 50 : 60, label === 1 ? 60 : 70, zone === 1 ? 30 : 40),
      ).toBeCloseTo(1, 9),
    );
    const tiny = [
      [20.1, 20.1],
      [20.1, 20.3],
      [20.3, 20.1],
      [20.1, 20.1],
    ].map(([col, row]) => placeAt(col!, row!));
    const [small] = await meter.measure({ type: "Polygon", coordinates: [tiny] });
    expect(small!.parts).toEqual([{ zone: 1, label: 1, amount: 0 }]);
  });

  test("a collection is told by each of its shapes", async () => {
    const found = await meter.measure({
      type: "GeometryCollection",
      geometries: [
        { type: "Point", coordinates: placeAt(1, 1) },
        { type: "MultiLineString", coordinates: [[placeAt(1, 1), placeAt(2, 1)]] },
      ],
    });
    expect(found.map(({ shape }) => shape)).toEqual(["point", "line"]);
  });
});

describe("roads under water", () => {
  const meter = new AssetMeter(map, cellAreas(map), (window) => Promise.resolve(groundOf(window)));
  const road = async (name: string, ...corners: [number, number][]): Promise<Road> => {
    const coordinates = corners.map(([col, row]) => placeAt(col, row));
    const [found] = await meter.measure({ type: "LineString", coordinates });
    return { name, line: found!.lines[0]! };
  };
  const places = [
    { name: "Westby", at: placeAt(10, 21) },
    { name: "Eastby", at: placeAt(110, 21) },
  ];

  test("a stretch with the places on either side, and the way round where there is one", async () => {
    // Class 2 is water: columns 60 to 90. The second road goes round by row 70 … which is wet too.
    const straight = await road("High road", [10, 20], [110, 20]);
    const [cut, ...others] = roadCuts([straight], places, new Set([2]));
    expect(others).toEqual([]);
    expect(cut!.name).toBe("High road");
    expect(cut!.metres).toBeCloseTo(300, 0);
    expect(cut!.connects).toEqual(["Westby", "Eastby"]);
    expect(cut!.aroundM).toBeNull();
    expect(cut!.zone).toBe(1);
    expect(cut!.deepestM).toBeNull();
    expect(cut!.at[0]).toBeCloseTo(placeAt(75, 20)[0], 6);
  });

  test("with another road on dry ground the way round is told", async () => {
    const roads = [
      await road("Low road", [5, 60], [30, 60], [55, 60], [100, 60]),
      await road("Bypass", [30, 60], [30, 200], [100, 200], [100, 60]),
    ];
    const [cut] = roadCuts(roads, places, new Set([2]));
    // From column 60 back to 30, down, across and up, and from 100 back to 90: row 200 is not on the map.
    expect(cut!.aroundM).toBeCloseTo(10 * (30 + 140 + 70 + 140 + 10), -1);
  });

  test("water that a road hardly leaves is one stretch; without water there is none", async () => {
    const zigzag = await road("Mole", [50, 20], [59, 20], [60.5, 20], [59.5, 20], [80, 20]);
    expect(roadCuts([zigzag], places, new Set([2]))).toHaveLength(1);
    expect(roadCuts([zigzag], places, new Set([7]))).toEqual([]);
  });

  test("stretches with nothing between them are one cut; a place between parts them", async () => {
    const dipping = await road("Wave", [50, 20], [70, 20], [55, 30], [50, 40], [70, 41], [50, 42]);
    const [cut, ...others] = roadCuts([dipping], [], new Set([2]));
    expect(others).toEqual([]);
    expect(cut!.stretches).toBe(2);
    const inn = { name: "Inn", at: placeAt(50, 40) };
    const parted = roadCuts([dipping], [inn], new Set([2]));
    expect(parted.map(({ stretches }) => stretches)).toEqual([1, 1]);
    expect(parted.map(({ connects }) => connects)).toEqual([
      [null, "Inn"],
      ["Inn", null],
    ]);
    expect(parted[0]!.metres + parted[1]!.metres).toBeCloseTo(cut!.metres, 6);
  });

  test("depth on the road is that of the deepest water", async () => {
    const wet = await road("Ford", [20, 20], [40, 20], [100, 20]);
    const [cut] = roadCuts([wet], [], new Set([1]));
    expect(cut!.deepestM).toBeCloseTo(5.9, 6);
    expect(cut!.connects).toEqual([null, null]);
  });
});
