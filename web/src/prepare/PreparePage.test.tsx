/** @jest-environment jsdom */
import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { keysOf } from "@hindglance/core/chain/family";
import { proposedOptical } from "@hindglance/core/chain/opticalChain";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { Refusal, giveSizes, pickOption, renderPage, typeInto } from "../testing/page";
import { OPTICAL, OTHER, SCENE, aBoard, preparingServer } from "../testing/preparing";
import { aRun, aScene, aSensor, aStudy, anImage, anItem } from "../testing/things";
import { useUi } from "../state/ui";
import { PreparePage } from "./PreparePage";

giveSizes(400, 300);

const scenesWith = (more: Partial<ImageInfo>) =>
  [SCENE, OTHER].map((id) =>
    aScene({ id, imageId: id, acquiredAt: "2025-05-02T10:00:00Z", info: anImage(more) }),
  );
/** Of which an optical chain is proposed. */
const OPTICAL_FACTS = {
  hazard: "fire",
  quality: true,
  frames: false,
  bands: OPTICAL.input.info.bands,
};
const radar = scenesWith({ sensor: aSensor() });
const button = (name: string | RegExp) => screen.getByRole("button", { name });
const option = (group: string, name: string) =>
  within(screen.getByRole("radiogroup", { name: group })).getByRole("radio", { name });

type Server = Parameters<typeof preparingServer>[0];
let studies = 0;
/** The page of a study that nobody has worked in yet. */
async function open({ other = {}, ...more }: Server = {}) {
  const server = preparingServer({ ...more, other: { "/scenes": radar, ...other } });
  studies++;
  renderPage(<PreparePage />, { context: aStudy({ id: `study ${studies}` }) });
  await screen.findByRole("grid", { name: "Steps by date" });
  await screen.findByRole("application");
  const cell = (step: string, date = 1) =>
    screen.getAllByRole("gridcell", { name: new RegExp(`^${step},`) })[date]!;
  return { ...server, cell };
}

describe("a step", () => {
  test("is shown in and out under one curtain, with its figures and their change", async () => {
    await open({ means: { a: -10, b: -11 } });
    const map = screen.getByRole("application", { name: "Calibrate in and Terrain, 14 May out" });
    expect(map.parentElement!.textContent).toMatch(/Calibratein.*Terrain, 14 Mayout/);
    expect(await screen.findByText("-10.00 → -11.00 dB".replaceAll("-", "−"))).toBeTruthy();
    const curtain = screen.getByRole("slider", { name: "Curtain" });
    act(() => curtain.focus());
    await userEvent.keyboard("{ArrowLeft}");
    expect(Number(curtain.getAttribute("aria-valuenow"))).toBeLessThan(50);
  });

  test("is picked on the board, with its form and what it does", async () => {
    const { cell } = await open();
    await userEvent.click(cell("Looks", 0));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Looks");
    expect(screen.getByText("This step is skipped.")).toBeTruthy();
    expect(option("For which dates", "Only 2 May")).toBeTruthy();
  });

  test("that is skipped is used, set, and skipped again", async () => {
    const { cell, server } = await open();
    await userEvent.click(cell("Looks"));
    await userEvent.click(button("Use this step"));
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ on: true }));
    await typeInto("Looks in range", "4{Enter}");
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ rangeLooks: 4 }));
    await userEvent.click(button("Skip this step"));
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ on: false }));
  });

  test("takes no number that is out of its bounds, and says which it would take", async () => {
    const { cell, server, patches } = await open();
    await userEvent.click(cell("Looks"));
    await userEvent.click(button("Use this step"));
    await waitFor(() => expect(server.held().chain.looks).toMatchObject({ on: true }));
    const sent = patches().length;
    await typeInto("Looks in range", "3.5{Enter}");
    expect(screen.getByRole("alert").textContent).toMatch(/^A whole number from 1/);
    expect(patches()).toHaveLength(sent);
  });

  test("is set for one date alone, which can take the common settings again", async () => {
    const { server } = await open();
    await userEvent.click(option("For which dates", "Only 14 May"));
    await userEvent.click(option("Resampling of the image", "Nearest"));
    await waitFor(() =>
      expect(server.held().exceptions).toEqual({ [OTHER]: { terrain: { resampling: "nearest" } } }),
    );
    await userEvent.click(option("For which dates", "Every date"));
    expect(option("Resampling of the image", "Nearest").getAttribute("aria-checked")).toBe("false");
  });

  test("has cells of its own on the study grid, which no date alone can leave", async () => {
    const { patches } = await open();
    await typeInto("Cell size", "20{Enter}");
    await waitFor(() => expect(patches()).toHaveLength(1));
    await userEvent.click(option("For which dates", "Only 14 May"));
    expect(screen.queryByLabelText("Cell size")).toBeNull();
  });

  test("a change is taken back by its button and by the keys", async () => {
    const { cell, server } = await open();
    expect(button("Undo").hasAttribute("disabled")).toBe(true);
    await userEvent.click(cell("Speckle"));
    await userEvent.click(button("Use this step"));
    await waitFor(() => expect(server.held().chain.speckle).toMatchObject({ on: true }));
    await userEvent.click(button("Undo"));
    await waitFor(() => expect(server.held().chain.speckle).toMatchObject({ on: false }));
    await userEvent.click(button("Use this step"));
    await waitFor(() => expect(server.held().chain.speckle).toMatchObject({ on: true }));
    fireEvent.keyDown(window, { key: "z", ctrlKey: true });
    await waitFor(() => expect(server.held().chain.speckle).toMatchObject({ on: false }));
  });

  test("that cannot run says why, with the remedy, and which dates it warns of", async () => {
    const board = aBoard();
    const cells = board.rows[1]!.cells.map((one) =>
      one.step === "terrain"
        ? {
            ...one,
            state: "error" as const,
            error: { message: "There is no elevation here", hint: "Add one." },
            warnings: ["The scene reaches beyond the elevation"],
          }
        : one,
    );
    await open({ board: { ...board, rows: [board.rows[0]!, { ...board.rows[1]!, cells }] } });
    expect(screen.getByRole("alert").textContent).toBe("There is no elevation here. Add one.");
    expect(screen.getByText(/reaches beyond the elevation/).textContent).toMatch(/^14 May\./);
  });

  test("a field is marked by its button, and left by it", async () => {
    await open();
    await userEvent.click(button("Mark an even field"));
    const marking = button("Drag a box …");
    expect(marking.getAttribute("aria-pressed")).toBe("true");
    await userEvent.click(marking);
    expect(button("Mark an even field")).toBeTruthy();
  });
});

describe("running", () => {
  test("one date, or all that are left", async () => {
    const { asked } = await open();
    const runs = () =>
      asked.filter(({ method, path }) => method === "POST" && path.includes("/prepare/runs"));
    await userEvent.click(button("Run this date"));
    await waitFor(() => expect(runs()).toHaveLength(1));
    expect(runs()[0]!.body).toEqual({ sceneIds: [OTHER] });
    await userEvent.click(button("Run what is left"));
    await waitFor(() => expect(runs()).toHaveLength(2));
  });

  test("a date that was run says so", async () => {
    const board = aBoard();
    await open({ board: { ...board, rows: board.rows.map((row) => ({ ...row, ready: true })) } });
    expect(button("This date is run").hasAttribute("disabled")).toBe(true);
  });

  test("what is refused is said in a notice", async () => {
    const say = jest.spyOn(useUi.getState(), "say");
    const wrong = new Refusal(422, { code: "invalid", message: "No orbit", hint: "Fetch it." });
    await open({ other: { "/prepare/runs": () => wrong } });
    await userEvent.click(button("Run this date"));
    await waitFor(() => expect(say).toHaveBeenCalledWith("No orbit. Fetch it.", "wrong"));
    say.mockRestore();
  });
});

describe("what the archive has", () => {
  const archive = { set: true, title: "Fen archive", problem: null };

  test("orbit files and elevation are offered where the chain lacks them", async () => {
    const lacking = {
      problem: null,
      orbits: [
        { sceneId: SCENE, sceneName: "A", item: anItem("o", { kind: "orbit" }) },
        { sceneId: OTHER, sceneName: "B", item: null },
      ],
      elevation: { items: [anItem("d"), anItem("e")], bytes: 1e7 },
    };
    const { asked } = await open({ other: { "/archive": archive, "/lacking": lacking } });
    expect(await screen.findByText("1 date lacks a precise orbit.")).toBeTruthy();
    expect(screen.getByText("The archive has no orbit file for B.")).toBeTruthy();
    await userEvent.click(button("Fetch 1 orbit file"));
    const fetched = () => asked.find(({ path }) => path.endsWith("/archive/fetch"));
    await waitFor(() => expect(fetched()?.body).toMatchObject({ kind: "orbit" }));
    expect(button(/^Fetch elevation, 10/)).toBeTruthy();
  });

  test("what is being fetched is shown instead", async () => {
    const run = aRun({ kind: "fetchItems", title: "Fetch orbits", studyId: "study 99" });
    const nothing = { problem: null, orbits: [], elevation: null };
    studies = 98;
    await open({ other: { "/archive": archive, "/lacking": nothing, "/runs": [run] } });
    await waitFor(() => expect(screen.queryByText("Fetch orbits")).toBeTruthy());
  });
});

describe("which family", () => {
  test("optical steps are looked at in a band combination, or by their haze map", async () => {
    const scenes = scenesWith({
      optical: { level: 1, sunElevationDeg: 50, sunAzimuthDeg: 60 },
    });
    const chain = proposedOptical(anImage().grid, OPTICAL_FACTS);
    const rows = aBoard().rows.map((row) => ({
      ...row,
      cells: keysOf("optical").map((step) => ({ ...row.cells[0]!, step })),
    }));
    const board = aBoard({ family: "optical", chain, rows });
    const { cell } = await open({ board, nodes: OPTICAL, other: { "/scenes": scenes } });
    await userEvent.click(cell("Surface"));
    await userEvent.click(await screen.findByRole("button", { name: "Haze map" }));
    expect(button("Haze map").getAttribute("aria-pressed")).toBe("true");
    await pickOption("What is shown", /infrared/i);
    expect(button("Haze map").getAttribute("aria-pressed")).toBe("false");
  });

  test("where nothing can be prepared, what can be is said", async () => {
    preparingServer({ other: { "/scenes": [aScene({ imageId: "i" })] } });
    renderPage(<PreparePage />, { context: aStudy() });
    await screen.findByText("Nothing to prepare is here yet");
    await userEvent.click(button("Go to Scenes"));
    expect(screen.getByLabelText("address").textContent).toMatch(/\/scenes$/);
  });
});
