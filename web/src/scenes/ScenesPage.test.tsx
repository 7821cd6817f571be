/** @jest-environment jsdom */
import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import type { PlaceValues } from "../pins/values";
import { NBR, SCENES, STUDY, dated } from "../testing/comparing";
import { clickMap, mapsOfPage } from "../testing/maps";
import {
  type Asked,
  answersTo,
  fakeServer,
  giveSizes,
  pickOption,
  renderPage,
  typeInto,
} from "../testing/page";
import { aField, aNode, idOf } from "../testing/things";
import { ScenesPage } from "./ScenesPage";
import { useSending } from "./uploads";

giveSizes(400, 300);
const maps = mapsOfPage();

/** The scenes with a spread of the first band, so that they can be drawn. */
const counted = SCENES.map((scene) => {
  const histogram = emptyHistogram(0, 1, 100);
  addToHistogram(
    histogram,
    Float32Array.from({ length: 1000 }, (_v, k) => (k + 0.5) / 1000),
  );
  return { ...scene, histograms: scene.info!.bands.map(() => histogram) };
});
const values: PlaceValues = {
  scenes: SCENES.slice(0, 2).map(({ id, name, kind, acquiredAt }, k) => ({
    sceneId: id,
    ...{ name, kind, acquiredAt, classes: null, problem: null },
    bands: [{ key: "VV", name: "VV", unit: "dB", role: "power" }],
    values: [[-8 - 9 * k]],
  })),
  heights: [12],
};
const pin = {
  ...{ id: idOf(7), studyId: STUDY.id, name: "Weir", lon: 20.05, lat: -30.05 },
  expected: { band: "VV", value: -8, tolerance: 2, sceneId: null },
  createdAt: "2025-05-15T00:00:00Z",
};
const button = (name: string | RegExp) => screen.getByRole("button", { name });
const inList = (name: string) =>
  within(screen.getByRole("list", { name: "Scenes" })).getByText(name, { exact: false });
const option = (group: string, name: string) =>
  within(screen.getByRole("radiogroup", { name: group })).getByRole("radio", { name });

interface Given {
  at?: string;
  study?: typeof STUDY;
  other?: Record<string, unknown>;
}
async function open({ at = "/", study = STUDY, other = {} }: Given = {}) {
  const asked = fakeServer(
    answersTo(other, {
      "/scenes": counted,
      "/node": aNode("a", SCENES[0]!.info!),
      "/fields": aField(),
      "/values": values,
    }),
  );
  renderPage(<ScenesPage />, { at, context: study });
  await screen.findByRole("button", { name: "Add files" });
  const sent = (method: string) => asked.filter((one) => one.method === method);
  return { asked, sent };
}
/** The page with its scenes. */
async function withScenes(given: Given = {}) {
  const server = await open(given);
  await screen.findByText("Scenes · 4");
  return server;
}

describe("scenes", () => {
  test("the first is looked at; another is picked in the list or on the strip", async () => {
    await withScenes();
    await screen.findByRole("application", { name: "Map of Scene 1" });
    await userEvent.click(inList("Scene 3"));
    await screen.findByRole("application", { name: "Map of Scene 3" });
    await userEvent.click(button("Scene 2, 14 May 2025, 18:00 UTC"));
    await screen.findByRole("application", { name: "Map of Scene 2" });
    expect(screen.getByLabelText("address").textContent).toContain(`scene=${idOf(2)}`);
  });

  test("the one that the address names is looked at, in its bands and stretch", async () => {
    const show = { mode: "single", bands: [1, 0, 0], stretch: "p5", by: "scene", gamma: 2 };
    const display = encodeURIComponent(JSON.stringify({ ...show, ramp: null, breaks: null }));
    await withScenes({ at: `/?scene=${idOf(2)}&show=${display}` });
    await screen.findByRole("application", { name: "Map of Scene 2" });
    expect(screen.getByRole("combobox", { name: "Band" }).textContent).toBe("VH");
    expect(screen.getByRole("combobox", { name: "Stretch" }).textContent).toBe("5 %");
    expect(screen.getByLabelText<HTMLInputElement>("Gamma").value).toBe("2.0");
  });

  test("are narrowed by kind and date, and all shown again", async () => {
    await withScenes();
    await userEvent.click(button("Filter"));
    await pickOption("Kind", "optical");
    fireEvent.change(screen.getByLabelText("From"), { target: { value: "2025-05-10" } });
    expect(await screen.findByText("1 of 4 shown")).toBeTruthy();
    await userEvent.keyboard("{Escape}");
    await userEvent.click(button("Show all"));
    expect(screen.queryByText(/of 4 shown/)).toBeNull();
  });

  test("one is drawn in another band, with another gamma, on a ramp with a legend", async () => {
    await withScenes();
    await pickOption("Band", "VH");
    await typeInto("Gamma", "1.8{Enter}");
    await pickOption("Ramp", "Dark to bright");
    const { value } = screen.getByLabelText<HTMLInputElement>("Gamma");
    expect(value).toBe("1.8");
    const map = await screen.findByRole("application", { name: "Map of Scene 1" });
    await waitFor(() => expect(map.parentElement!.textContent).toMatch(/VH/));
  });

  test("footprints of all are shown in place of the picture", async () => {
    await withScenes();
    await screen.findByRole("application", { name: "Map of Scene 1" });
    await userEvent.click(option("What the picture shows", "Footprints"));
    expect(screen.queryByRole("application", { name: "Map of Scene 1" })).toBeNull();
    expect(screen.getAllByRole("application")).toHaveLength(1);
  });

  test("one is removed only once it was asked, saying what stays", async () => {
    const { sent } = await withScenes();
    await userEvent.click(button("Remove scene"));
    const dialog = within(screen.getByRole("alertdialog"));
    expect(dialog.getByText(/Change maps that were made from it stay/)).toBeTruthy();
    await userEvent.click(dialog.getByRole("button", { name: "Remove the scene" }));
    await waitFor(() =>
      expect(sent("DELETE").map(({ path }) => path)).toEqual([`/scenes/${idOf(1)}`]),
    );
  });

  test("tiles of one date are joined; one can be left out", async () => {
    const tiles = [1, 2, 3].map((digit) => dated(digit, "optical", "03", [NBR]));
    const { sent } = await open({ other: { "/scenes": tiles } });
    await userEvent.click(await screen.findByRole("button", { name: "Join with …" }));
    await userEvent.click(screen.getByRole("checkbox", { name: /Scene 3/ }));
    await userEvent.click(button("Join 2 scenes"));
    await waitFor(() => expect(sent("POST").some(({ path }) => path.endsWith("/join"))).toBe(true));
    const join = sent("POST").find(({ path }) => path.endsWith("/join"))!;
    expect(join.body).toEqual({ sceneIds: [idOf(1), idOf(2)] });
  });
});

describe("files", () => {
  const drop = (...names: string[]) => {
    const files = names.map((name) => new File(["x"], name));
    const target = screen.getByText("Study area").closest("[role=presentation]")!;
    return act(async () => {
      fireEvent.drop(target, {
        dataTransfer: {
          files,
          types: ["Files"],
          items: files.map((file) => ({ kind: "file", type: "", getAsFile: () => file })),
        },
      });
      await new Promise((ok) => setTimeout(ok, 20));
    });
  };
  test("several dropped at once are all sent to this study", async () => {
    const add = jest.spyOn(useSending.getState(), "add").mockImplementation();
    await withScenes();
    await drop("a.zip", "b.EOF", "area.geojson");
    await waitFor(() => expect(add).toHaveBeenCalledTimes(1));
    const [, studyId, files] = add.mock.calls[0]!;
    expect([studyId, files.map(({ name }) => name)]).toEqual([
      STUDY.id,
      ["a.zip", "b.EOF", "area.geojson"],
    ]);
    add.mockRestore();
  });

  test("where there are none yet, what can be dropped is said", async () => {
    await open({ other: { "/scenes": [] } });
    expect(await screen.findByText("No scene yet")).toBeTruthy();
    expect(screen.getByText(/^Drop files anywhere on this page/)).toBeTruthy();
  });
});

describe("a place", () => {
  test("that is clicked shows its values on every date, and is kept as a pin", async () => {
    const { sent } = await withScenes({
      other: { "/pins": ({ method }: Asked) => (method === "POST" ? pin : []) },
    });
    const map = await screen.findByRole("application", { name: "Map of Scene 1" });
    clickMap(maps.on(map), [20.05, -30.05]);
    const card = within(await screen.findByRole("region", { name: "Values at this place" }));
    expect(await card.findByText("−8.00")).toBeTruthy();
    expect(card.getByText("−17.00")).toBeTruthy();
    expect(card.getByText(/12/, { selector: "h2 span" })).toBeTruthy();
    await userEvent.click(card.getByRole("radio", { name: "5 x 5" }));
    await waitFor(() =>
      expect(sent("POST").some(({ body }) => JSON.stringify(body).includes('"sizeCells":5'))).toBe(
        true,
      ),
    );
    await typeInto("Name of the pin", " Weir {Enter}");
    await waitFor(() =>
      expect(screen.queryByRole("region", { name: "Values at this place" })).toBeNull(),
    );
    const { name, lon, lat } = sent("POST")
      .find(({ path }) => path.endsWith("/pins"))!
      .as<typeof pin>();
    expect([name, lon, lat]).toEqual(["Weir", expect.closeTo(20.05), expect.closeTo(-30.05)]);
  });

  test("that is kept says whether it is as expected, and where not", async () => {
    const { sent } = await withScenes({ other: { "/pins": [pin] } });
    expect(await screen.findByLabelText("not as expected")).toBeTruthy();
    expect(screen.getByText(/every date: −17\.0 on Scene 2/)).toBeTruthy();
    await userEvent.click(button("Remove pin Weir"));
    await waitFor(() => expect(sent("DELETE")).toHaveLength(1));
  });
});

describe("the study area", () => {
  test("is drawn on the map, and drawing is left by the same button", async () => {
    await withScenes();
    await screen.findByRole("application", { name: "Map of Scene 1" });
    await userEvent.click(button("Draw"));
    expect(screen.queryByRole("radiogroup", { name: "What the picture shows" })).toBeNull();
    await userEvent.click(button("Stop drawing"));
    expect(screen.getByRole("radiogroup", { name: "What the picture shows" })).toBeTruthy();
  });

  test("the study is changed in its dialog", async () => {
    const { sent } = await withScenes({
      other: { [`/studies/${STUDY.id}`]: { ...STUDY, name: "Vell flood" } },
    });
    await userEvent.click(button("Study"));
    await typeInto("Name", "Vell flood");
    await userEvent.click(button(/^Save/));
    await waitFor(() => expect(sent("PATCH")[0]?.body).toMatchObject({ name: "Vell flood" }));
  });
});

test("without an archive, how one is set is said, and the way back is there", async () => {
  await withScenes({
    other: { "/archive": { set: false, problem: null, title: "Archive", host: "", kinds: [] } },
  });
  await userEvent.click(button("Archive"));
  expect(await screen.findByText(/^No archive is set for this server/)).toBeTruthy();
  expect(screen.queryByText("Scenes · 4")).toBeNull();
  await userEvent.click(button("Scenes"));
  expect(screen.getByText("Scenes · 4")).toBeTruthy();
});
