import { randomUUID } from "node:crypto";
import type { PatchQuery } from "@hindglance/contract/changeMaps";
import { databaseForTests } from "../testing/database";
import {
  type NewPatch,
  deletePatches,
  patchesIn,
  placeOfPatch,
  queryPatches,
  readPatches,
  sweepPatches,
  writePatches,
} from "./changeMaps";

const testDatabase = databaseForTests();
const { withClient } = testDatabase;

const map = randomUUID();

/** A patch whose box is a tenth of a degree around (number, label). */
const patch = (number: number, label: number, facts: Partial<NewPatch> = {}): NewPatch => ({
  number,
  label,
  edited: false,
  cells: number * 10,
  areaM2: number * 1000,
  perimeterM: number * 4,
  measure: -number,
  elevation: 50 * number,
  west: number - 0.1,
  south: label - 0.1,
  east: number + 0.1,
  north: label + 0.1,
  geometry: `{"type":"Point","coordinates":[${number},${label}]}`,
  ...facts,
});
const PATCHES = [
  patch(1, 1),
  patch(2, 2, { areaM2: 9000.125, cells: 2 ** 40 }),
  patch(3, 1, { measure: null, elevation: null, perimeterM: null }),
  patch(4, 2),
  patch(5, 1, { areaM2: 4000 }),
];
const ALL: PatchQuery = {
  labels: null,
  standings: null,
  zone: null,
  within: null,
  first: null,
  leastM2: null,
  mostM2: null,
  measureFrom: null,
  measureTo: null,
  elevationFrom: null,
  elevationTo: null,
  doubtFrom: null,
  doubtTo: null,
  sort: "number",
  down: false,
};
beforeEach(() => withClient((client) => writePatches(client, map, PATCHES)));

const numbersOf = async (query: Partial<PatchQuery>, offset = 0, limit = 100) => {
  const got = await withClient((client) =>
    queryPatches(client, map, { ...ALL, ...query }, offset, limit),
  );
  return { ...got, patches: got.patches.map(({ number }) => number) };
};

const NOT_COUNTED = {
  certainty: null,
  edgeShare: null,
  earlierAlike: 0,
  earlierSeen: 0,
  laterAlike: 0,
  laterSeen: 0,
  level: null,
  spread: null,
  depth: null,
  seenShare: null,
  confirmedShare: null,
};

describe("written and read", () => {
  test("every figure comes back as it was, with what is not known as null", async () => {
    expect(await withClient((client) => readPatches(client, map, 1, 100))).toEqual(
      PATCHES.map((one) => ({ ...one, ...NOT_COUNTED, standing: "open" })),
    );
  });

  test("in pages by number", async () => {
    const page = (from: number, limit: number) =>
      withClient(async (client) =>
        (await readPatches(client, map, from, limit)).map(({ number }) => number),
      );
    expect(await page(2, 2)).toEqual([2, 3]);
    expect(await page(5, 2)).toEqual([5]);
    expect(await page(6, 2)).toEqual([]);
  });

  test("written twice they are there once; a map's own are deleted, another's stay", async () => {
    const other = randomUUID();
    await withClient((client) => writePatches(client, other, [patch(1, 1)]));
    await withClient((client) => writePatches(client, map, PATCHES));
    expect((await numbersOf({})).count).toBe(5);
    await withClient((client) => deletePatches(client, map));
    expect((await numbersOf({})).count).toBe(0);
    expect(await withClient((client) => readPatches(client, other, 1, 9))).toHaveLength(1);
  });
});

describe("asked for", () => {
  test("all, with their number and area", async () => {
    expect(await numbersOf({})).toEqual({
      count: 5,
      areaM2: 1000 + 9000.125 + 3000 + 4000 + 4000,
      patches: [1, 2, 3, 4, 5],
    });
  });

  test.each<[string, Partial<PatchQuery>, number[]]>([
    ["by class", { labels: [2] }, [2, 4]],
    ["by several classes", { labels: [1, 2] }, [1, 2, 3, 4, 5]],
    ["by no class at all", { labels: [] }, []],
    ["by least area, itself included", { leastM2: 4000 }, [2, 4, 5]],
    ["by most area, itself included", { mostM2: 4000 }, [1, 3, 4, 5]],
    ["by measure; what has none is not among them", { measureFrom: -4 }, [1, 2, 4]],
    ["by measure from both sides", { measureFrom: -4, measureTo: -2 }, [2, 4]],
    ["by elevation", { elevationFrom: 100, elevationTo: 200 }, [2, 4]],
    [
      "by a ring around their middles",
      { within: [0.5, 0.5, 3.4, 0.5, 3.4, 1.5, 0.5, 1.5] },
      [1, 3],
    ],
    ["by a ring that bends inwards", { within: [0, 0, 9, 0, 9, 9, 2, 0.5, 0, 9] }, [1, 3, 4, 5]],
    ["by class and area", { labels: [1], leastM2: 3000 }, [3, 5]],
    ["with some classes before the others", { first: [2] }, [2, 4, 1, 3, 5]],
    [
      "with them first in their own order",
      { first: [2], sort: "area", down: true },
      [2, 4, 5, 3, 1],
    ],
  ])("%s", async (_what, query, numbers) => {
    const got = await numbersOf(query);
    expect(got.patches).toEqual(numbers);
    expect(got.count).toBe(numbers.length);
    const area = PATCHES.filter(({ number }) => numbers.includes(number));
    expect(got.areaM2).toBe(area.reduce((sum, { areaM2 }) => sum + areaM2, 0));
  });

  test.each<[PatchQuery["sort"], boolean, number[]]>([
    ["area", true, [2, 4, 5, 3, 1]],
    ["area", false, [1, 3, 4, 5, 2]],
    ["class", false, [1, 3, 5, 2, 4]],
    ["measure", false, [5, 4, 2, 1, 3]],
    ["measure", true, [1, 2, 4, 5, 3]],
    ["perimeter", true, [5, 4, 2, 1, 3]],
    ["elevation", false, [1, 2, 4, 5, 3]],
    // Those of class 2 lie a degree to the north.
    ["place", false, [2, 4, 1, 3, 5]],
  ])("sorted by %s, down: %s; what has none comes last", async (sort, down, numbers) => {
    expect((await numbersOf({ sort, down })).patches).toEqual(numbers);
    const places = await Promise.all(
      numbers.map((number) =>
        withClient((client) => placeOfPatch(client, map, { ...ALL, sort, down }, number)),
      ),
    );
    expect(places).toEqual([0, 1, 2, 3, 4]);
  });

  test("a page of an order, with the number of all", async () => {
    expect(await numbersOf({ sort: "area", down: true }, 1, 2)).toMatchObject({
      count: 5,
      patches: [4, 5],
    });
  });

  test("a patch that is not among those asked for has no place", async () => {
    const place = (number: number) =>
      withClient((client) => placeOfPatch(client, map, { ...ALL, labels: [2] }, number));
    expect(await place(4)).toBe(1);
    expect(await place(1)).toBeNull();
    expect(await place(77)).toBeNull();
  });
});

describe("within a box", () => {
  const within = (box: number[], query: Partial<PatchQuery> = {}, limit = 10) =>
    withClient(async (client) =>
      (await patchesIn(client, map, { ...ALL, ...query }, box, limit)).map(({ number }) => number),
    );

  test("those that touch it, the largest first", async () => {
    expect(await within([0, 0, 10, 10])).toEqual([2, expect.any(Number), expect.any(Number), 3, 1]);
    expect(await within([1.05, 0.5, 1.2, 1.5])).toEqual([1]);
    // The side itself counts.
    expect(await within([1.1, 0.5, 1.2, 1.5])).toEqual([1]);
    expect(await within([1.11, 0.5, 1.2, 1.5])).toEqual([]);
  });

  test("of the class asked for, and no more than asked for", async () => {
    expect(await within([0, 0, 10, 10], { labels: [2] })).toEqual([2, 4]);
    expect(await within([0, 0, 10, 10], {}, 1)).toEqual([2]);
  });
});

test("patches whose map never came to be are swept; those of a run at work are not", async () => {
  const coming = randomUUID();
  const study = await testDatabase.study("Maps");
  await withClient((client) => writePatches(client, coming, [patch(1, 1)]));
  await withClient((client) =>
    client.query(
      `
        INSERT INTO run (study_id, kind, title, params, phases, phase)
        VALUES ($1, 'writeChangeMap', 'Map', $2, '[]', 0)
      `,
      [study, { changeMapId: coming }],
    ),
  );
  await withClient(sweepPatches);
  expect(await withClient((client) => readPatches(client, map, 1, 9))).toEqual([]);
  expect(await withClient((client) => readPatches(client, coming, 1, 9))).toHaveLength(1);
});
