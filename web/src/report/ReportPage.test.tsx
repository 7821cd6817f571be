/** @jest-environment jsdom */
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useShownMap } from "../state/shownMap";
import { Refusal, answersTo, fakeServer, renderPage } from "../testing/page";
import { aChangeMap, aNode, aRun, aStudy } from "../testing/things";
import { ReportPage } from "./ReportPage";

const study = aStudy();
const button = (name: string) => screen.getByRole("button", { name });
const table = {
  "/change-maps": [aChangeMap()],
  "/node": aNode("a", aChangeMap().info),
  "/samples": [],
  "/standing": { areas: [], reviewers: [], zonesKnown: true, agreement: [] },
};
const open = (more: Record<string, unknown> = {}) => {
  const asked = fakeServer(answersTo(more, table));
  const { client } = renderPage(<ReportPage />, { context: study });
  return { asked, client };
};

beforeEach(() => useShownMap.setState({ ids: {} }));

describe("the Report page", () => {
  test("names the map, and shows its classes on it", async () => {
    open();
    expect((await screen.findByRole("heading", { level: 1 })).textContent).toBe("First look");
    await screen.findByRole("application", { name: "The change map" });
  });

  test("makes a file by a run, and offers it once it is there", async () => {
    const { asked } = open({ "/files": { runId: "r7" } });
    await userEvent.click(await screen.findByRole("button", { name: "Make Table, CSV" }));
    await screen.findByRole("progressbar", { name: "Making Table, CSV" });
    expect(asked.find(({ method }) => method === "POST")!.body).toEqual({ format: "csv" });
    expect(button("Make Table, CSV").hasAttribute("disabled")).toBe(true);
    expect(button("Make Patches, GeoJSON").hasAttribute("disabled")).toBe(false);
  });

  test("says what a file waits for, in place of making it", async () => {
    open();
    await screen.findByText(/depth of this map is not measured/);
    await screen.findByText(/No sample was drawn from this map/);
    for (const name of ["Make Depth, GeoTIFF", "Make Sample, GeoJSON"]) {
      expect(button(name).hasAttribute("disabled")).toBe(true);
    }
  });

  test("says how far a file is, and takes it when it is made", async () => {
    const clicked = jest.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation();
    const made = aRun({ id: "r7", state: "done", result: { blobId: "b9" } });
    open({ "/files": { runId: "r7" }, "/runs": [made] });
    await userEvent.click(await screen.findByRole("button", { name: "Make Table, CSV" }));
    await waitFor(() => expect(clicked).toHaveBeenCalledTimes(1));
    expect(clicked.mock.contexts[0]).toMatchObject({ pathname: "/api/files/b9" });
    clicked.mockRestore();
  });

  test("of a file that is there offers it with its name and size, without another run", async () => {
    const clicked = jest.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation();
    const files = [{ id: "b1", name: "Look.tif", size: 2_500_000, format: "cog" }];
    const { asked } = open({ "/change-maps": [aChangeMap({ files })] });
    await userEvent.click(await screen.findByRole("button", { name: "Download Classes, GeoTIFF" }));
    expect(screen.getByText(/^Look\.tif · 2\.5/)).toBeTruthy();
    expect(clicked).toHaveBeenCalledTimes(1);
    expect(asked.filter(({ method }) => method === "POST")).toEqual([]);
    clicked.mockRestore();
  });

  test("that cannot be made leaves its button as it was", async () => {
    const wrong = { code: "invalid", message: "No space", hint: "Free some." };
    open({ "/files": () => new Refusal(507, wrong) });
    await userEvent.click(await screen.findByRole("button", { name: "Make Provenance, JSON" }));
    await waitFor(() =>
      expect(button("Make Provenance, JSON").hasAttribute("disabled")).toBe(false),
    );
  });

  test("says that nobody tested the map, and where that is done", async () => {
    open();
    const right = within(await screen.findByRole("region", { name: "How right it is" }));
    expect(await right.findByText("Not tested:")).toBeTruthy();
    expect(await right.findByText("No patch has a verdict.")).toBeTruthy();
    expect(right.getByRole("link", { name: "Plan a sample" }).getAttribute("href")).toBe(
      "/studies/s1/review?map=m1&of=accuracy",
    );
    expect(right.queryByText("adjusted")).toBeNull();
  });

  test("puts areas as mapped beside what a sample says of them, with who looked", async () => {
    const map = aChangeMap();
    const [flood] = map.info.classes!;
    const strata = [
      { id: 0, label: 0, cells: 800, areaM2: 8e6 },
      { id: flood!.label, label: flood!.label, cells: 150, areaM2: 1.5e6 },
    ];
    open({
      "/samples": [
        {
          ...{ id: "x1", changeMapId: map.id, name: "Sample 1", strata, nearCells: 0, places: 80 },
          ...{
            createdAt: "2025-05-15T08:00:00Z",
            interpreters: [{ interpreter: "Ann", places: 70 }],
          },
          design: { drawing: "stratified", seed: 1, units: {}, count: 0 },
        },
      ],
      "/result": {
        ...{ zones: [], open: 10, unsure: 0, disputed: 0, agreement: [] },
        counts: [
          { stratum: 0, zone: 0, reference: 0, units: 38 },
          { stratum: 0, zone: 0, reference: flood!.label, units: 2 },
          { stratum: flood!.label, zone: 0, reference: flood!.label, units: 30 },
        ],
      },
    });
    const right = within(await screen.findByRole("region", { name: "How right it is" }));
    // By hand: shares 8 and 1.5 of 9.5, 38 of 40 and all right.
    expect((await right.findByText(/% right$/)).textContent).toMatch(/^95\.8 /);
    expect(right.getByRole("link", { name: "Sample 1, 70 of 80 places" })).toBeTruthy();
    const cells = within(right.getByRole("row", { name: new RegExp(`^${flood!.name}`) }))
      .getAllByRole("cell")
      .map((cell) => cell.textContent);
    // By hand: all of 1.5 km² and two of 40 places of 8 km².
    expect(cells[2]).toMatch(/^1\.900 \(/);
    expect(cells[3]).toMatch(/^100\.0 /);
  });

  test("deletes a map once it was asked, saying what goes with it", async () => {
    const { asked } = open();
    await userEvent.click(await screen.findByRole("button", { name: "Delete change map" }));
    const dialog = within(screen.getByRole("alertdialog"));
    expect(dialog.getByText(/scenes and the settings stay/)).toBeTruthy();
    await userEvent.click(dialog.getByRole("button", { name: "Delete the map" }));
    await waitFor(() =>
      expect(asked.some(({ method, path }) => method === "DELETE" && /m1$/.test(path))).toBe(true),
    );
  });

  test("without a map leads to where one is written", async () => {
    open({ "/change-maps": [] });
    await userEvent.click(await screen.findByRole("button", { name: "Go to Compare" }));
    expect(screen.getByLabelText("address").textContent).toBe(`/studies/${study.id}/compare`);
  });
});
