/** @jest-environment jsdom */
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { type Change, withChanges } from "@hindglance/contract/changes";
import type { FromTo, TransitionPatches } from "@hindglance/contract/fromTo";
import type { Comparison } from "@hindglance/contract/comparison";
import { EMPTY_CLASSIFY } from "@hindglance/core/classify/settings";
import type { CoverClass } from "@hindglance/core/cover/coverClass";
import type { ClassInfo } from "@hindglance/core/graph/image";
import type { Scene, Side } from "../../api/types";
import type { Asked } from "../../testing/page";
import { answersTo, fakeServer, giveSizes, pickOption, renderPage } from "../../testing/page";
import { aBand, aNode, aScene, aStudy, anImage, idOf } from "../../testing/things";
import { FromToPage } from "./FromToPage";
import { leftOut, likeSaid, merged, split, without } from "./pairing";
import { lines, said } from "./units";
import { fromToTable } from "@hindglance/core/cover/fromToTable";

giveSizes(400, 300);

const named = (names: readonly string[], from: number): ClassInfo[] =>
  names.map((name, k) => ({ label: from + k, name, color: "#336699" }));
const LEGENDS = {
  before: named(["Woodland", "Crop", "Bare rock"], 1),
  after: named(["Wodland", "Crops"], 10),
};
const CLASSES: CoverClass[] = [
  { name: "Woodland", color: "#336699", before: [1], after: [10] },
  { name: "Crop", color: "#336699", before: [2], after: [11] },
];
/** 50 cells of wood stay, 30 become crop; 10 of crop become wood, 60 stay. */
const TALLY = {
  zones: 2,
  entries: [
    [1, 50, 50e6],
    [2, 25, 25e6],
    [3, 10, 10e6],
    [4, 56, 56e6],
    // In the first zone.
    [256 + 2, 5, 5e6],
    [256 + 4, 4, 4e6],
  ] as [number, number, number][],
};

describe("pairs of classes", () => {
  test("say in how far their names are alike, and who is left out", () => {
    expect(CLASSES.map((one) => likeSaid(one, LEGENDS))).toEqual([
      "names 88 % alike",
      "same but for spelling",
    ]);
    expect(leftOut(CLASSES, "before", LEGENDS).map(({ name }) => name)).toEqual(["Bare rock"]);
  });
  test("are merged, taken apart and left out", () => {
    const one = merged(CLASSES, 1, 0);
    expect(one).toEqual([{ ...CLASSES[0]!, before: [1, 2], after: [10, 11] }]);
    expect(likeSaid(one[0]!, LEGENDS)).toBe("merged");
    const apart = split(one, 0, LEGENDS);
    expect(apart.map(({ name, before, after }) => [name, before, after])).toEqual([
      ["Woodland", [1], []],
      ["Crop", [2], []],
      ["Wodland", [], [10]],
      ["Crops", [], [11]],
    ]);
    expect(without(CLASSES, 0)).toEqual([CLASSES[1]]);
  });
});

test("the table in every unit, and as text", () => {
  const table = fromToTable(TALLY, 2);
  const part = table.cells[0]![1]!;
  const [wood, crop] = table.classes;
  const inUnit = (unit: Parameters<typeof said>[1]) => said(part, unit, wood!.before, crop!.after);
  expect([inUnit("km2"), inUnit("ha"), inUnit("cells")]).toEqual(["30.000", "3\u2009000.0", "30"]);
  expect([inUnit("before"), inUnit("after")]).toEqual(["37.5", "33.3"]);
  expect(lines(table, ["Wood", "Crop"], "cells")).toEqual([
    ["from \\ to", "Wood", "Crop", "before", "loss"],
    ["Wood", "50", "30", "80", "30"],
    ["Crop", "10", "60", "70", "10"],
    ["after", "60", "90"],
    ["gain", "10", "30"],
    ["net", "\u221220", "20"],
    ["swap", "20", "20"],
  ]);
});

const cover = (digit: number, year: number, classes: ClassInfo[]): Scene =>
  aScene({
    ...{ id: idOf(digit), name: `Map of ${year}`, kind: "classes", imageId: idOf(digit + 4) },
    acquiredAt: `${year}-01-22T13:00:00Z`,
    info: anImage({ type: "class8", bands: [aBand({ role: "classes" })], classes }),
  });
const SCENES = [cover(1, 2019, LEGENDS.before), cover(2, 2025, LEGENDS.after)];

const PIECES: TransitionPatches = {
  ...{ level: 0, count: 3, areaM2: 30e6 },
  patches: [
    { cells: 20, areaM2: 20e6, west: -21, south: -43.1, east: -20.9, north: -43 },
    { cells: 8, areaM2: 8e6, west: -21.2, south: -43.1, east: -21.1, north: -43 },
  ],
};
const NO_COMPARISON = {
  ...{ version: 1, comparison: null, nodes: null, areas: null, notRun: [], problem: null },
};
const pictured = (digit: number, year: number): Scene =>
  aScene({
    ...{ id: idOf(digit), name: `Scene of ${year}`, kind: "optical", imageId: idOf(digit) },
    acquiredAt: `${year}-01-22T13:00:00Z`,
  });
const sideOf = (sceneId: string): Side => ({
  ...{ sceneId, family: "optical", node: { step: "source", params: {}, inputs: [] } },
  ...{ hash: "f".repeat(32), cloud: null, looks: null, isKept: true, problem: null },
  info: anImage({ bands: [{ name: "NDVI", unit: "", role: "value" }] }),
});

function open(scenes: readonly Scene[], dates: readonly Scene[] = []) {
  const classNode = (letter: string) => aNode(letter, anImage({ type: "class8", classes: [] }));
  const made = (asked: Asked): FromTo => {
    const { classes } = asked.as<{ classes: CoverClass[] }>();
    return {
      transitions: classNode("b"),
      before: classNode("c"),
      after: classNode("d"),
      hash: "e".repeat(32),
      tally: classes.length === 3 ? { ...TALLY, entries: [[1, 9, 9e6]] } : TALLY,
      runId: null,
      zones: ["North"],
      warnings: ["Left out of Map of 2019: Bare rock."],
    };
  };
  const held = { version: 1, settings: EMPTY_CLASSIFY, dates: [] };
  const asked = fakeServer(
    answersTo({
      "/classification": (one: Asked) => {
        if (one.method === "PATCH") {
          held.settings = withChanges(held.settings, one.as<{ changes: Change[] }>().changes);
        }
        return held;
      },
      "/scenes": [...scenes, ...dates],
      "/from-to/patches": PIECES,
      "/from-to/paths": {
        counted: {
          ...{ level: 0, cells: 12, areaM2: 12e6 },
          paths: [
            { path: [0, 0, 0], cells: 8, areaM2: 8e6 },
            { path: [0, 1, 1], cells: 4, areaM2: 4e6 },
          ],
        },
        shown: null,
      },
      "/from-to": made,
      "/comparison": NO_COMPARISON,
      "/compare/sides": dates.map(({ id }) => sideOf(id)),
      [`/studies/${idOf(9)}`]: aStudy({ id: idOf(9) }),
    }),
  );
  renderPage(<FromToPage study={aStudy({ hazard: "land cover" })} />, { context: aStudy() });
  return asked;
}

describe("what became of what", () => {
  test("needs two classified dates, and says where they come from", async () => {
    open(SCENES.slice(0, 1));
    expect(await screen.findByText("Two classified dates are needed")).toBeTruthy();
  });

  test("pairs by name, counts, and shows the cell that is picked", async () => {
    const asked = open(SCENES);
    const cell = await screen.findByRole("button", { name: /^Woodland to Crop:/ });
    // Three classes: rock stands alone.
    const [first] = asked.filter(({ path }) => path.endsWith("/from-to"));
    expect(
      first!.as<{ classes: CoverClass[] }>().classes.map(({ before, after }) => [before, after]),
    ).toEqual([
      [[1], [10]],
      [[2], [11]],
      [[3], []],
    ]);
    expect(cell).toHaveProperty("disabled", true);
    const same = screen.getByRole("button", { name: /^Woodland to Woodland:/ });
    await userEvent.click(same);
    expect(same.getAttribute("aria-pressed")).toBe("true");
    expect(screen.getByText("only before")).toBeTruthy();
    expect(screen.getByText("Left out of Map of 2019: Bare rock.")).toBeTruthy();
  });

  test("is counted anew when classes are merged by hand", async () => {
    const asked = open(SCENES);
    await screen.findByRole("button", { name: /^Woodland to Crop:/ });
    await pickOption("Pair Bare rock by hand", "Leave out");
    await waitFor(() =>
      expect(screen.getByTestId("changed").textContent).toMatch(/^40.00.km² became something else/),
    );
    const last = asked.filter(({ path }) => path.endsWith("/from-to")).at(-1)!;
    expect(last.as<{ classes: CoverClass[] }>().classes).toHaveLength(2);
    const left = screen.getByRole("heading", { name: "Left out" }).parentElement!;
    expect(within(left).getByRole("button", { name: "Take in" })).toBeTruthy();
  });

  test("lists the ground of the picked cell, and keeps what hardly happens", async () => {
    const asked = open(SCENES);
    await userEvent.click(await screen.findByRole("button", { name: /^Woodland to Woodland:/ }));
    const list = await screen.findByRole("list", { name: "Patches" });
    expect(within(list).getAllByRole("button")).toHaveLength(2);
    expect(screen.getByText("3 patches; the largest 2")).toBeTruthy();
    // Unchanged ground is nothing to look at first.
    expect(screen.queryByRole("checkbox", { name: /Hardly happens/ })).toBeNull();
    await pickOption("Pair Bare rock by hand", "Leave out");
    await userEvent.click(await screen.findByRole("button", { name: /^Crop to Woodland:/ }));
    await userEvent.click(await screen.findByRole("checkbox", { name: /Hardly happens/ }));
    await waitFor(() =>
      expect(
        screen.getByRole("button", { name: /Crop to Woodland: \? hardly happens/ }),
      ).toBeTruthy(),
    );
    const sent = asked.filter(({ method }) => method === "PATCH").at(-1)!;
    expect(sent.as()).toEqual({
      changes: [{ op: "add", path: "/unlikely", value: [{ from: "Crop", to: "Woodland" }] }],
    });
  });
  test("goes to Compare over the pictures of its dates, with what is there and counts", async () => {
    const asked = open(SCENES, [pictured(3, 2019), pictured(4, 2025), pictured(5, 2030)]);
    await screen.findByRole("button", { name: /^Woodland to Crop:/ });
    await pickOption("Pair Bare rock by hand", "Leave out");
    await screen.findByText(/Over the pictures of 22 January 2019 and 22 January 2025/);
    await waitFor(() => expect(screen.getByTestId("changed").textContent).toMatch(/^40/));
    await userEvent.click(screen.getByRole("button", { name: "Take to Compare" }));
    await waitFor(() =>
      expect(
        asked.some(({ method, path }) => method === "PATCH" && path.endsWith("/comparison")),
      ).toBe(true),
    );
    const sent = asked.find(
      ({ path, method }) => method === "PATCH" && path.endsWith("/comparison"),
    )!;
    const next = withChanges<Comparison | null>(null, sent.as<{ changes: Change[] }>().changes);
    expect([next!.beforeId, next!.afterId]).toEqual([idOf(3), idOf(4)]);
    expect(next!.setup!.transitions).toMatchObject({ show: "transition", kept: [2, 3] });
  });
  test("follows ground through three dates, and shows the way that is picked", async () => {
    const between = cover(6, 2022, named(["Woodlands", "Crop", "Salt"], 5));
    const asked = open([SCENES[0]!, between, SCENES[1]!]);
    const list = await screen.findByRole("list", { name: "Paths" });
    expect(screen.getByText("On no path: Salt of Map of 2022.")).toBeTruthy();
    // What stayed is not listed.
    expect(within(list).getAllByRole("button")).toHaveLength(1);
    await userEvent.click(within(list).getByRole("button", { name: /Woodland → Crop → Crop/ }));
    const bodies = () => asked.filter(({ path }) => path.endsWith("/paths")).map((one) => one.as());
    await waitFor(() => expect(bodies().at(-1)).toMatchObject({ path: [0, 1, 1] }));
    expect(bodies()[0]).toMatchObject({
      sceneIds: [idOf(1), idOf(6), idOf(2)],
      classes: [
        { name: "Woodland", labels: [[1], [5], [10]] },
        { name: "Crop", labels: [[2], [6], [11]] },
        { name: "Bare rock", labels: [[3], [], []] },
      ],
    });
  });
  test("is told by zone", async () => {
    open(SCENES);
    await screen.findByRole("button", { name: /^Woodland to Woodland:/ });
    await pickOption("Pair Bare rock by hand", "Leave out");
    await waitFor(() => expect(screen.getByTestId("changed").textContent).toMatch(/^40/));
    await pickOption("Zone", "North");
    expect(screen.getByTestId("changed").textContent).toMatch(/^5.00.km² became something else/);
    expect(screen.getByTestId("changed").textContent).toMatch(/of 9.00.km²$/);
  });
  test("goes to Compare over the classes themselves where there are no pictures", async () => {
    const asked = open(SCENES);
    await screen.findByRole("button", { name: /^Woodland to Crop:/ });
    await pickOption("Pair Bare rock by hand", "Leave out");
    await screen.findByText(/Over the classes of 22 January 2019 and 22 January 2025/);
    await waitFor(() => expect(screen.getByTestId("changed").textContent).toMatch(/^40/));
    await userEvent.click(screen.getByRole("button", { name: "Take to Compare" }));
    const patches = () =>
      asked.filter(({ method, path }) => method === "PATCH" && path.endsWith("/comparison"));
    await waitFor(() => expect(patches()).toHaveLength(1));
    const { changes } = patches()[0]!.as<{ changes: Change[] }>();
    const next = withChanges<Comparison | null>(null, changes);
    expect([next!.beforeId, next!.afterId]).toEqual([idOf(1), idOf(2)]);
    expect(next!.setup).toMatchObject({ measure: "otherClass", transitions: { kept: [2, 3] } });
  });
  test("says what a change map needs where a map has no day", async () => {
    open([SCENES[0]!, { ...SCENES[1]!, acquiredAt: null }]);
    expect(await screen.findByText(/A change map is of two days/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Take to Compare" })).toHaveProperty(
      "disabled",
      true,
    );
  });
});
