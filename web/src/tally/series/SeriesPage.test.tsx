/** @jest-environment jsdom */
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { SCENES, STUDY, sideOf } from "../../testing/comparing";
import {
  type Asked,
  Refusal,
  answersTo,
  fakeServer,
  giveSizes,
  renderPage,
  typeInto,
} from "../../testing/page";
import { aNode, aRun, idOf } from "../../testing/things";
import { TallyPage } from "../TallyPage";
import type { Series, SeriesAsk, SeriesDate } from "./series";

giveSizes(500, 260);

const zone = (beyondKm2: number) => ({
  seenM2: 10e6,
  beyondM2: beyondKm2 * 1e6,
  beyondCells: beyondKm2 * 100,
  cells: 1000,
  mean: -9,
});
const date = (digit: number, zones: SeriesDate["zones"]): SeriesDate => ({
  sceneId: idOf(digit),
  name: `Scene ${digit}`,
  acquiredAt: SCENES[digit - 1]!.acquiredAt!,
  node: aNode(String(digit)),
  zones,
  mean: zones ? -9 : null,
});
const counted = [date(1, [zone(1), zone(0.5)]), date(2, [zone(4), zone(2)])];
const series = (more: Partial<Series> = {}): Series => ({
  key: "k",
  unit: "dB",
  band: "VV",
  zones: ["Lowfen"],
  left: [],
  grid: aNode("1").info.grid,
  dates: counted,
  runId: undefined,
  ...more,
});
const open = (answer: (asked: Asked) => unknown, more: Record<string, unknown> = {}) => {
  const asked = fakeServer(
    answersTo(more, {
      "/scenes": SCENES,
      "/compare/sides": SCENES.map(sideOf),
      "/series": answer,
    }),
  );
  renderPage(<TallyPage />, { at: "/?of=dates", context: STUDY });
  return asked.filter.bind(asked, ({ path }: Asked) => path.endsWith("/series"));
};

describe("every date by itself", () => {
  test("has its area, share and mean; the last one is picked, with its figure above", async () => {
    open(() => series());
    const head = await screen.findByRole("heading", { level: 1 });
    await waitFor(() => expect(head.textContent).toMatch(/^6\.00.*water 30\.0 % of 20\.0/));
    const table = within(screen.getByRole("table", { name: "Area by date" }));
    const rows = table.getAllByRole("row").slice(1);
    expect(rows.map((row) => row.textContent)).toEqual([
      expect.stringMatching(/^2 May 2025.*1\.50.*7\.5/),
      expect.stringMatching(/^14 May 2025.*6\.00.*30\.0/),
    ]);
    await userEvent.click(table.getByRole("button", { name: "2 May 2025" }));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toMatch(/^1\.50/);
  });

  test("another threshold asks anew; the numbers of the former one stand until then", async () => {
    const asked = open((one) => series({ key: String(one.as<SeriesAsk>().value) }));
    await screen.findByRole("table", { name: "Area by date" });
    await typeInto("Value", "-15.5{Enter}");
    await waitFor(() => expect(asked().at(-1)!.body).toMatchObject({ op: "<", value: -15.5 }));
  });

  test("says how far measuring is while dates have no numbers yet", async () => {
    const run = aRun({ id: "r1", progress: 0.4 });
    open(() => series({ dates: [date(1, null), date(2, null)], runId: "r1" }), { "/runs": [run] });
    const bar = await screen.findByRole("progressbar", { name: "Measuring dates" });
    expect(bar.getAttribute("aria-valuenow")).toBe("40");
    expect(screen.getByRole("heading", { level: 1 }).textContent).toMatch(/^–/);
  });

  test("names what was left out with the reason", async () => {
    const left = [{ sceneId: idOf(3), name: "Scene 3", reason: "It has no VV" }];
    open(() => series({ left }));
    expect(await screen.findByText(/It has no VV/)).toBeTruthy();
  });

  test("what cannot be counted is said", async () => {
    open(() => new Refusal(422, { code: "invalid", message: "No cell is seen", hint: "Draw." }));
    expect((await screen.findByRole("alert")).textContent).toBe("No cell is seen. Draw.");
  });

  test("needs two dates", async () => {
    open(() => series(), { "/scenes": SCENES.slice(0, 1) });
    await screen.findByText("Two dates are needed");
    await userEvent.click(screen.getByRole("radio", { name: "Change map" }));
    expect(screen.getByLabelText("address").textContent).toBe("/");
  });
});
