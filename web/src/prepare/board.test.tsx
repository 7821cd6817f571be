/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { BoardCell, PrepareState } from "@hindglance/contract/prepare";
import { keysOf } from "@hindglance/core/chain/family";
import { floodChain } from "@hindglance/core/chain/radarChain";
import { utm } from "@hindglance/core/geodesy/crs";
import { northUp } from "@hindglance/core/grid/grid";
import { fakeServer, renderPart } from "../testing/page";
import { aStudy } from "../testing/things";
import { Board } from "./Board";
import { type PrepareView, deskOf, labelled, useDesk } from "./chainState";
import type { BoardWork } from "./usePrepare";

const ids = ["0b000000-0000-4000-8000-000000000001", "0b000000-0000-4000-8000-000000000002"];
const study = aStudy({
  compare: { beforeId: ids[0]!, afterId: ids[1]!, setup: null },
});
const cell = (step: string, more: Partial<BoardCell> = {}): BoardCell => ({
  step,
  state: "done",
  text: "fine",
  warnings: [],
  error: null,
  exception: false,
  ...more,
});
const rowOf = (sceneId: string, k: number, cells: BoardCell[]) => ({
  sceneId,
  name: `Scene ${k}`,
  acquiredAt: `2025-05-${10 + k}T18:41:10Z`,
  pass: k === 1 ? "ascending" : "descending",
  cells,
  result: null,
  ready: false,
  runId: null,
  looks: null,
});
const view = (
  more: Partial<PrepareView> = {},
  special: Record<string, Partial<BoardCell>> = {},
) => ({
  family: "radar" as const,
  chain: floodChain(northUp(utm(27, true), 0, 0, 10, 10, 10, 10), {
    elevationId: null,
    looks: 4,
    rangeLooks: 1,
    azimuthLooks: 1,
  }),
  exceptions: {},
  heldOut: [],
  rows: labelled(
    ids.map((id, k) =>
      rowOf(
        id,
        k + 1,
        keysOf("radar").map((step) => cell(step, special[step])),
      ),
    ),
  ),
  elevations: [],
  orbits: [],
  old: [],
  ...more,
});

function show(shown: PrepareView, more: object = {}) {
  const calls: { set: PrepareState[]; run: unknown[]; clear: number } = {
    set: [],
    run: [],
    clear: 0,
  };
  const prepare: BoardWork = {
    set: (state: PrepareState) => void calls.set.push(state),
    run: { mutate: (scenes: unknown) => void calls.run.push(scenes), isPending: false },
    clear: { mutate: () => void calls.clear++ },
    running: false,
    ...more,
  };
  function Page() {
    const desk = useDesk(study.id, "radar");
    return (
      <Board
        study={study}
        view={shown}
        prepare={prepare}
        desk={desk}
        sceneId={desk.sceneId ?? ids[1]!}
        families={["radar"]}
        onFamily={() => {}}
      />
    );
  }
  fakeServer(() => []);
  renderPart(<Page />);
  return calls;
}
const gridCell = (name: RegExp) => screen.getByRole("gridcell", { name });

beforeEach(() => deskOf("another", "radar").pick(null, "orbit"));

test("every step has a head with its setting, every date a row with its side", () => {
  show(view());
  const heads = screen.getAllByRole("columnheader").map((head) => head.textContent);
  expect(heads).toEqual([
    "Date",
    "Orbitfrom file",
    "Noisesubtract",
    "Calibrateγ⁰ · all",
    "Looksskipped",
    "Speckleskipped",
    "Flattenskipped",
    "Terrain10 m",
    "Across datesskipped",
    "Decibelskipped",
  ]);
  const rows = screen.getAllByRole("rowheader").map((head) => head.textContent);
  expect(rows[0]).toMatch(/18:41 ↑ before/);
  expect(rows[1]).toMatch(/18:41 ↓ after/);
});

test.each([
  [{ state: "stale" as const }, /Terrain, Scene 1: changed since it was run, fine$/],
  [{ state: "running" as const, progress: 0.42 }, /Terrain, Scene 1: running, 42 %$/],
  [{ state: "error" as const, text: "cannot run" }, /Scene 1: cannot run, cannot run$/],
  [{ warnings: ["hills lie off"] }, /Scene 1: done, fine, with a warning$/],
  [{ state: "skipped" as const, warnings: ["so"] }, /Scene 1: skipped, fine$/],
  [{ exception: true }, /Scene 1: done, fine, exception$/],
])("a cell says how it stands: %j", (special, name) => {
  show(view({}, { terrain: special }));
  expect(gridCell(name)).toBeTruthy();
});

test("a cell is picked with its date; an exception is picked for that date alone", async () => {
  show(view({}, { speckle: { exception: true } }));
  await userEvent.click(gridCell(/Speckle, Scene 1/));
  const picked = screen.getByRole("gridcell", { selected: true });
  expect(picked.getAttribute("aria-label")).toMatch(/^Speckle, Scene 1/);
  expect(deskOf(study.id, "radar")).toMatchObject({ sceneId: ids[0], step: "speckle", only: true });
  await userEvent.click(screen.getByRole("columnheader", { name: /Orbit/ }));
  expect(deskOf(study.id, "radar")).toMatchObject({ sceneId: ids[0], step: "orbit", only: false });
});

test("arrow keys walk over the cells and stop at the edges", async () => {
  show(view());
  gridCell(/Orbit, Scene 1/).focus();
  await userEvent.keyboard("{ArrowLeft}");
  expect(document.activeElement?.getAttribute("aria-label")).toMatch(/^Orbit, Scene 1/);
  await userEvent.keyboard("{ArrowRight}{ArrowDown}{ArrowDown}");
  expect(document.activeElement?.getAttribute("aria-label")).toMatch(/^Noise, Scene 2/);
  await userEvent.keyboard("{ArrowUp}{ArrowUp}");
  expect(document.activeElement?.textContent).toBe("Noisesubtract");
});

test("a date is held out and taken back in", async () => {
  const calls = show(view());
  await userEvent.click(screen.getByRole("button", { name: "Hold Scene 1 out" }));
  expect(calls.set[0]!.heldOut).toEqual([ids[0]]);
});

test("held dates are counted apart and cannot be picked", () => {
  const shown = view({ heldOut: [ids[0]!] });
  shown.rows[0]!.cells = keysOf("radar").map((step) => cell(step, { state: "held", text: "" }));
  const calls = show(shown);
  expect(screen.getByText("1 date · 1 held out")).toBeTruthy();
  expect(gridCell(/Orbit, Scene 1: held out/)).toHaveProperty("disabled", true);
  expect(calls.set).toEqual([]);
});

describe("the head of the board", () => {
  test("runs what is left, and says when nothing is", async () => {
    const calls = show(view());
    await userEvent.click(screen.getByText("Run what is left"));
    expect(calls.run).toEqual([null]);
  });
  test("has nothing to run where every date is ready", () => {
    const shown = view();
    shown.rows.forEach((row) => {
      row.ready = true;
    });
    show(shown);
    expect(screen.getByText("Everything is run")).toHaveProperty("disabled", true);
  });
  test("waits for a run", () => {
    show(view(), { running: true });
    expect(screen.getByText("Running …")).toHaveProperty("disabled", true);
  });
  test("offers to delete results that nothing uses, with their size", async () => {
    const old = { hash: "0".repeat(32), sceneId: ids[0]!, createdAt: "2025-05-14", bytes: 3e6 };
    const calls = show(view({ old: [old, { ...old, hash: "1".repeat(32) }] }));
    await userEvent.click(screen.getByRole("button", { name: /Delete 2 old results, 6/ }));
    expect(calls.clear).toBe(1);
    expect(within(screen.getByRole("grid")).queryByText(/Delete/)).toBeNull();
  });
});
