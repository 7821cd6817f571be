/** @jest-environment jsdom */
import { act, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { LedgerEntry } from "@hindglance/contract/studies";
import { useReviewer } from "../../state/reviewer";
import { useShownMap } from "../../state/shownMap";
import { linesAddress } from "../../state/shownThing";
import { answersTo, fakeServer, renderPage, typeInto } from "../../testing/page";
import { aChangeMap, aNode, aScene, aStudy, idOf } from "../../testing/things";
import { ReportPage } from "../ReportPage";
import { linesOf, madeOfMap } from "./lines";
import { found, sentenceOf } from "./sentences";

const study = aStudy();
const map = aChangeMap();
const { before, after } = map.provenance;
const line = (
  id: number,
  what: string,
  detail: LedgerEntry["detail"],
  actor: string | null = null,
) => ({
  ...{ id, at: `2025-05-15T07:0${id}:00Z`, what, detail, actor },
});
const scene = (id: string, name: string, sha256: string) => ({
  ...{ scene: id, name, sha256, kind: "radar", file: `${name}.zip` },
});
const LINES: LedgerEntry[] = [
  line(0, "Study begun", { name: "Ombrel", hazard: "flood" }, "Ana"),
  line(1, "Scene imported", scene(idOf(1), "Lantern 2 May", before.sha256)),
  line(2, "Scene imported", scene(idOf(2), "Lantern 14 May", after.sha256), "Ben"),
  line(3, "Scene imported", scene(idOf(3), "Lantern 26 May", "f".repeat(64))),
  line(4, "Chain set", { family: "radar", chain: { looks: { on: true } } }),
  line(5, "Chain set", { family: "radar", chain: { looks: { on: false } } }, "Ana"),
  line(
    6,
    "Change map written",
    { changeMap: map.id, name: map.name, before: "a", after: "b" },
    "Ana",
  ),
  line(7, "Chain set", { family: "radar", chain: {} }),
  line(8, "Doubt counted", { changeMap: map.id, name: map.name }),
];
const table = {
  "/change-maps": [map],
  "/node": aNode("a", map.info),
  "/samples": [],
  "/ledger": LINES,
};
const open = (at = "/?of=ledger") => {
  fakeServer(answersTo({}, table));
  renderPage(<ReportPage />, { context: study, at });
};
const shown = async () => {
  const list = await screen.findByRole("list", { name: "Lines of the ledger" });
  return within(list)
    .queryAllByText(/line \d/)
    .map((one) => Number(/line (\d)/.exec(one.textContent)![1]));
};

beforeEach(() => useShownMap.setState({ ids: {} }));

test("lines are sentences, the latest first, with who and all that is known", async () => {
  open();
  await screen.findByText("The study “Ombrel” was begun, for flood.");
  expect(await shown()).toEqual([8, 7, 6, 5, 4, 3, 2, 1, 0]);
  screen.getByText("“Lantern 14 May” was taken in from Lantern 14 May.zip as radar.");
  screen.getByText(/by Ben · line 2/);
  screen.getByText(/"looks": \{\s+"on": false/);
});

test("words are found wherever they stand, and only the lines that made a map are left on wish", async () => {
  open();
  await screen.findByText(/was begun/);
  await typeInto("Words", "ben radar");
  await waitFor(async () => expect(await shown()).toEqual([2]));
  await userEvent.clear(screen.getByLabelText("Words"));
  await userEvent.click(screen.getByRole("button", { name: /Only what made/ }));
  await waitFor(async () => expect(await shown()).toEqual([8, 6, 5, 2, 1, 0]));
  screen.getByText("6 of 9 lines");
});

test("a link leads to the lines of a map; what nobody finds is said", async () => {
  open(`/?of=ledger&lines=map&map=${map.id}&find=nothing+such`);
  await screen.findByText("No line has all of these words.");
  screen.getByText("0 of 9 lines");
});

test("whoever acts says so once, for all that follows", async () => {
  open();
  await screen.findByText(/was begun/);
  await typeInto("Name that your acts are written down under", "Ana Brûlé{Enter}");
  expect(useReviewer.getState().name).toBe("Ana Brûlé");
  act(() => useReviewer.setState({ name: "" }));
});

test("an act without a sentence of its own is said by its name", () => {
  expect(sentenceOf(line(1, "Tide read", { file: "t.csv" }))).toBe("Tide read from t.csv.");
});

test("what classes were taught by is said in names and numbers", () => {
  const areas = { a: { isTest: true }, b: { isTest: null }, c: {} };
  const legend = [{ name: "Water" }, { name: "Forest" }];
  expect(sentenceOf(line(1, "Legend and areas set", { legend, areas }))).toBe(
    "Classes were set: Water, Forest; 2 areas to train on, 1 to test on.",
  );
});

test("lines of a map that the ledger does not know are those of its inputs", () => {
  const without = LINES.filter(({ what }) => what !== "Change map written");
  expect(linesOf(without, madeOfMap(map)).map(({ id }) => id)).toEqual([0, 1, 2, 7, 8]);
  expect(found(LINES, "")).toHaveLength(LINES.length);
});

describe("what made a thing", () => {
  const made = (changeMap: string | null, ...scenes: string[]) => ({
    ...{ changeMap, scenes, checksums: [] },
  });
  const ids = (all: LedgerEntry[]) => all.map(({ id }) => id);
  const STEPS: LedgerEntry[] = [
    line(0, "Study begun", { name: "Basin", hazard: "cover" }),
    line(1, "Scene imported", scene("a1", "A one", "1".repeat(64))),
    line(2, "Scene imported", scene("a2", "A two", "2".repeat(64))),
    line(3, "Scene imported", scene("z", "Elsewhere", "3".repeat(64))),
    line(4, "Scenes joined", { scene: "a", name: "A", parts: [{ scene: "a1" }, { scene: "a2" }] }),
    line(5, "Scene computed", {
      scene: "c",
      name: "Classes",
      what: "Classes",
      from: [{ scene: "a" }],
    }),
    line(6, "Change map written", { changeMap: "m", name: "M", beforeId: "c" }),
    line(7, "Edited map written", {
      changeMap: "e",
      name: "E",
      from: { changeMap: "m", name: "M" },
    }),
    line(8, "Doubt counted", { changeMap: "other", name: "O" }),
    line(9, "Chain set", { family: "radar" }),
    // No scene of the study is optical.
    line(10, "Chain set", { family: "optical" }),
    line(11, "Legend and areas set", { legend: [{ name: "Forest" }], areas: {} }),
    line(12, "Dates classified", { scenes: ["c"] }),
    // What was drawn afterwards has not made it.
    line(13, "Legend and areas set", { legend: [], areas: {} }),
  ];

  test("a date that was computed is made by the files that it was joined and computed from", () => {
    expect(ids(linesOf(STEPS, made(null, "c")))).toEqual([0, 1, 2, 4, 5, 9, 11, 12]);
    expect(ids(linesOf(STEPS, made(null, "a1")))).toEqual([0, 1, 4, 9]);
  });

  test("an edited map is made by the map that it was edited from, and by no setting after that", () => {
    expect(ids(linesOf(STEPS, made("e", "c")))).toEqual([0, 1, 2, 4, 5, 6, 7]);
    expect(ids(linesOf(STEPS, made("m", "z")))).toEqual([0, 3, 6]);
  });

  test("a page leads to the lines of the dates that it shows", async () => {
    const dates = [idOf(1), idOf(2)];
    const scenes = [
      aScene({ id: idOf(1), name: "Lantern 2 May", fileSha256: before.sha256 }),
      aScene({ id: idOf(2), name: "Lantern 14 May", fileSha256: after.sha256 }),
    ];
    fakeServer(answersTo({}, { ...table, "/scenes": scenes, "/change-maps": [] }));
    const at = linesAddress(study.id, { kind: "dates", ids: dates });
    renderPage(<ReportPage />, { context: study, at: at.replace(/.*\?/, "/?") });
    await screen.findByRole("button", {
      name: "Only what made “Lantern 2 May” and “Lantern 14 May”",
      pressed: true,
    });
    expect(await shown()).toEqual([7, 2, 1, 0]);
  });
});
