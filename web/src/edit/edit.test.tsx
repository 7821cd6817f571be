/** @jest-environment jsdom */
import { act, renderHook, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { EditAct } from "@hindglance/contract/edits";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { DECIBEL } from "../compare/units";
import { LONLAT } from "@hindglance/core/geodesy/crs";
import { outlineAt, outlineFeatures } from "../map/putOutlines";
import { useReviewer } from "../state/reviewer";
import { useUi } from "../state/ui";
import { EditedFrom } from "../tally/EditedFrom";
import {
  type Asked,
  Refusal,
  answersTo,
  fakeServer,
  pickOption,
  renderPart,
} from "../testing/page";
import { aChangeMap } from "../testing/things";
import { AreasSection } from "./AreasSection";
import { HistorySection, pathOf } from "./HistorySection";
import { MakeSection } from "./MakeSection";
import { PickedSection } from "./PickedSection";
import { inCells, onMap } from "./cells";
import { pickedAfter, useClicks, useEditing } from "./useEditing";
import { WriteEdited } from "./WriteEdited";

const map = aChangeMap();
const [first, second] = map.info.classes!;

const anAct = (id: number, parent: number | null, more: Partial<EditAct> = {}): EditAct => ({
  ...{ id, parent, kind: "draw", editor: "Ben", doneAt: "2026-03-01T10:00:00Z", gone: 0, made: 1 },
  ...more,
});
// 1 was done, 2 on it, then 2 was undone and 3 done instead.
const ACTS = [
  anAct(3, 1, { kind: "cut", gone: 1, made: 2 }),
  anAct(2, 1, { kind: "merge", gone: 3 }),
  anAct(1, null),
];
const STATE = {
  ...{ head: 3, before: 1, redo: null, acts: ACTS, gone: 1, made: 3 },
  areas: [
    { label: first!.label, writtenCells: 100, writtenM2: 1e6, editedCells: 120, editedM2: 1.2e6 },
    { label: second!.label, writtenCells: 50, writtenM2: 5e5, editedCells: 50, editedM2: 5e5 },
  ],
  node: { hash: "0".repeat(32), info: map.info, levels: 1, block: 512 },
};
const patch = (number: number) => ({
  ...{ number, label: first!.label, cells: 40, areaM2: 4e5, edited: false },
  ...{ west: 20, south: -30.2, east: 20.2, north: -30 },
  polygons: [
    [
      [
        [0, 0],
        [0, 4],
        [10, 4],
        [10, 0],
        [0, 0],
      ],
    ],
  ] satisfies MultiPolygon,
});

/** The desk of edits without its map. */
function Desk({ pick }: { pick: number[] }) {
  const editing = useEditing(map);
  return (
    <>
      <button type="button" onClick={() => editing.setPicked(pick)}>
        pick
      </button>
      <MakeSection map={map} editing={editing} unit={DECIBEL} />
      <PickedSection map={map} editing={editing} />
      <AreasSection map={map} state={editing.edits.state} />
      <HistorySection edits={editing.edits} right={null} />
      <WriteEdited map={map} edits={editing.edits} />
    </>
  );
}

function open(pick: number[] = [5], more: Record<string, unknown> = {}) {
  const asked = fakeServer(
    answersTo(more, {
      "/edits": (one: Asked) => (one.method === "GET" ? STATE : { head: 4, made: [9] }),
      "/edits/patches/5": patch(5),
      "/edits/patches/9": patch(9),
      "/edits/map": { runId: "00000000-0000-4000-8000-000000000001" },
      "/runs": [],
    }),
  );
  renderPart(<Desk pick={pick} />);
  return asked;
}
const posted = (asked: Asked[], method = "POST") =>
  asked.filter((one) => one.method === method).map(({ body }) => body);

let told: string[];
beforeEach(() => {
  useReviewer.getState().setName("Ann");
  told = [];
  useUi.setState({ say: (text) => void told.push(text) });
});
const button = (name: string) => screen.getByRole<HTMLButtonElement>("button", { name });

test("areas with and without edits stand side by side", async () => {
  open();
  const table = await screen.findByRole("table", { name: "Areas with edits" });
  await within(table).findByText("1.200");
  const rows = within(table).getAllByRole("row");
  expect(rows[1]!.textContent).toBe(`${first!.name}1.0001.200+0.200`);
  expect(rows[2]!.textContent).toBe(`${second!.name}0.5000.5000`);
});

test("the history says what was done, where the edits stand, and what is set aside", async () => {
  const asked = open();
  const list = await screen.findByRole("list", { name: "Edits" });
  await within(list).findByText("patch cut in 2");
  const states = within(list).getAllByRole("button");
  expect(states.map(({ textContent }) => textContent)).toEqual([
    "patch cut in 2here",
    "3 patches mergedBen, 1 March 10:00 UTC",
    "patch drawnBen, 1 March 10:00 UTC",
    "as it was written",
  ]);
  expect(states[0]!.getAttribute("aria-current")).toBe("step");
  expect(states[1]!.title).toMatch(/Set aside/);
  await userEvent.click(states[1]!);
  await userEvent.click(states[3]!);
  await userEvent.click(button("Undo"));
  await waitFor(() => expect(posted(asked, "PATCH")).toHaveLength(3));
  expect(posted(asked, "PATCH")).toEqual([{ head: 2 }, { head: null }, { head: 1 }]);
  expect(button("Redo").disabled).toBe(true);
});

test("another class is asked for with a key, and what was made is picked", async () => {
  const asked = open();
  await userEvent.click(button("pick"));
  await screen.findByText(/40 cells/);
  await pickOption("Class of the picked patch", second!.name);
  await waitFor(() => expect(posted(asked)).toHaveLength(1));
  expect(posted(asked)[0]).toEqual({
    key: expect.stringMatching(/^[0-9a-f-]{36}$/) as unknown,
    editor: "Ann",
    edit: {
      ...{ kind: "relabel", numbers: [5], label: second!.label },
      ...{ isSnapped: true, isTaking: false },
    },
  });
  await waitFor(() => expect(asked.some(({ path }) => path.endsWith("/patches/9"))).toBe(true));
});

test("several that are picked are merged or deleted, and not cut or reshaped", async () => {
  const asked = open([5, 6]);
  await screen.findByText("patch cut in 2");
  expect(screen.queryByRole("button", { name: "Merge" })).toBeNull();
  await userEvent.click(button("pick"));
  expect(button("Cut").disabled).toBe(true);
  expect(button("Reshape").disabled).toBe(true);
  await userEvent.click(screen.getByText("Free"));
  await userEvent.click(screen.getByRole("checkbox", { name: /Take ground/ }));
  await userEvent.click(button("Merge"));
  await waitFor(() => expect(posted(asked)).toHaveLength(1));
  expect(posted(asked)[0]).toMatchObject({
    edit: { kind: "merge", numbers: [5, 6], isSnapped: false, isTaking: true },
  });
});

test("an edit needs a name, and one that is refused says why", async () => {
  useReviewer.getState().setName("");
  const asked = open([5], {
    "/edits": (one: Asked) =>
      one.method === "GET"
        ? STATE
        : new Refusal(409, {
            code: "changedMeanwhile",
            message: "Patch 5 is not there any more",
            hint: "Pick it again.",
          }),
  });
  await userEvent.click(button("pick"));
  await userEvent.click(await screen.findByRole("button", { name: "Delete" }));
  expect(told.at(-1)).toMatch(/Write your name first/);
  expect(posted(asked)).toEqual([]);
  act(() => useReviewer.getState().setName("Ann"));
  await waitFor(() => expect(button("Delete").disabled).toBe(false));
  await userEvent.click(button("Delete"));
  await waitFor(() => expect(told.at(-1)).toMatch(/Not done: Patch 5 is not there any more/));
});

test("the edited map is written with a name", async () => {
  const asked = open();
  const name = screen.getByLabelText("Name of the edited map");
  await screen.findByText(/All saved · 1 patch changed or gone, 3 new/);
  await userEvent.clear(name);
  expect(button("Write edited map").disabled).toBe(true);
  await userEvent.type(name, "Signed");
  await userEvent.click(button("Write edited map"));
  await waitFor(() => expect(posted(asked)).toEqual([{ name: "Signed" }]));
});

test("acts that led to a state; patches picked by clicks", () => {
  expect([...pathOf(ACTS, 3)]).toEqual([3, 1]);
  expect([...pathOf(ACTS, null)]).toEqual([]);
  expect(pickedAfter([1], 2, false)).toEqual([2]);
  expect(pickedAfter([1], 2, true)).toEqual([1, 2]);
  expect(pickedAfter([1, 2], 1, true)).toEqual([2]);
  expect(pickedAfter([1, 2], null, true)).toEqual([1, 2]);
  expect(pickedAfter([1, 2], null, false)).toEqual([]);
});

test("outlines come into cells and back", () => {
  const { grid } = map.info;
  const { polygons } = patch(1);
  const back = inCells(onMap(polygons, grid), grid).flat(3);
  polygons.flat(3).forEach((value, k) => expect(back[k]).toBeCloseTo(value, 9));
  const [x0, dx, , y0, , dy] = grid.transform;
  expect(onMap(polygons, grid)[0]![0]![2]).toEqual([x0 + 10 * dx, y0 + 4 * dy]);
});

test("Tally shows an edited map beside the one that was edited", () => {
  const edited = {
    from: { id: "m0", name: "Written" },
    acts: { cut: 1, draw: 2 },
    editors: ["Ann", "Ben"],
    ...{ gone: 1, made: 4, lastNumber: 30, tally: map.tally },
  };
  const rowsBefore = map.rows.map((row) => ({ ...row, areaM2: row.areaM2 / 2 }));
  renderPart(<EditedFrom map={aChangeMap({ edited, rowsBefore })} unit="km2" />);
  screen.getByText(/by Ann, Ben: drawn 2\s×, cut 1\s×/);
  const rows = within(screen.getByRole("table")).getAllByRole("row");
  const whole = map.rows.filter(({ zone, label }) => zone === null && label > 0);
  expect(rows).toHaveLength(whole.length + 1);
  const km2 = whole[0]!.areaM2 / 1e6;
  const numbers = within(rows[1]!)
    .getAllByRole("cell")
    .map(({ textContent }) => Number(textContent.replace("+", "")));
  expect(numbers[0]).toBeCloseTo(km2 / 2, 2);
  expect(numbers[1]).toBeCloseTo(km2, 2);
  expect(numbers[2]).toBeCloseTo(km2 / 2, 2);
});

test("of a patch that edits left nothing of it is said, and how it comes back", async () => {
  open([5], {
    "/edits/patches/5": () =>
      new Refusal(404, { code: "notFound", message: "There is no such patch", hint: "" }),
  });
  await userEvent.click(button("pick"));
  expect(await screen.findByText(/^Edits left nothing of patch 5: undo/)).toBeTruthy();
  expect(screen.queryByRole("button", { name: "Merge" })).toBeNull();
});

test("what came of a patch is asked for anew in each state of the edits", async () => {
  let heir = 9;
  let head = 3;
  const asked = open([5], {
    "/edits": (one: Asked) => {
      head = one.method === "GET" ? head : 1;
      return one.method === "GET" ? { ...STATE, head } : { head };
    },
    "/edits/patches/5": () => patch(heir),
  });
  await userEvent.click(button("pick"));
  const askedFor = (number: number) =>
    asked.filter(({ path }) => path.endsWith(`/patches/${number}`)).length;
  await waitFor(() => expect(askedFor(9)).toBe(1));
  heir = 5;
  await userEvent.click(button("Undo"));
  await screen.findByText(/Click a patch on the map/);
  await waitFor(() => expect(button("Undo").disabled).toBe(false));
  await userEvent.click(button("pick"));
  await screen.findByText(/40 cells/);
  expect([askedFor(5), askedFor(9)]).toEqual([2, 1]);
});

test("clicks on a map whose outlines are on their way pick what is there once they have come", () => {
  const picked: number[] = [];
  let now = 5;
  const { result, rerender } = renderHook(
    ({ isOld }) => useClicks(isOld, () => void picked.push(now)),
    { initialProps: { isOld: true } },
  );
  act(() => result.current.take({ at: [0, 0], isMore: false }));
  expect([picked, result.current.isWaiting]).toEqual([[], true]);
  now = 7;
  rerender({ isOld: false });
  expect([picked, result.current.isWaiting]).toEqual([[7], false]);
  act(() => result.current.take({ at: [1, 1], isMore: true }));
  expect(picked).toEqual([7, 7]);
});

test("the smallest outline that a place lies in is picked, and none beside them", () => {
  const square = (number: number, half: number) => ({
    number,
    geometry: {
      type: "Polygon",
      coordinates: [
        [
          [-half, -half],
          [half, -half],
          [half, half],
          [-half, half],
          [-half, -half],
        ],
      ],
    },
  });
  const features = outlineFeatures([square(3, 2), square(8, 1)], LONLAT);
  expect(outlineAt(features, [0.5, 0.5])).toBe(8);
  expect(outlineAt(features, [1.5, 0.5])).toBe(3);
  expect(outlineAt(features, [5, 0])).toBeNull();
});
