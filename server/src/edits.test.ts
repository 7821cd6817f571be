import type { ChangeMap, PatchRow, PatchShape } from "@hindglance/contract/changeMaps";
import type { EditState, EditedOutline, EditedShape } from "@hindglance/contract/edits";
import type { ErrorAnswer } from "@hindglance/contract/errors";
import type { LedgerEntry } from "@hindglance/contract/studies";
import { BLOCK } from "@hindglance/core/grid/grid";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { randomUUID } from "node:crypto";
import { FLOOD_SIZE, FloodedStudy, cornerAt } from "./testing/flooded";
import { TestServer } from "./testing/harness";

// The flood of columns 60 to 220 is one patch, that of 300 to 340 another; both are edited.
const { width, height } = FLOOD_SIZE;

let testServer: TestServer;
let study: FloodedStudy;
let map: ChangeMap;
beforeAll(async () => {
  testServer = await TestServer.start();
  study = await FloodedStudy.make(testServer, "Edits");
  map = await study.write("Written");
  await testServer.quiet();
});
afterAll(() => testServer.stop());

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
type Done = { head: number; made: number[] } & ErrorAnswer;
const edit = ({ id }: { id: string }, what: object, key = randomUUID()) =>
  testServer.call<Done>("POST", `/change-maps/${id}/edits`, {
    ...{ key, editor: "Ann" },
    edit: { isSnapped: true, isTaking: true, ...what },
  });
const go = ({ id }: { id: string }, head: number | null) =>
  testServer.call<{ head: number | null } & ErrorAnswer>("PATCH", `/change-maps/${id}/edits`, {
    head,
  });
const stateOf = async ({ id }: { id: string }) =>
  (await testServer.call<EditState>("GET", `/change-maps/${id}/edits`)).body;
const outlineOf = async ({ id }: { id: string }, number: number) =>
  (
    await testServer.call<EditedOutline & ErrorAnswer>(
      "GET",
      `/change-maps/${id}/edits/patches/${number}`,
    )
  ).body;
const cellsOf = (state: EditState, label: number) =>
  state.areas.find((one) => one.label === label)!;

/** Labels of a node as its tiles give them, row by row. */
async function labelsOf(hash: string): Promise<Uint8Array> {
  const { status, bytes } = await testServer.call("GET", `/nodes/${hash}/tiles/0/0/0`);
  expect(status).toBe(200);
  return new Uint8Array(bytes);
}

/** Numbers of the patches of the map, from left to right. */
async function numbersOf({ id }: { id: string }): Promise<number[]> {
  const { body } = await testServer.call<{ patches: PatchRow[] }>(
    "GET",
    `/change-maps/${id}/patches?labels=1`,
  );
  return body.patches.sort((a, b) => a.west - b.west).map(({ number }) => number);
}

test("the map that is edited has two patches of new water", async () => {
  expect(width).toBeLessThan(BLOCK);
  expect(await numbersOf(map)).toHaveLength(2);
  const state = await stateOf(map);
  expect(state).toMatchObject({ head: null, before: null, redo: null, acts: [], gone: 0, made: 0 });
  for (const { writtenM2, editedM2 } of state.areas) {
    expect(editedM2).toBe(writtenM2);
  }
});

describe("acts", () => {
  test("a cut, a patch more, another class, a merge: the areas follow each", async () => {
    const [west = 0, east = 0] = await numbersOf(map);
    const start = cellsOf(await stateOf(map), 1);
    const parted = await edit(map, {
      kind: "cut",
      number: west,
      line: [
        [140, -1],
        [140, height + 1],
      ],
    });
    expect(parted.status).toBe(200);
    expect(parted.body.made).toHaveLength(2);
    const parts = await Promise.all(parted.body.made.map((number) => outlineOf(map, number)));
    const whole = (await outlineWritten(west)).cells;
    expect(parts[0]!.cells + parts[1]!.cells).toBe(whole);
    expect(cellsOf(await stateOf(map), 1).editedCells).toBe(start.writtenCells);

    const drawn = await edit(map, { kind: "draw", label: 1, polygons: box(240, 20, 260, 50) });
    expect((await outlineOf(map, drawn.body.made[0]!)).cells).toBe(20 * 30);
    expect(cellsOf(await stateOf(map), 1).editedCells).toBe(start.writtenCells + 600);

    await edit(map, { kind: "relabel", numbers: drawn.body.made, label: 2 });
    const now = await stateOf(map);
    expect(cellsOf(now, 1).editedCells).toBe(start.writtenCells);
    expect(cellsOf(now, 2).editedCells).toBe(600 + cellsOf(now, 2).writtenCells);

    const merged = await edit(map, { kind: "merge", numbers: [east, parts[1]!.number] });
    const one = await outlineOf(map, merged.body.made[0]!);
    expect(one.cells).toBe((await outlineWritten(east)).cells + parts[1]!.cells);
    expect((await stateOf(map)).acts.map(({ kind }) => kind)).toEqual([
      "merge",
      "relabel",
      "draw",
      "cut",
    ]);
  });

  const outlineWritten = async (number: number) =>
    (await testServer.call<PatchShape>("GET", `/change-maps/${map.id}/outlines/${number}`)).body;

  test("undo goes back, redo forward, and nothing that was set aside is lost", async () => {
    const { head, before } = await stateOf(map);
    await go(map, before);
    const undone = await stateOf(map);
    expect(undone).toMatchObject({ head: before, redo: head });
    const other = await edit(map, { kind: "draw", label: 1, polygons: box(370, 20, 375, 25) });
    // The merge was set aside by another act on the same state; it can be gone to all the same.
    await go(map, head);
    expect((await stateOf(map)).head).toBe(head);
    await go(map, other.body.head);
    const on = await stateOf(map);
    expect(on.acts.filter(({ parent }) => parent === before)).toHaveLength(2);
    await go(map, null);
    const bare = await stateOf(map);
    expect(bare.areas.every(({ writtenM2, editedM2 }) => writtenM2 === editedM2)).toBe(true);
    expect(bare.node.hash).not.toBe(on.node.hash);
    await go(map, head);
  });

  test("classes are painted with the edits, patch by patch", async () => {
    const { node, head } = await stateOf(map);
    await go(map, null);
    const bare = await labelsOf((await stateOf(map)).node.hash);
    await go(map, head);
    const painted = await labelsOf(node.hash);
    const expected = bare.map((label, cell) => {
      const [col, row] = [cell % width, Math.floor(cell / width)];
      return col >= 240 && col < 260 && row >= 20 && row < 50 ? 2 : label;
    });
    expect(Buffer.compare(painted, expected)).toBe(0);
  });

  test("asked twice with one key, an act is done once", async () => {
    const key = randomUUID();
    const was = await stateOf(map);
    const what = { kind: "draw", label: 2, polygons: box(380, 100, 384, 104) };
    const [first, second] = await Promise.all([edit(map, what, key), edit(map, what, key)]);
    expect(first.body).toEqual(second.body);
    const { acts, head, before } = await stateOf(map);
    expect(acts).toHaveLength(was.acts.length + 1);
    expect([acts[0]!.id, before]).toEqual([head, was.head]);
    await go(map, before);
  });

  test("outlines of a part of the map are those that edits left and made", async () => {
    const corners = [cornerAt(0, height), cornerAt(width, 0)].flat();
    const { body } = await testServer.call<{ count: number; patches: EditedShape[] }>(
      "GET",
      `/change-maps/${map.id}/edits/outlines?box=${corners.join()}`,
    );
    const { gone, made } = await stateOf(map);
    expect(gone).toBe(2);
    expect(body.patches.filter(({ edited }) => edited)).toHaveLength(made);
    expect(body.count).toBe(body.patches.length);
    const drawn = body.patches.find(({ label, edited }) => edited && label === 2)!;
    const { geometry } = drawn;
    const ring = geometry.type === "Polygon" ? geometry.coordinates[0]! : [];
    const expected = [cornerAt(240, 20), cornerAt(260, 50)];
    expect(Math.min(...ring.map(([lon]) => lon))).toBeCloseTo(
      Math.min(expected[0]![0], cornerAt(240, 50)[0]),
      6,
    );
    expect(Math.max(...ring.map(([, lat]) => lat))).toBeCloseTo(
      Math.max(expected[0]![1], cornerAt(260, 20)[1]),
      6,
    );
  });

  test("a patch that was edited meanwhile, and what nobody could mean, is refused in words", async () => {
    const [west = 0] = await numbersOf(map);
    const tooThin = box(10.6, 10.6, 11.4, 11.4);
    const cases: [object, number, RegExp][] = [
      [{ kind: "remove", numbers: [west] }, 409, new RegExp(`Patch ${west} is not there any more`)],
      [{ kind: "remove", numbers: [999_999] }, 409, /not there/],
      [{ kind: "remove" }, 422, /needs numbers/],
      [{ kind: "draw", label: 9, polygons: box(0, 0, 9, 9) }, 422, /no class 9/],
      [{ kind: "draw", label: 1, polygons: tooThin }, 422, /No cell has its centre/],
      [{ kind: "draw", label: 1, polygons: [[[1, 2]]] }, 422, /rings of corners/],
      [{ kind: "draw", label: 1, polygons: box(-90, -90, -50, -50) }, 422, /No cell/],
      [{ kind: "cut" }, 422, /needs number/],
      [{ kind: "melt" }, 422, /kind must be one of/],
    ];
    for (const [what, status, message] of cases) {
      const { body, status: got } = await edit(map, what);
      expect([got, body.error?.message]).toEqual([status, expect.stringMatching(message)]);
    }
    expect((await go(map, 12_345_678)).status).toBe(404);
    const away = await testServer.call("GET", `/change-maps/${map.id}/edits/patches/x`);
    expect(away.status).toBe(404);
  });
});

describe("the edited map", () => {
  let edited: ChangeMap;
  const write = (name: string, of = map) =>
    testServer.call<{ runId: string } & ErrorAnswer>("POST", `/change-maps/${of.id}/edits/map`, {
      name,
    });

  test("is written as a map of its own with both tables", async () => {
    const state = await stateOf(map);
    edited = await study.mapOf(await write("Edited"));
    expect(edited).toMatchObject({
      name: "Edited",
      edited: {
        from: { id: map.id, name: "Written" },
        acts: { cut: 1, draw: 1, relabel: 1, merge: 1 },
        editors: ["Ann"],
      },
    });
    expect(edited.rowsBefore).toEqual(map.rows);
    for (const { label, editedCells, editedM2 } of state.areas) {
      const row = edited.rows.find((one) => one.zone === null && one.label === label)!;
      expect(row.cells).toBe(editedCells);
      expect(Math.abs(row.areaM2 - editedM2)).toBeLessThanOrEqual(1e-9 * row.areaM2);
    }
    const { body } = await testServer.call<LedgerEntry[]>("GET", `/studies/${study.id}/ledger`);
    expect(body.some(({ what }) => what === "Edited map written")).toBe(true);
  });

  test("its patches are those of the edits; parts by zone add up to its table", async () => {
    const { body } = await testServer.call<{ patches: PatchRow[] }>(
      "GET",
      `/change-maps/${edited.id}/patches?limit=500`,
    );
    const { gone, made } = await stateOf(map);
    expect(body.patches).toHaveLength(map.patchCount - gone + made);
    expect(body.patches.filter((one) => one.edited)).toHaveLength(made);
    expect(body.patches.map(({ number }) => number).sort((a, b) => a - b)).toEqual(
      body.patches.map((_one, k) => k + 1),
    );
    expect(body.patches.every(({ measure }) => measure !== null)).toBe(true);
    const standing = await testServer.call<{
      areas: { zone: number | null; label: number; cells: number }[];
    }>("GET", `/change-maps/${edited.id}/standing`);
    for (const row of edited.rows.filter(({ label }) => label > 0)) {
      const zone = row.zone === null ? null : ["In no zone", "West", "East"].indexOf(row.zone);
      const found = standing.body.areas.filter(
        (one) => one.zone === zone && one.label === row.label,
      );
      expect(found.reduce((sum, { cells }) => sum + cells, 0)).toBe(row.cells);
    }
  });

  test("its doubt is counted patch by patch, parts that touch apart", async () => {
    await testServer.quiet();
    const { body } = await testServer.call<{ patches: PatchRow[] }>(
      "GET",
      `/change-maps/${edited.id}/patches?limit=500`,
    );
    expect(
      body.patches.every(({ certainty, edgeShare }) => certainty !== null && edgeShare !== null),
    ).toBe(true);
    const drawn = body.patches.find((one) => one.edited && one.label === 2)!;
    expect(drawn.edgeShare).toBeCloseTo((20 * 30 - 18 * 28) / 600, 6);
  });

  test("verdicts of the map that was edited hold where patches stayed", async () => {
    const [, east = 0] = await numbersOf(map);
    const said = { reviewer: "Ann", verdict: "real", numbers: [east] };
    await testServer.call("POST", `/change-maps/${map.id}/verdicts`, said);
    await go(map, null);
    await edit(map, { kind: "draw", label: 2, polygons: box(240, 20, 260, 50) });
    const again = await study.mapOf(await write("Edited anew"));
    const numbers = await numbersOf(again);
    const { body } = await testServer.call<{ standing: string; number: number }[]>(
      "GET",
      `/change-maps/${again.id}/patches/${numbers.at(-1)!}/verdicts`,
    );
    expect(body).toEqual([
      expect.objectContaining({
        verdict: "real",
        inherited: { map: "Written", patch: east, share: 1 },
      }),
    ]);
  });

  test("it can be edited in turn, and be written again", async () => {
    const numbers = await numbersOf(edited);
    const [first] = numbers;
    const before = cellsOf(await stateOf(edited), 1).writtenCells;
    const gone = await outlineOf(edited, first!);
    await edit(edited, { kind: "remove", numbers: [first] });
    const twice = await study.mapOf(await write("Edited twice", edited));
    const row = twice.rows.find((one) => one.zone === null && one.label === 1)!;
    expect(row.cells).toBe(before - gone.cells);
    expect(twice.patchCount).toBe(edited.patchCount - 1);
    expect(await numbersOf(twice)).toHaveLength(numbers.length - 1);
  });

  test("a map without edits, and one without a name, are not written", async () => {
    await go(map, null);
    expect((await write("Nothing")).body.error?.message).toMatch(/no edits/);
    expect((await write(" ")).body.error?.message).toMatch(/name/);
  });
});

test("ground grows within the measure from a place of the map", async () => {
  const [x, y] = [map.info.grid.transform[0] + 320.5 * 20, map.info.grid.transform[3] - 150.5 * 20];
  const { body, status } = await testServer.call<{ levels: string; spread: number }>(
    "POST",
    `/change-maps/${map.id}/edits/grown`,
    { at: [x, y] },
  );
  expect(status).toBe(200);
  const levels = Buffer.from(body.levels, "base64");
  expect(body.spread).toBeGreaterThan(1);
  // Within half a spread: most of the flood's own columns, and nothing of the land beside it.
  const grown = levels.filter((level) => level <= 254 / 4).length;
  expect(grown).toBeGreaterThan(0.5 * 40 * height);
  expect(grown).toBeLessThan(1.05 * 40 * height);
});

test("what was confirmed is there after the server is killed amid edits", async () => {
  await go(map, null);
  const confirmed: number[] = [];
  let isKilled = false;
  const working = (async () => {
    for (let k = 0; k < 40 && !isKilled; k++) {
      const left = 240 + 2 * (k % 20);
      try {
        const polygons = box(
          left,
          60 + 4 * Math.floor(k / 20),
          left + 2,
          63 + 4 * Math.floor(k / 20),
        );
        const { body, status } = await edit(map, { kind: "draw", label: 2, polygons });
        if (status === 200) {
          confirmed.push(body.head);
        }
      } catch {
        // The one that the server was killed amid: it was not confirmed.
      }
    }
  })();
  while (confirmed.length < 5) {
    await new Promise((resolve) => setTimeout(resolve, 5));
  }
  await testServer.kill();
  isKilled = true;
  await working;
  await testServer.restart();
  const { acts, made } = await stateOf(map);
  const known = new Set(acts.map(({ id }) => id));
  expect(confirmed.every((id) => known.has(id))).toBe(true);
  expect(made).toBeGreaterThanOrEqual(confirmed.length);
});
