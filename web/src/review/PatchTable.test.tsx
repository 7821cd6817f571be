/** @jest-environment jsdom */
import { useState } from "react";
import { fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { PatchRow } from "../api/types";
import { DECIBEL } from "../compare/units";
import { type Asked, fakeServer, renderPart } from "../testing/page";
import { aChangeMap, NOT_DOUBTED } from "../testing/things";
import { PatchTable } from "./PatchTable";
import { ALL_PATCHES, PAGE, type PatchQuery } from "./patches";
import type { ReviewOnScreen } from "./useReview";

const map = aChangeMap();
const COUNT = 1250;
const patchAt = (row: number): PatchRow => ({
  number: row + 1,
  label: 1 + (row % 2),
  cells: 100,
  areaM2: 1e6 - 100 * row,
  perimeterM: 400,
  measure: -5,
  elevation: 12,
  ...NOT_DOUBTED,
  standing: "open",
  west: 20,
  south: -30.2,
  east: 20.2,
  north: -30,
});

// Ten rows fit the list; the test's page has no sizes of its own.
const VIEW = 260;
beforeAll(() => {
  Object.defineProperties(HTMLElement.prototype, {
    clientHeight: { configurable: true, get: () => VIEW },
    clientWidth: { configurable: true, get: () => 300 },
  });
  // As in a browser the event of scrolling comes after the scrolling itself.
  HTMLElement.prototype.scrollTo = function scrollTo(
    this: HTMLElement,
    to?: ScrollToOptions | number,
  ) {
    this.scrollTop = typeof to === "object" ? (to.top ?? 0) : 0;
    queueMicrotask(() => fireEvent.scroll(this));
  };
});

/** A server with so many patches, in pages. */
const answer = ({ path }: Asked) => {
  const query = new URLSearchParams(path.split("?")[1]);
  const offset = Number(query.get("offset"));
  const length = Math.max(0, Math.min(Number(query.get("limit")), COUNT - offset));
  return {
    count: COUNT,
    areaM2: 1e9,
    patches: Array.from({ length }, (_v, k) => patchAt(offset + k)),
  };
};

/** The list with what a person picked in it. */
function Review({ onPick, onChange }: { onPick(row: number): void; onChange(ask: object): void }) {
  const [ask, setAsk] = useState<PatchQuery>(ALL_PATCHES);
  const [picked, setPicked] = useState<{ patch: PatchRow; row: number } | null>(null);
  const review: ReviewOnScreen = {
    ask,
    change: (part: Partial<PatchQuery>) => {
      onChange(part);
      setAsk({ ...ask, ...part });
    },
    picked: picked?.patch ?? null,
    place: picked?.row ?? null,
    pickRow: (patch: PatchRow, row: number) => {
      onPick(row);
      setPicked({ patch, row });
    },
    isLasso: false,
    setLasso: () => {},
    judge: (verdict) => {
      onPick(-1);
      return verdict !== "open";
    },
    verdicts: { reviewer: "", say: () => false, undo: null, redo: null, turn: () => {} },
    // The map beside the list is not here.
    outlines: { extra: [], olMap: null, setOlMap: () => {}, at: () => null, show: () => {} },
    pickOnMap: () => {},
  };
  return <PatchTable map={map} review={review} unit={DECIBEL} />;
}

async function show() {
  const asked = fakeServer(answer);
  const picked: number[] = [];
  const changes: object[] = [];
  renderPart(<Review onPick={(row) => picked.push(row)} onChange={(part) => changes.push(part)} />);
  await waitFor(() => expect(screen.getAllByRole("row").length).toBeGreaterThan(5));
  await screen.findByRole("cell", { name: "1" });
  const pages = () =>
    new Set(asked.map(({ path }) => Number(new URLSearchParams(path.split("?")[1]).get("offset"))));
  return { asked, picked, changes, pages };
}
const rowsShown = () =>
  screen
    .getAllByRole("row")
    .slice(1)
    .map((row) => Number(row.getAttribute("aria-rowindex")) - 2);
const selected = () =>
  screen
    .getAllByRole("row")
    .filter((row) => row.getAttribute("aria-selected") === "true")
    .map((row) => Number(row.getAttribute("aria-rowindex")) - 2);

test("only the rows in view are there, and only their page is asked for", async () => {
  const { pages } = await show();
  expect(screen.getByRole("table").getAttribute("aria-rowcount")).toBe(String(COUNT + 1));
  expect(rowsShown().length).toBeLessThan(30);
  expect(rowsShown()[0]).toBe(0);
  expect([...pages()]).toEqual([0]);
});

test("scrolling asks for the pages that come into view", async () => {
  const { pages } = await show();
  const box = screen.getByRole("rowgroup");
  box.scrollTop = 26 * 640;
  fireEvent.scroll(box);
  await waitFor(() => expect([...pages()]).toContain(600));
  await screen.findByRole("cell", { name: "641" });
  expect([...pages()].every((offset) => offset % PAGE === 0)).toBe(true);
  expect(pages().has(1200)).toBe(false);
});

test("a click picks a patch; J and K go on from there, and stop at the ends", async () => {
  const { picked } = await show();
  await userEvent.click(screen.getByRole("cell", { name: "2" }));
  expect(selected()).toEqual([1]);
  fireEvent.keyDown(window, { key: "j" });
  fireEvent.keyDown(window, { key: "J" });
  expect(selected()).toEqual([3]);
  for (let k = 0; k < 6; k++) {
    fireEvent.keyDown(window, { key: "k" });
  }
  expect(selected()).toEqual([0]);
  expect(picked.slice(0, 5)).toEqual([1, 2, 3, 2, 1]);
});

test("without a pick the first key picks the first", async () => {
  await show();
  fireEvent.keyDown(window, { key: "j" });
  expect(selected()).toEqual([0]);
});

test("arrows go through the list only from within it", async () => {
  await show();
  fireEvent.keyDown(window, { key: "ArrowDown" });
  expect(selected()).toEqual([]);
  fireEvent.keyDown(screen.getByRole("rowgroup"), { key: "ArrowDown" });
  fireEvent.keyDown(screen.getByRole("rowgroup"), { key: "ArrowDown" });
  fireEvent.keyDown(screen.getByRole("rowgroup"), { key: "ArrowUp" });
  expect(selected()).toEqual([0]);
});

test("keys with Ctrl, and keys in a field, are not the list's", async () => {
  await show();
  fireEvent.keyDown(window, { key: "j", ctrlKey: true });
  const field = document.body.appendChild(document.createElement("input"));
  fireEvent.keyDown(field, { key: "j" });
  field.remove();
  expect(selected()).toEqual([]);
});

test("a head sorts by its column, largest first, and the other way round at once more", async () => {
  const { changes, asked } = await show();
  await userEvent.click(screen.getByRole("button", { name: "km" }));
  await userEvent.click(screen.getByRole("button", { name: "km" }));
  await userEvent.click(screen.getByRole("button", { name: "no." }));
  expect(changes).toEqual([
    { sort: "perimeter", down: true },
    { sort: "perimeter", down: false },
    { sort: "number", down: false },
  ]);
  await waitFor(() => expect(asked.some(({ path }) => path.includes("sort=number"))).toBe(true));
});
