/** @jest-environment jsdom */
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { type Change, withChanges } from "@hindglance/contract/changes";
import type { ClassifyView, DateGroups, KeptModel, Training } from "@hindglance/contract/classify";
import { type ClassifySettings, EMPTY_CLASSIFY } from "@hindglance/core/classify/settings";
import { firstUnsupervised } from "@hindglance/core/classify/unsupervised";
import type { Asked } from "../testing/page";
import { Refusal, answersTo, fakeServer, giveSizes, pickOption, renderPage } from "../testing/page";
import { aBand, aField, aNode, aStudy, anImage, idOf } from "../testing/things";
import { useUi } from "../state/ui";
import { ClassifyPage } from "./ClassifyPage";

giveSizes(400, 300);

const LEGEND = [
  { label: 1, name: "Water", color: "#33498c", note: "" },
  { label: 2, name: "Wood", color: "#2f6b45", note: "" },
];
const classNode = (letter: string) =>
  aNode(letter, anImage({ type: "class8", classes: LEGEND.map(({ note: _n, ...one }) => one) }));
const facts = (label: number) => ({
  ...{
    label,
    areas: 2,
    cells: 20,
    held: 5,
    lent: 0,
    mean: [0.1],
    deviation: [0.01],
    covariance: [1e-4],
    sample: [0.1, 0.11],
  },
});
const TRAINING: Training = {
  model: "f".repeat(32),
  inputs: ["B1"],
  missing: [],
  labels: classNode("b"),
  second: classNode("c"),
  confidence: aNode("d"),
  classes: [facts(1), facts(2)],
  pairs: [{ first: 1, second: 2, apart: { jeffriesMatusita: 1.234, transformedDivergence: 1.5 } }],
  ranked: [{ input: 0, mean: 1.5, least: 1.2 }],
  check: { cells: 10, right: 9, matrix: [] },
  tested: null,
  outOfBag: null,
  importance: null,
  smoothed: null,
  probabilities: aNode(
    "7",
    anImage({ bands: [aBand({ name: "Water" }), aBand({ name: "Wood" })] }),
  ),
  applied: { method: "likelihood", priors: [0.5, 0.5], reject: null, extras: [] },
  warnings: ["Wood has 3 cells, too few."],
};
const square: [number, number][][] = [
  [
    [-21, -43],
    [-20.9, -43],
    [-20.9, -43.1],
    [-21, -43],
  ],
];
const area = (label: number) => ({ label, sceneId: null, polygons: [square] });
const TRAINED: ClassifySettings = {
  ...EMPTY_CLASSIFY,
  legend: LEGEND,
  areas: { [idOf(7)]: area(1), [idOf(8)]: area(2) },
};

/** A server that holds what a study's dates are classified by. */
function open(settings: ClassifySettings | null, other: Record<string, unknown> = {}) {
  const picture = aNode("a", anImage({ bands: [aBand({ name: "B1", role: "reflectance" })] }));
  const date = (digit: number, year: number) => ({
    ...{ sceneId: idOf(digit), name: `HELIO2, ${year}`, kind: "optical", problem: null },
    ...{ acquiredAt: `${year}-01-22T13:00:00Z`, bands: ["B1"], picture },
  });
  const held: ClassifyView = { version: 1, settings, dates: [date(1, 2019), date(2, 2025)] };
  const asked = fakeServer(
    answersTo(other, {
      "/classification": (one: Asked) => {
        if (one.method === "PATCH") {
          const { changes } = one.as<{ changes: Change[] }>();
          held.settings = withChanges(held.settings, changes);
          held.version++;
        }
        return held;
      },
      "/classification/training": TRAINING,
      "/fields": aField(),
    }),
  );
  renderPage(<ClassifyPage />, { context: aStudy({ hazard: "land cover" }) });
  return { held, asked };
}
const classes = () => screen.findByRole("list", { name: "Classes" });

describe("the stage Classify", () => {
  test("begins empty: classes are added, named, and taken back", async () => {
    const { held } = open(null);
    await screen.findByText(/Add a class for each kind of ground/);
    await userEvent.click(screen.getByRole("button", { name: "Class" }));
    await userEvent.click(await screen.findByRole("button", { name: "Edit Class 1" }));
    const name = screen.getByLabelText("Name");
    await userEvent.clear(name);
    await userEvent.type(name, "Reeds{Enter}");
    await waitFor(() => expect(held.settings!.legend[0]!.name).toBe("Reeds"));
    await userEvent.keyboard("{Escape}");
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(held.settings!.legend[0]!.name).toBe("Class 1"));
    await userEvent.click(screen.getByRole("button", { name: "Redo" }));
    await waitFor(() => expect(held.settings!.legend[0]!.name).toBe("Reeds"));
    expect(screen.getByText("Two classes with areas are needed")).toBeTruthy();
  });

  test("says how many cells a class has, how far classes lie apart, and what was held aside", async () => {
    open(TRAINED);
    const list = await classes();
    await waitFor(() => expect(within(list).getAllByText("1 area · 20 cells")).toHaveLength(2));
    expect(screen.getByRole("cell", { name: "1.23" }).title).toMatch(/divergence 1.50/);
    expect(screen.getByText(/Water and Wood: hardly told apart/)).toBeTruthy();
    expect(screen.getByText("90.0 % of 10 cells")).toBeTruthy();
    expect(screen.getByText("Wood has 3 cells, too few.")).toBeTruthy();
  });

  test("says how right each class is in the test areas, and for what the rest is taken", async () => {
    const tested = {
      cells: 50,
      right: 45,
      matrix: [
        [29, 1, 0],
        [4, 16, 0],
      ],
    };
    open(TRAINED, { "/classification/training": { ...TRAINING, tested } });
    const table = await screen.findByRole("table", { name: "Right in test areas" });
    const said = within(table)
      .getAllByRole("row")
      .map((row) => row.textContent);
    expect(said.slice(1)).toEqual(["Water3096.7 %Wood", "Wood2080.0 %Water", "all5090.0 %"]);
  });

  test("areas to test on are not counted as trained; one over a training area is refused", async () => {
    const say = jest.spyOn(useUi.getState(), "say");
    const away = square.map((ring) => ring.map(([x, y]): [number, number] => [x + 1, y]));
    const tests = { [idOf(6)]: { ...area(1), isTest: true, polygons: [away] } };
    const { held, asked } = open({ ...TRAINED, areas: { ...TRAINED.areas, ...tests } });
    const list = await classes();
    await waitFor(() => expect(within(list).getAllByText("1 area · 20 cells")).toHaveLength(2));
    const feature = {
      ...{ type: "Feature", properties: { class: "Wood" } },
      geometry: { type: "Polygon", coordinates: square },
    };
    const text = JSON.stringify({ type: "FeatureCollection", features: [feature] });
    const file = new File([text], "more.geojson");
    await userEvent.upload(screen.getByLabelText("Test areas"), file);
    await waitFor(() => expect(say).toHaveBeenCalledTimes(1));
    expect(say.mock.calls[0]).toEqual([
      expect.stringMatching(/^2 training areas overlap test areas, the first one of water\. What/),
      "wrong",
    ]);
    say.mockRestore();
    expect(Object.keys(held.settings!.areas)).toHaveLength(3);
    expect(asked.filter(({ method }) => method === "PATCH")).toHaveLength(0);
  });

  test("how frequent classes are is set by hand, and goes with the class", async () => {
    const { held } = open(TRAINED);
    await classes();
    await userEvent.click(screen.getByRole("radio", { name: "by hand" }));
    const wood = await screen.findByLabelText("Wood, percent of the ground");
    expect(wood).toHaveProperty("value", "50.0");
    await userEvent.clear(wood);
    await userEvent.type(wood, "10{Enter}");
    await waitFor(() => expect(held.settings!.frequencies).toEqual({ "2": 10 }));
    expect(held.settings!.priors).toBe("given");
    expect(screen.getByText(/Together 60.0 %: they are taken in proportion/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Edit Wood" }));
    await userEvent.click(screen.getByRole("button", { name: /^Delete/ }));
    await waitFor(() => expect(held.settings!.frequencies).toEqual({}));
  });

  test("trains on the latest date first, and anew when the method is changed", async () => {
    const { asked, held } = open(TRAINED);
    await classes();
    const trained = () => asked.filter(({ path }) => path.endsWith("/training"));
    await waitFor(() => expect(trained()).toHaveLength(1));
    expect(trained()[0]!.body).toEqual({ sceneId: idOf(2) });
    await pickOption("Method", "Random forest");
    await waitFor(() => expect(trained()).toHaveLength(2));
    expect(held.settings!.method).toBe("forest");
    expect(screen.getByLabelText("Trees")).toBeTruthy();
  });

  test("what training refuses is said in sight of what is written, which then cannot be", async () => {
    const error = { code: "invalid", message: "Only Water has training cells on this date" };
    open(TRAINED, { "/classification/training": () => new Refusal(422, error) });
    const alert = await screen.findByRole("alert");
    expect(alert.textContent).toContain("Only Water has training cells");
    expect(screen.queryByText("Are the classes apart?")).toBeNull();
    expect(
      screen.getByRole<HTMLButtonElement>("button", { name: "Write land cover" }).disabled,
    ).toBe(true);
  });

  test("smoothing is set by window and size, and nothing of it is kept where it does nothing", async () => {
    const { held } = open(TRAINED);
    await classes();
    await pickOption("Window", "3 × 3 cells");
    await waitFor(() =>
      expect(held.settings!.smooth).toEqual({
        ...{ majorityCells: 3, minPatchCells: null, neighbours: 8 },
      }),
    );
    await pickOption("Window", "no window");
    await waitFor(() => expect(held.settings!.smooth).toBeNull());
  });

  test("maps of every date are ordered at once", async () => {
    const scenes = [{ sceneId: idOf(3), runId: idOf(4) }];
    const { asked } = open(TRAINED, { "/classification/maps": { scenes } });
    await classes();
    await userEvent.click(screen.getByRole("button", { name: "Write land cover" }));
    await waitFor(() =>
      expect(asked.find(({ path }) => path.endsWith("/maps"))?.body).toEqual({
        sceneIds: [idOf(1), idOf(2)],
      }),
    );
  });
});

describe("the model", () => {
  const KEPT: KeptModel = {
    ...{ id: "f".repeat(32), studyId: idOf(9), studyName: "Elsewhere", name: "Summer" },
    ...{ method: "likelihood", priors: [0.5, 0.5], reject: null, extras: [], inputs: ["B1"] },
    classes: LEGEND.map(({ note: _n, ...one }) => one),
  };
  test("of a training is kept under a name", async () => {
    const { asked } = open(TRAINED, { "/models": [] });
    await userEvent.type(await screen.findByLabelText("Name of the model"), "Summer");
    await userEvent.click(screen.getByRole("button", { name: "Keep" }));
    await waitFor(() => expect(asked.some(({ method }) => method === "PUT")).toBe(true));
    expect(asked.find(({ method }) => method === "PUT")!.as()).toEqual({
      name: "Summer",
      applied: TRAINING.applied,
    });
  });
  test("that is kept takes the place of training", async () => {
    const { held } = open(TRAINED, { "/models": [KEPT] });
    await screen.findByLabelText("Method");
    await pickOption("Classes by", "Summer (Elsewhere)");
    await waitFor(() => expect(held.settings!.model).toBe(KEPT.id));
    expect(screen.queryByLabelText("Method")).toBeNull();
    expect(await screen.findByText("Right in the areas here")).toBeTruthy();
    expect(screen.getByText(/Maximum likelihood by B1; Water, Wood/)).toBeTruthy();
  });
});

describe("groups of like cells", () => {
  const FOUND: DateGroups = {
    ...{ groups: classNode("e"), classes: null, inputs: ["B1"], smoothed: null },
    found: [
      { group: 1, color: "#4e79a7", share: 0.4, means: [0.02] },
      { group: 2, color: "#c86b3c", share: 0.6, means: [0.3] },
    ],
  };
  test("smoothed, say which cells change, and which of them had no class", async () => {
    const smoothed = { labels: classNode("8"), changes: classNode("9") };
    const counts = {
      ...{ changed: 30, filled: 4, emptied: 0, cells: 300, sampled: false },
      classes: [{ label: 1, lost: 20, gained: 30 }],
    };
    const grouped = { ...firstUnsupervised(), given: { [idOf(2)]: { "1": 1 } } };
    open(
      { ...TRAINED, unsupervised: grouped },
      {
        "/classification/groups": { ...FOUND, classes: classNode("b"), smoothed },
        "/classification/smoothing": counts,
      },
    );
    expect(
      await screen.findByText("30 cells change, 10.0 % of the date. 4 of them had no class."),
    ).toBeTruthy();
    expect(screen.getByRole("radio", { name: "Smoothed" })).toBeTruthy();
  });
  test("take the place of training; each is given to a class, old or new", async () => {
    const { held } = open(TRAINED, { "/classification/groups": FOUND });
    await pickOption("Classes by", "Groups of like cells");
    expect(await screen.findByRole("list", { name: "Groups found" })).toBeTruthy();
    expect(screen.queryByLabelText("Method")).toBeNull();
    expect(screen.getByText("Give groups to classes first")).toBeTruthy();
    await pickOption("Class of group 1", "Water");
    await pickOption("Class of group 2", "New class …");
    await waitFor(() => expect(held.settings!.legend).toHaveLength(3));
    expect(held.settings!.unsupervised!.given).toEqual({ [idOf(2)]: { "1": 1, "2": 3 } });
    expect(await screen.findByText("1 date, by groups of like cells")).toBeTruthy();
    // In another number they are other groups.
    await userEvent.click(screen.getByRole("radio", { name: "all dates" }));
    await waitFor(() => expect(held.settings!.unsupervised!.given).toEqual({}));
  });
});
