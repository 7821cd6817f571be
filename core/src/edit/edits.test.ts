import { cellAreas } from "../grid/area";
import { LONLAT } from "../geodesy/crs";
import { northUp } from "../grid/grid";
import { InputError } from "../errors";
import { CLASS_NODATA } from "../raster/block";
import type { MultiPolygon, Position } from "../vector/polygons";
import { alongCells, sizeOf, windowOf } from "./cells";
import { areaInCells, difference, intersection, union } from "./clip";
import {
  type EditManner,
  type EditOutcome,
  type EditedPatch,
  type MadePatch,
  cut,
  laid as layOver,
  laying,
  merged,
  relabelled,
} from "./edits";
import { paint } from "./paint";

const SIZE = { width: 200, height: 160 };
const SNAPPED = { isSnapped: true, isTaking: true };
const FREE = { isSnapped: false, isTaking: true };

const box = (left: number, top: number, right: number, bottom: number): MultiPolygon => [
  [
    [
      [left, top],
      [left, bottom],
      [right, bottom],
      [right, top],
      [left, top],
    ],
  ],
];
const patch = (number: number, polygons: MultiPolygon, label = 1) => ({ number, label, polygons });

const laid = (
  what: Omit<MadePatch, "from">,
  own: EditedPatch | null,
  others: readonly EditedPatch[],
  manner: EditManner,
  size: typeof SIZE,
): EditOutcome => layOver(laying(what, own, manner, size), others, manner, size);

/** Cells of each made patch, counted one by one by the rule of even crossings to the right. */
function ownersOf(outcome: EditOutcome): number[][] {
  const isIn = (x: number, y: number, polygons: MultiPolygon) =>
    polygons.flat().reduce((inside, ring) => {
      let crossed = inside;
      for (let k = 0; k + 1 < ring.length; k++) {
        const [[x0, y0], [x1, y1]] = [ring[k]!, ring[k + 1]!];
        if (y0 > y !== y1 > y && x < x0 + ((y - y0) / (y1 - y0)) * (x1 - x0)) {
          crossed = !crossed;
        }
      }
      return crossed;
    }, false);
  return Array.from({ length: SIZE.height }, (_row, r) =>
    Array.from({ length: SIZE.width }, (_col, c) => {
      const owners = outcome.made.flatMap(({ polygons }, k) =>
        isIn(c + 0.5, r + 0.5, polygons) ? [k + 1] : [],
      );
      return owners.length > 1 ? -1 : (owners[0] ?? 0);
    }),
  );
}
const countOf = (owners: number[][], owner: number): number =>
  owners.flat().filter((one) => one === owner).length;
const cellsOf = (polygons: MultiPolygon): number =>
  sizeOf(polygons, SIZE, { cell: () => 1, run: (_r, a, b) => b - a }, () => null).cells;

describe("ground that is laid", () => {
  test("along cells: those whose centres lie in what was drawn", () => {
    const drawn: MultiPolygon = [
      [
        [
          [10.2, 10.2],
          [10.2, 20.7],
          [15.6, 20.7],
          [15.6, 10.2],
          [10.2, 10.2],
        ],
      ],
    ];
    const { gone, made } = laid(patch(0, drawn, 3), null, [], SNAPPED, SIZE);
    expect(gone).toEqual([]);
    expect(made).toEqual([{ from: null, label: 3, polygons: expect.any(Array) as unknown }]);
    expect(areaInCells(made[0]!.polygons)).toBe(66);
    expect(windowOf(made[0]!.polygons, SIZE)).toEqual({ col: 10, row: 10, width: 6, height: 11 });
  });

  test("free: the outline stays as it is drawn", () => {
    const drawn: MultiPolygon = [
      [
        [
          [10.25, 10.25],
          [12.25, 20.75],
          [15.5, 10.5],
          [10.25, 10.25],
        ],
      ],
    ];
    const { made } = laid(patch(0, drawn), null, [], FREE, SIZE);
    expect(new Set(made[0]!.polygons[0]![0]!.map(String))).toEqual(
      new Set(drawn[0]![0]!.map(String)),
    );
  });

  test("takes ground of others, and what would be left of them under a cell", () => {
    const under = [patch(1, box(0, 0, 10, 10)), patch(2, box(10, 0, 20, 10), 2)];
    // Leaves 0.4 cells of the first one to the left of it.
    const outcome = laid(patch(0, box(0.04, -5, 15, 12), 3), null, under, FREE, SIZE);
    expect(outcome.gone).toEqual([1, 2]);
    expect(outcome.made.map(({ from, label }) => [from, label])).toEqual([
      [null, 3],
      [2, 2],
    ]);
    const [own, other] = outcome.made;
    expect(areaInCells(other!.polygons)).toBe(50);
    expect(areaInCells(own!.polygons)).toBeCloseTo(15 * 12 - 0.04 * 2, 2);
    expect(areaInCells(intersection(own!.polygons, other!.polygons))).toBe(0);
  });

  test("leaves the ground of others out where it may not take it", () => {
    const under = [patch(1, box(0, 0, 10, 10))];
    const outcome = laid(
      patch(0, box(5, 5, 15, 15)),
      null,
      under,
      { ...SNAPPED, isTaking: false },
      SIZE,
    );
    expect(outcome.gone).toEqual([]);
    expect(areaInCells(outcome.made[0]!.polygons)).toBe(75);
    expect(() =>
      laid(patch(0, box(1, 1, 4, 4)), null, under, { ...SNAPPED, isTaking: false }, SIZE),
    ).toThrow(/No cell/);
  });

  test("in place of the outline that a patch had; it does not meet itself", () => {
    const own = patch(7, box(20, 20, 40, 40), 2);
    const moved = box(22, 20, 42, 40);
    const outcome = laid({ label: 2, polygons: moved }, own, [own], SNAPPED, SIZE);
    expect(outcome.gone).toEqual([7]);
    expect(outcome.made).toHaveLength(1);
    expect(outcome.made[0]!.from).toBe(7);
    expect(areaInCells(outcome.made[0]!.polygons)).toBe(400);
  });

  test("a crossing outline and one over the edge of the map are made sound", () => {
    const bow: MultiPolygon = [
      [
        [
          [-10, 0],
          [10, 20],
          [10, 0],
          [-10, 20],
          [-10, 0],
        ],
      ],
    ];
    const [made] = laid(patch(0, bow), null, [], FREE, SIZE).made;
    // The lobe on the map: a triangle of 20 by 10.
    expect(areaInCells(made!.polygons)).toBeCloseTo(100, 6);
    expect(windowOf(made!.polygons, SIZE)!.col).toBe(0);
  });

  test("holes under a cell are filled, larger ones stay", () => {
    const hole = (at: number, by: number): Position[] => [
      [at, at],
      [at + by, at],
      [at + by, at + by],
      [at, at + by],
      [at, at],
    ];
    const shape: MultiPolygon = [[box(0, 0, 30, 30)[0]![0]!, hole(5, 0.9), hole(15, 3)]];
    const [made] = laid(patch(0, shape), null, [], FREE, SIZE).made;
    expect(areaInCells(made!.polygons)).toBe(900 - 9);
  });

  test("an outline without the centre of a cell is refused", () => {
    const small = box(10.6, 10.6, 11.4, 11.4);
    expect(() => laid(patch(0, small), null, [], SNAPPED, SIZE)).toThrow(InputError);
    expect(() => laid(patch(0, small), null, [], FREE, SIZE)).toThrow(/No cell/);
  });
});

describe("a cut", () => {
  test("parts a patch; each cell belongs to one part, and none is lost", () => {
    const whole = box(10, 10, 60, 50);
    const outcome = cut(
      patch(3, whole, 2),
      [
        [5, 12],
        [40, 33],
        [70, 41],
      ],
      SNAPPED,
      SIZE,
    );
    expect(outcome.gone).toEqual([3]);
    expect(outcome.made).toHaveLength(2);
    const owners = ownersOf(outcome);
    expect(countOf(owners, -1)).toBe(0);
    expect(countOf(owners, 1) + countOf(owners, 2)).toBe(50 * 40);
    const [one, two] = outcome.made;
    expect(areaInCells(one!.polygons) + areaInCells(two!.polygons)).toBe(2000);
  });

  test("free: parts share the line, without a gap", () => {
    const whole = box(10, 10, 60, 50);
    const { made } = cut(
      patch(3, whole),
      [
        [5, 30.3],
        [70, 17.7],
      ],
      FREE,
      SIZE,
    );
    const [one, two] = made.map(({ polygons }) => polygons);
    expect(areaInCells(one!) + areaInCells(two!)).toBeCloseTo(2000, 1);
    expect(areaInCells(intersection(one!, two!))).toBe(0);
    expect(areaInCells(union(one!, two!))).toBeCloseTo(2000, 6);
    // Below the line: its mean height over the patch, 23.4 rows at column 35.
    const lower = 40 - (30.3 - (12.6 * 30) / 65 - 10);
    expect([areaInCells(one!), areaInCells(two!)].map((area) => Math.round(area))).toContain(
      Math.round(50 * lower),
    );
  });

  test("a part that touches only at a corner stays with the larger piece", () => {
    const two: MultiPolygon = [...box(10, 10, 20, 20), ...box(20, 20, 50, 40)];
    const { made } = cut(
      patch(1, two),
      [
        [40, 15],
        [40, 45],
      ],
      SNAPPED,
      SIZE,
    );
    expect(made.map(({ polygons }) => areaInCells(polygons))).toEqual([100 + 400, 200]);
  });

  test("a ring is parted only by a line that crosses it twice", () => {
    const ring = difference(box(10, 10, 40, 40), box(20, 20, 30, 30));
    expect(() =>
      cut(
        patch(1, ring),
        [
          [5, 25],
          [25, 25],
        ],
        SNAPPED,
        SIZE,
      ),
    ).toThrow(/does not part/);
    expect(
      cut(
        patch(1, ring),
        [
          [5, 25],
          [45, 25],
        ],
        SNAPPED,
        SIZE,
      ).made,
    ).toHaveLength(2);
  });

  test.each([
    [
      "beside it",
      [
        [0, 0],
        [5, 5],
      ],
    ],
    [
      "into it",
      [
        [0, 25],
        [25, 25],
      ],
    ],
    ["of one place", [[25, 25]]],
    [
      "along a side",
      [
        [10, 5],
        [10, 45],
      ],
    ],
  ] as [string, Position[]][])("a line %s is refused", (_what, line) => {
    expect(() => cut(patch(1, box(10, 10, 40, 40)), line, SNAPPED, SIZE)).toThrow(/does not part/);
  });

  test("loose ends that stop amid the patch leave no mark", () => {
    const line: Position[] = [
      [0, 20],
      [45, 20],
      [45, 25],
      [30, 25],
    ];
    const { made } = cut(patch(1, box(10, 10, 40, 40)), line, FREE, SIZE);
    expect(made).toHaveLength(2);
    const corners = made.flatMap(({ polygons }) => polygons.flat(2));
    expect(corners.every(([, y]) => y < 24.9 || y > 25.1)).toBe(true);
  });
});

describe("patches that are merged or renamed", () => {
  test("the side between two is gone; the class is that of the first", () => {
    const { gone, made } = merged(
      [patch(4, box(10, 10, 20, 20), 2), patch(9, box(20, 10, 30, 20), 1)],
      SIZE,
    );
    expect(gone).toEqual([4, 9]);
    expect(made).toHaveLength(1);
    expect(made[0]).toMatchObject({ from: 4, label: 2 });
    expect(made[0]!.polygons).toHaveLength(1);
    expect(made[0]!.polygons[0]![0]).toHaveLength(5);
  });

  test("patches apart become one in parts; one alone is refused", () => {
    const { made } = merged([patch(1, box(0, 0, 5, 5)), patch(2, box(50, 50, 60, 60))], SIZE);
    expect(made[0]!.polygons).toHaveLength(2);
    expect(() => merged([patch(1, box(0, 0, 5, 5))], SIZE)).toThrow(/alone/);
  });

  test("another class on the same ground", () => {
    const polygons = box(0, 0, 5, 5);
    expect(relabelled(patch(1, polygons), 4)).toEqual({
      gone: [1],
      made: [{ from: 1, label: 4, polygons }],
    });
  });
});

describe("sizes", () => {
  const grid = northUp(LONLAT, 10, 50, 0.001, 0.001, SIZE.width, SIZE.height);

  test("cells, area and parts by zone, against counting cell by cell", () => {
    const polygons: MultiPolygon = [
      [
        [
          [3.2, 4.1],
          [60.7, 20.3],
          [30.9, 77.7],
          [3.2, 4.1],
        ],
      ],
    ];
    const areas = cellAreas(grid);
    const zoneAt = (col: number, row: number) => (col + row) % 3;
    const found = sizeOf(polygons, SIZE, areas, ({ col, row, width, height }) =>
      Uint16Array.from({ length: width * height }, (_v, k) =>
        zoneAt(col + (k % width), row + Math.floor(k / width)),
      ),
    );
    const owners = ownersOf({ gone: [], made: [{ from: null, label: 1, polygons }] });
    const expected = [0, 1, 2].map((zone) => ({ zone, cells: 0, areaM2: 0 }));
    owners.forEach((row, r) =>
      row.forEach((owner, c) => {
        if (owner === 1) {
          expected[zoneAt(c, r)]!.cells++;
          expected[zoneAt(c, r)]!.areaM2 += areas.cell(c, r);
        }
      }),
    );
    expect(found.cells).toBe(countOf(owners, 1));
    expect(found.zones.map(({ zone, cells }) => [zone, cells])).toEqual(
      expected.map(({ zone, cells }) => [zone, cells]),
    );
    found.zones.forEach(({ areaM2 }, k) => expect(areaM2 / expected[k]!.areaM2).toBeCloseTo(1, 9));
  });

  test("an outline along cells has the area of its cells", () => {
    const shape = alongCells(
      [
        [
          [
            [3.2, 4.1],
            [60.7, 20.3],
            [30.9, 77.7],
            [3.2, 4.1],
          ],
        ],
      ],
      SIZE,
    );
    expect(areaInCells(shape)).toBe(cellsOf(shape));
    expect(alongCells(shape, SIZE).flat(2)).toHaveLength(shape.flat(2).length);
  });
});

describe("painting", () => {
  test("what is gone loses its class, what is laid has it; ground not seen stays so", () => {
    const window = { col: 0, row: 0, width: 4, height: 4 };
    const labels = Uint8Array.of(1, 1, 1, 255, 1, 1, 1, 255, 1, 1, 1, 255, 2, 2, 2, 255);
    const numbers = new Float32Array(16);
    const made = { number: 12, label: 3, polygons: box(2, 2, 4, 3) };
    const size = { width: 4, height: 4 };
    const gone = { erased: [box(0, 0, 4, 3)], laid: [made] };
    paint(gone, window, { size, level: 0 }, { labels, numbers });
    expect([...labels]).toEqual([0, 0, 0, 255, 0, 0, 0, 255, 0, 0, 3, 3, 2, 2, 2, 255]);
    expect([...numbers]).toEqual([0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 12, 12, 0, 0, 0, 0]);
    expect(CLASS_NODATA).toBe(255);
  });

  test("overviews and windows amid the map take the cells whose centres are covered", () => {
    const made = { number: 1, label: 3, polygons: box(64, 64, 96, 96) };
    const window = { col: 14, row: 14, width: 12, height: 12 };
    const labels = new Uint8Array(144);
    paint({ erased: [], laid: [made] }, window, { size: SIZE, level: 2 }, { labels });
    const covered = [...labels].flatMap((label, k) =>
      label === 3 ? [`${14 + (k % 12)} ${14 + Math.floor(k / 12)}`] : [],
    );
    expect(covered).toHaveLength(64);
    expect(covered[0]).toBe("16 16");
    expect(covered.at(-1)).toBe("23 23");
  });
});
