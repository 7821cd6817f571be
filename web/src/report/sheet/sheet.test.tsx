/** @jest-environment jsdom */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { DrawnSheet, SheetState } from "@hindglance/contract/sheet";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { composeSheet } from "@hindglance/core/sheet/compose";
import { READY_LAYOUTS, type Sheet, newSheet, sheetSchema } from "@hindglance/core/sheet/layout";
import { middleOf, scaleOf } from "@hindglance/core/sheet/scale";
import { pageSvg } from "@hindglance/core/sheet/svg";
import { TEST_FONTS, someFacts } from "@hindglance/core/sheet/testing";
import { metresOfFacts } from "@hindglance/core/sheet/views";
import { useUi } from "../../state/ui";
import {
  type Asked,
  Refusal,
  answersTo,
  fakeServer,
  giveSizes,
  pickOption,
  renderPage,
  typeInto,
} from "../../testing/page";
import { aChangeMap, aStudy, idOf } from "../../testing/things";
import { ReportPage } from "../ReportPage";
import { SheetSaver } from "./saver";

const study = aStudy();
const map = aChangeMap({ id: idOf(3), studyId: study.id });
const facts = someFacts();
const SAVED = { id: idOf(5), name: "House style", layout: READY_LAYOUTS[2]!.layout };

/** Pages as the server would draw them, with fonts whose letters are all alike. */
function drawnOf(sheet: Sheet): DrawnSheet {
  const { pages, scale, lacking } = composeSheet(TEST_FONTS, facts, sheet);
  const metres = metresOfFacts(facts);
  return {
    pages: pages.map(({ width, height, marks, frames, texts, maps }) => ({
      ...{ width, height, frames, texts },
      svg: pageSvg(marks, { width, height, scale, title: "T", picture: () => null }),
      maps: maps.map(({ kind, placed }) => ({
        ...{ kind, placed, scale: scaleOf(placed, scale, metres) },
        middle: transformer(facts.crs, LONLAT)(...middleOf(placed.ground)),
      })),
    })),
    ...{ crs: facts.crs, lacking },
    proposed: { title: facts.title, subtitle: facts.subtitle },
  };
}

const sheetIn = (asked: Asked): Sheet =>
  sheetSchema.validateSync(asked.as<{ sheet: unknown }>().sheet, { strict: true });

function open(more: Record<string, unknown> = {}) {
  const table = {
    "/change-maps": [map],
    "/scenes": [],
    "/sheet-layouts": [SAVED],
    "/sheet/pages": (one: Asked) => drawnOf(sheetIn(one)),
    "/sheet": (one: Asked) =>
      one.method === "PUT"
        ? { sheet: sheetIn(one), version: 1 }
        : { sheet: newSheet(1), version: 0 },
  };
  giveSizes(900, 600);
  const asked = fakeServer(answersTo(more, table));
  renderPage(<ReportPage />, { context: study, at: "/?of=sheet" });
  return asked;
}
const kept = (asked: Asked[]): Sheet[] =>
  asked.filter(({ method }) => method === "PUT").map(sheetIn);
const lastKept = async (asked: Asked[]): Promise<Sheet> => {
  await waitFor(() => expect(kept(asked).length).toBeGreaterThan(0), { timeout: 3000 });
  return kept(asked).at(-1)!;
};
/** The sheet as it was kept last, once that is as it should be: on a busy machine each step is kept by itself. */
const keptSo = async (asked: Asked[], isSo: (sheet: Sheet) => boolean): Promise<Sheet> => {
  await waitFor(() => expect(kept(asked).slice(-1).filter(isSo)).toHaveLength(1), {
    timeout: 5000,
  });
  return kept(asked).at(-1)!;
};
const frame = (name: string) =>
  screen.findByRole("button", { name: new RegExp(`^${name}\\. Arrow keys`) });
const placeOf = (sheet: Sheet, kind: string) =>
  sheet.layout.frames.find((one) => one.kind === kind)!;

describe("the sheet of a map", () => {
  test("it is drawn with its words, and says how many pages it has", async () => {
    open();
    const page = await screen.findByRole("group", { name: "Page 1 of 1" });
    expect(page.textContent).toContain("Flood of the lower plain");
    expect(page.textContent).toContain("36.718");
    screen.getByText("1 page");
  });

  test("a frame is moved and sized by arrow keys, and that is taken back", async () => {
    const asked = open();
    const legend = await frame("Legend");
    fireEvent.keyDown(legend, { key: "ArrowLeft" });
    fireEvent.keyDown(legend, { key: "ArrowDown", shiftKey: true });
    // Keys in a row are kept once they rest.
    expect(placeOf(await lastKept(asked), "legend")).toMatchObject({
      ...{ column: 15, row: 2, columns: 4, rows: 7 },
    });
    fireEvent.keyDown(window, { key: "z", ctrlKey: true });
    fireEvent.keyDown(window, { key: "z", ctrlKey: true });
    await waitFor(() => expect(placeOf(kept(asked).at(-1)!, "legend")).toMatchObject({ rows: 6 }));
    await userEvent.click(screen.getByRole("button", { name: "Redo" }));
    await waitFor(() =>
      expect(placeOf(kept(asked).at(-1)!, "legend")).toMatchObject({ column: 15, rows: 6 }),
    );
  });

  test("a frame is dragged by columns and rows of the page", async () => {
    const asked = open();
    const inset = await frame("Where it lies");
    const page = screen.getByRole("group", { name: "Page 1 of 1" });
    const width = parseFloat(page.style.width);
    const height = parseFloat(page.style.height);
    const to = { clientX: 100 - (3.2 / 24) * width, clientY: 100 + (1.8 / 24) * height };
    // The pointer events of the tests know no places.
    const point = (what: string, at: object) =>
      fireEvent(inset, new MouseEvent(what, { bubbles: true, button: 0, ...at }));
    point("pointerdown", { clientX: 100, clientY: 100 });
    point("pointermove", to);
    point("pointerup", to);
    expect(placeOf(await lastKept(asked), "inset")).toMatchObject({ column: 17, row: 4 });
  });

  test("words are set in place; Escape takes them back", async () => {
    const asked = open();
    const title = await frame("Title");
    fireEvent.keyDown(title, { key: "Enter" });
    const page = screen.getByRole("group", { name: "Page 1 of 1" });
    const field = () => within(page).getByRole("textbox", { name: "Title" });
    await userEvent.clear(field());
    await userEvent.type(field(), "Thrown away{Escape}");
    expect(within(page).queryByRole("textbox")).toBeNull();
    fireEvent.keyDown(title, { key: "Enter" });
    await userEvent.clear(field());
    await userEvent.type(field(), "Flood on Monday{Enter}");
    expect((await lastKept(asked)).texts.title).toBe("Flood on Monday");
    expect(kept(asked).every(({ texts }) => texts.title !== "Thrown away")).toBe(true);
    await userEvent.click(screen.getByRole("button", { name: "Take what is proposed" }));
    await waitFor(() => expect(kept(asked).at(-1)!.texts.title).toBeNull());
  });

  test("a layout is picked, put on other paper, and saved for all studies", async () => {
    const say = jest.fn();
    useUi.setState({ say });
    const asked = open({
      "/sheet-layouts": (one: Asked) =>
        one.method === "POST" ? { ...SAVED, name: "Ours" } : [SAVED],
    });
    await frame("Legend");
    await pickOption("Layout", /Upright page/);
    await userEvent.click(screen.getByRole("radio", { name: "A2" }));
    const { layout } = await keptSo(asked, (one) => one.layout.paper === "A2");
    expect(layout).toMatchObject({ paper: "A2", isUpright: true });
    await userEvent.click(screen.getByRole("button", { name: "Save layout …" }));
    await typeInto("Name of the layout", "Ours");
    await userEvent.click(screen.getByRole("button", { name: "Save layout" }));
    await waitFor(() =>
      expect(say).toHaveBeenCalledWith("The layout “Ours” is saved for all studies."),
    );
    const [posted] = asked.filter(
      ({ method, path }) => method === "POST" && path.endsWith("/sheet-layouts"),
    );
    expect(posted!.body).toEqual({ name: "Ours", layout });
  });

  test("a layout that was kept is known again, however its fields are ordered", async () => {
    const sheet = newSheet(1);
    const turned = sheet.layout.frames.map((one) =>
      Object.fromEntries(Object.entries(one).reverse()),
    );
    open({
      "/sheet": { sheet: { ...sheet, layout: { ...sheet.layout, frames: turned } }, version: 1 },
    });
    await frame("Legend");
    expect(screen.getByRole("combobox", { name: "Layout" }).textContent).toContain(
      "Change, square map",
    );
  });

  test("frames are taken from the page and put on it", async () => {
    const asked = open();
    await frame("Legend");
    await userEvent.click(screen.getByRole("checkbox", { name: "Where it lies" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "Map before" }));
    const kindsOf = ({ layout }: Sheet) => layout.frames.map(({ kind }) => kind);
    const sheet = await keptSo(asked, (one) => kindsOf(one).includes("before"));
    expect(kindsOf(sheet)).not.toContain("inset");
  });

  test("a map is given another scale and its ground is moved", async () => {
    const asked = open();
    fireEvent.focus(await frame("Map of change"));
    const scale = await screen.findByRole("textbox", { name: "Scale of the map, one to" });
    expect(scale).toHaveProperty("value", "125000");
    await userEvent.click(screen.getByRole("button", { name: "Less ground, larger" }));
    await waitFor(() => expect(scale).toHaveProperty("value", "80000"));
    await userEvent.click(screen.getByRole("button", { name: "Move the ground" }));
    const [before] = (await lastKept(asked)).views;
    const ground = await screen.findByRole("application", { name: /Ground of the map/ });
    fireEvent.keyDown(ground, { key: "ArrowRight" });
    await waitFor(() =>
      expect(kept(asked).at(-1)!.views[0]!.longitude).toBeGreaterThan(before!.longitude),
    );
    expect(kept(asked).at(-1)!.views[0]!.latitude).toBeCloseTo(before!.latitude, 3);
    await userEvent.click(screen.getByRole("button", { name: "All of the map" }));
    await waitFor(() => expect(kept(asked).at(-1)!.views).toEqual([]));
  });

  test("what somebody else has set since is said, and not written over", async () => {
    const say = jest.fn();
    useUi.setState({ say });
    const message = "Somebody else has changed this sheet since you opened it";
    open({
      "/sheet": (one: Asked) =>
        one.method === "PUT"
          ? new Refusal(409, { code: "conflict", message })
          : { sheet: newSheet(1), version: 0 },
    });
    fireEvent.keyDown(await frame("Legend"), { key: "ArrowLeft" });
    await waitFor(
      () => expect(say).toHaveBeenCalledWith(expect.stringContaining(message), "wrong"),
      { timeout: 3000 },
    );
  });
});

test("a saver sends one state at a time and never leaves the last one behind", async () => {
  const sent: [string | null, number][] = [];
  const waiting: (() => void)[] = [];
  const saver = new SheetSaver(
    (sheet, version): Promise<SheetState> => {
      sent.push([sheet.texts.title, version]);
      return new Promise((resolve) => {
        waiting.push(() => resolve({ sheet, version: version + 1 }));
      });
    },
    4,
    () => {},
  );
  const named = (title: string): Sheet => {
    const sheet = newSheet(1);
    return { ...sheet, texts: { ...sheet.texts, title } };
  };
  saver.keep(named("first"));
  const done = saver.flush();
  saver.keep(named("second"));
  saver.keep(named("third"));
  expect(sent).toEqual([["first", 4]]);
  waiting[0]!();
  await waitFor(() =>
    expect(sent).toEqual([
      ["first", 4],
      ["third", 5],
    ]),
  );
  waiting[1]!();
  await done;
  expect(sent).toHaveLength(2);
});
