/** @jest-environment jsdom */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { FIRST_RECIPES } from "@hindglance/core/recipe/recipe";
import { differencesOf } from "@hindglance/core/recipe/differences";
import { useUi } from "../../state/ui";
import {
  type Asked,
  Refusal,
  answersTo,
  fakeServer,
  pickOption,
  renderPage,
  typeInto,
} from "../../testing/page";
import { aScene, aStudy, anImage, idOf } from "../../testing/things";
import { ReportPage } from "../ReportPage";
import { differenceSaid, recipeLines } from "./recipeWords";

const study = aStudy();
const scenes = [
  aScene({ id: idOf(1), kind: "radar", name: "Lantern 2 May", info: anImage() }),
  aScene({ id: idOf(2), kind: "radar", name: "Lantern 14 May", info: anImage() }),
  aScene({ id: idOf(3), kind: "elevation", name: "Heights", info: anImage() }),
];
const NIGHT = { ...FIRST_RECIPES.flood, name: "Night", align: "shift" as const, cellSize: 25 };
const KEPT = {
  id: idOf(7),
  name: "Night",
  version: 2,
  createdAt: "2025-05-15T07:00:00Z",
  recipe: NIGHT,
};
const RUN = {
  ...{ id: idOf(8), studyId: study.id, study: "S", name: "Night, 14 May", recipe: NIGHT },
  ...{ beforeId: idOf(1), afterId: idOf(2), before: "Lantern 2 May", after: "Lantern 14 May" },
  ...{
    state: "done",
    stage: "files",
    progress: 1,
    createdAt: "2025-05-15T07:00:00Z",
    endedAt: null,
  },
  log: [
    { at: "2025-05-15T07:00:01Z", tone: "said", text: "Both dates are being prepared." },
    { at: "2025-05-15T07:00:09Z", tone: "doubt", text: "Finished: look first." },
  ],
  lookFirst: ["Only 40 % of the study area is seen on both dates."],
  made: { changeMapId: idOf(9), files: [{ id: idOf(10), name: "n.zip", format: "bundle" }] },
};
const noOwn = new Refusal(422, { code: "invalid", message: "This study compares nothing yet" });
const table = {
  "/change-maps": [],
  "/scenes": scenes,
  "/recipe-orders": [],
  "/recipe-runs": [RUN],
  "/recipes": [KEPT],
  "/recipe": noOwn,
};
const open = (more: Record<string, unknown> = {}, of = study) => {
  const asked = fakeServer(answersTo(more, table));
  renderPage(<ReportPage />, { context: of, at: "/?of=recipes" });
  return asked;
};
const posts = (asked: Asked[]) => asked.filter(({ method }) => method === "POST");
const click = async (name: string | RegExp) =>
  userEvent.click(await screen.findByRole("button", { name }));

describe("recipes", () => {
  test("a run says why its map is to be looked at first, and what it did and made", async () => {
    open();
    const runs = await screen.findByRole("region", { name: "Runs of recipes" });
    await within(runs).findByText("Look first");
    within(runs).getByText("Only 40 % of the study area is seen on both dates.");
    within(runs).getByText("Both dates are being prepared.");
    const link = within(runs).getByRole("link", { name: "Open map" });
    expect(link.getAttribute("href")).toBe(`/studies/${study.id}/tally?map=${idOf(9)}`);
  });

  test("the latest two dates that a recipe is for are proposed where Compare has no pair yet", async () => {
    const dated = scenes.map((one, k) => ({ ...one, acquiredAt: `2025-05-0${3 - k}T00:00:00Z` }));
    open({ "/scenes": [...dated, aScene({ id: idOf(4), kind: "optical", name: "Camera" })] });
    const before = await screen.findByRole("combobox", { name: "Before" });
    expect(before.textContent).toContain("Lantern 14 May");
    expect(screen.getByRole("combobox", { name: "After" }).textContent).toContain("Lantern 2 May");
  });

  test("dates of another sensor are not offered, and a study without fitting ones says so", async () => {
    const camera = aScene({ id: idOf(4), kind: "optical", name: "Camera" });
    open({ "/scenes": [camera, scenes[0]!], "/recipe-runs": [] });
    await screen.findByText("This recipe is for two radar scenes; the study has 1.");
    (await screen.findByRole("combobox", { name: "Before" })).focus();
    await userEvent.keyboard("{Enter}");
    const options = (await screen.findAllByRole("option")).map(({ textContent }) => textContent);
    expect(options.some((text) => text?.includes("Lantern 2 May"))).toBe(true);
    expect(options.some((text) => text?.includes("Camera"))).toBe(false);
  });

  test("the recipe for what the study is about is picked at first", async () => {
    open({}, aStudy({ hazard: "fire" }));
    const recipe = await screen.findByRole("combobox", { name: "Recipe" });
    expect(recipe.textContent).toBe("Burn severity");
  });

  test("a run that failed says why without its log being opened", async () => {
    const why = "Nothing is known of the cover. Draw areas under Classify.";
    const log = [...RUN.log, { at: "2025-05-15T07:00:10Z", tone: "wrong", text: why }];
    open({ "/recipe-runs": [{ ...RUN, state: "failed", log, lookFirst: [] }] });
    const runs = await screen.findByRole("region", { name: "Runs of recipes" });
    await within(runs).findByText("Failed");
    expect(
      within(runs)
        .getAllByText(why)
        .map((one) => one.closest("details") !== null),
    ).toEqual([false, true]);
  });

  test("the picked one is told in words, and what differs from another one", async () => {
    open();
    await screen.findByRole("heading", { name: "Night, 14 May" });
    await pickOption("Recipe", /Night/);
    const card = screen.getByRole("region", { name: "Recipe" });
    within(card).getByText(/Cells of 25.0 m/);
    within(card).getByText(/laid on the earlier one: shift/);
    await pickOption("Compared with", /Flood on radar/);
    const table = within(card).getByRole("table");
    const rows = within(table)
      .getAllByRole("row")
      .map((row) => row.textContent);
    expect(rows).toEqual(["nameFlood on radar → Night", "cellSizenone → 25", "alignnone → shift"]);
  });

  test("it is run on a pair", async () => {
    const asked = open({
      "/recipe-runs": (one: Asked) => (one.method === "POST" ? { id: idOf(11) } : []),
    });
    await screen.findByText(/None yet/);
    const run = screen.getByRole("button", { name: "Run on this pair" });
    await waitFor(() => expect(run.hasAttribute("disabled")).toBe(true));
    await pickOption("Before", /Lantern 2 May/);
    await pickOption("After", /Lantern 2 May/);
    screen.getByText(/one and the same date/);
    expect(run.hasAttribute("disabled")).toBe(true);
    await pickOption("After", /Lantern 14 May/);
    await userEvent.click(run);
    await waitFor(() => expect(posts(asked)).toHaveLength(1));
    expect(posts(asked)[0]!.body).toEqual({
      ...{ recipe: FIRST_RECIPES.flood, beforeId: idOf(1), afterId: idOf(2), name: null },
      files: ["bundle"],
    });
  });

  test("it is ordered for every new date, and that is ended", async () => {
    const given = {
      ...{ id: idOf(12), studyId: study.id, recipe: NIGHT, beforeId: null, before: null },
      ...{ createdAt: "2025-05-15T07:00:00Z", runs: 2 },
    };
    let orders: object[] = [];
    const asked = open({
      "/recipe-orders": (one: Asked) => {
        if (one.method === "POST") {
          orders = [given];
          return { id: given.id };
        }
        return orders;
      },
      [`/recipe-orders/${given.id}`]: () => {
        orders = [];
        return {};
      },
    });
    await userEvent.click(await screen.findByRole("radio", { name: "Every new date" }));
    await pickOption("Compared with the date", /Lantern 2 May/);
    await click("Run on every new date");
    const list = await screen.findByRole("list", { name: "Standing orders" });
    within(list).getByText(/2 dates have come/);
    expect(posts(asked)[0]!.body).toEqual({
      ...{ recipe: FIRST_RECIPES.flood, beforeId: idOf(1), files: ["bundle"] },
    });
    await click("End Night on every new date");
    await waitFor(() => expect(screen.queryByRole("list", { name: "Standing orders" })).toBeNull());
  });

  test("a list that cannot be read is refused at the list, and stays as it was typed", async () => {
    const message = "line 2, after: there is no date “x”";
    open({
      "/recipe-lists": new Refusal(422, { code: "invalid", message }),
    });
    await userEvent.click(await screen.findByRole("radio", { name: "A list" }));
    const field = screen.getByLabelText("Pairs");
    fireEvent.change(field, { target: { value: "before,after\nLantern 2 May,x" } });
    await click("Run on these pairs");
    await screen.findByText(/line 2, after/);
    expect(field).toHaveProperty("value", "before,after\nLantern 2 May,x");
  });

  test("it is saved under a name, deleted, and read from a file that is one", async () => {
    const say = jest.fn();
    useUi.setState({ say });
    const asked = open({
      "/recipes": (one: Asked) => (one.method === "POST" ? { ...KEPT, version: 3 } : [KEPT]),
    });
    await screen.findByRole("heading", { name: "Night, 14 May" });
    await pickOption("Recipe", /Night/);
    await click("Save as …");
    await typeInto("Name", "Dawn");
    await click("Save");
    await waitFor(() => expect(posts(asked)).toHaveLength(1));
    expect(posts(asked)[0]!.body).toEqual({ recipe: { ...NIGHT, name: "Dawn" } });
    await waitFor(() => expect(say).toHaveBeenCalledWith("“Night” is saved as version 3."));
    const input = screen.getByLabelText("Recipe file");
    const wrong = new File([JSON.stringify({ ...NIGHT, format: 2 })], "w.json");
    await userEvent.upload(input, wrong);
    await waitFor(() =>
      expect(say).toHaveBeenCalledWith(
        expect.stringMatching(/w.json is no recipe: .*format must be 1/),
        "wrong",
      ),
    );
    await userEvent.upload(input, new File([JSON.stringify(NIGHT)], "n.json"));
    await waitFor(() => expect(posts(asked)).toHaveLength(2));
    await click("Delete Night, version 2");
    await waitFor(() => expect(asked.some(({ method }) => method === "DELETE")).toBe(true));
  });
});

test("every recipe that is always there has its lines", () => {
  for (const recipe of Object.values(FIRST_RECIPES)) {
    const about = recipeLines(recipe).map((line) => line.about);
    const how = recipe.classes ? ["Classified", "Classes"] : ["Compared", "Thresholds"];
    expect(about).toEqual(["Note", "Dates", ...how, "Sheet", "Look first"]);
  }
});

test("differences are told by names, not by places", () => {
  const one = {
    rules: [
      { name: "A", value: 1 },
      { name: "B", value: 2.5 },
    ],
    off: true,
  };
  const other = {
    rules: [
      { name: "B", value: 3 },
      { name: "A", value: 1 },
    ],
    off: null,
  };
  expect(differencesOf(one, other).map(differenceSaid)).toEqual([
    ["rules › B › value", "2.5 → 3"],
    ["off", "true → none"],
  ]);
  expect(differencesOf(one, one)).toEqual([]);
});
