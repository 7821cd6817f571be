/** @jest-environment jsdom */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { AlignRow } from "@hindglance/contract/align";
import type { Alignment, Levelling, OffsetPlace } from "@hindglance/core/align/alignment";
import type { GroundPoint } from "@hindglance/core/align/groundPoint";
import type { LevelFit } from "@hindglance/core/align/levelling";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { aRow, heldAlign, moved, pointsWith } from "../testing/laid";
import { Refusal, answersTo, fakeServer, giveSizes, pickOption, renderPage } from "../testing/page";
import { aField, aNode, aScene, aStudy, idOf } from "../testing/things";
import { AlignPage } from "./AlignPage";
import { pointsToCsv } from "./points/pointFiles";

giveSizes(400, 300);
// The test's page makes no addresses of files.
URL.createObjectURL = () => "blob:";
URL.revokeObjectURL = () => {};

const button = (name: string | RegExp) => screen.getByRole("button", { name });
const answers = {
  "/align/check": {
    reference: aNode("b"),
    date: aNode("c"),
    both: aNode("d"),
    edges: { reference: aNode("e"), date: aNode("f") },
  },
  "/fields": aField(),
};

async function open(rows: AlignRow[], more: Record<string, unknown> = {}, refuse = false) {
  const held = heldAlign(rows, refuse);
  const asked = fakeServer(answersTo(more, answers, held.answers));
  renderPage(<AlignPage />, { context: aStudy() });
  await screen.findByRole("list", { name: "Dates" });
  if (rows.length > 0) {
    await within(screen.getByRole("list", { name: "Dates" })).findAllByRole("button");
  }
  const puts = () => held.taken;
  return { asked, puts };
}
const laid = (align: Partial<Alignment>) =>
  aRow(2, { align: { place: null, level: null, ...align } });

describe("dates", () => {
  test("say how they lie; the one that is picked is shown over the reference", async () => {
    await open([aRow(1), laid({ place: moved(3, 4) })]);
    const list = within(screen.getByRole("list", { name: "Dates" }));
    expect(list.getAllByRole("button").map((row) => row.textContent)).toEqual([
      "Date 11 May 2025the others are laid on it",
      "Date 22 May 2025moved 5.00 cells · RMSE 0.12",
    ]);
    await screen.findByRole("application", { name: "Date 2, 2 May 2025 over Date 1, 1 May 2025" });
  });

  test("another reference can be picked", async () => {
    await open([aRow(1), aRow(2), aRow(3)]);
    await pickOption("Reference", /Date 3/);
    await screen.findByRole("application", { name: /over Date 3/ });
  });

  test.each<[string, AlignRow[], RegExp]>([
    ["none", [], /There is no date yet/],
    ["one", [aRow(1)], /add another one to lay on it/],
    [
      "one that is not prepared",
      [aRow(1), aRow(2, { raw: null, aligned: null, problem: "not prepared yet" })],
      /Date 2: not prepared yet\. See Prepare\./,
    ],
  ])("of %s there is nothing to lay over, and that is said", async (_which, rows, words) => {
    await open(rows);
    expect(await screen.findByText(words)).toBeTruthy();
    expect(screen.queryByRole("application")).toBeNull();
  });

  test("what went wrong in asking is said", async () => {
    fakeServer(() => new Refusal(500, { code: "internal", message: "It broke", hint: "Again." }));
    renderPage(<AlignPage />, { context: aStudy() });
    expect((await screen.findByRole("alert")).textContent).toBe("It broke. Again.");
  });
});

describe("a measured offset", () => {
  const measured = (more: Partial<OffsetPlace> = {}) => ({
    "/align/offset": { place: { ...moved(2, -1), ...more } },
  });
  test("is told in cells and metres before it is taken, then taken and taken back", async () => {
    const { asked, puts } = await open([aRow(1), aRow(2)], measured());
    await userEvent.click(await screen.findByRole("button", { name: "Measure offset" }));
    await screen.findByText("+2.00, −1.00 cells");
    expect(screen.getByText("+20.0, −10.0 m")).toBeTruthy();
    const sent = asked.find(({ path }) => path.endsWith("/align/offset"))!;
    expect(sent.body).toEqual({
      referenceId: idOf(1),
      sceneId: idOf(2),
      band: "VV",
      model: "affine",
    });
    expect(puts()).toEqual([]);
    await userEvent.click(button("Move this date"));
    await screen.findByText("This offset is taken off.");
    expect(puts()[0]!.place).toMatchObject({ kind: "offset", path: moved(2, -1).path });
    await userEvent.click(button("Undo"));
    await waitFor(() => expect(puts().at(-1)!.place).toBeNull());
  });

  test("of which windows hardly agree is doubted", async () => {
    const match = { x: 0, y: 0, dx: 1, dy: 1, ratio: 2 };
    const matches = [true, false, false].map((kept) => ({ ...match, kept }));
    await open([aRow(1), aRow(2)], measured({ matches }));
    await userEvent.click(await screen.findByRole("button", { name: "Measure offset" }));
    expect(await screen.findByText(/Hardly more than half of the windows agree/)).toBeTruthy();
    expect(screen.getByText("1 of 3 clear, 9 tried")).toBeTruthy();
  });

  test("that is smaller than its scatter says that the dates lie on each other already", async () => {
    const place = { ...moved(0.05, 0), rmseCells: 0.2 };
    await open([aRow(1), aRow(2)], { "/align/offset": { place } });
    await userEvent.click(await screen.findByRole("button", { name: "Measure offset" }));
    expect(await screen.findByText(/lie on each other already/)).toBeTruthy();
  });

  test("that cannot be measured says why", async () => {
    const wrong = new Refusal(422, { code: "invalid", message: "Too few windows", hint: "Move." });
    await open([aRow(1), aRow(2)], { "/align/offset": () => wrong });
    await userEvent.click(await screen.findByRole("button", { name: "Measure offset" }));
    expect((await screen.findByRole("alert")).textContent).toBe("Too few windows. Move.");
  });

  test("is looked at with its residuals and the edges, and as the date came", async () => {
    const { asked } = await open([aRow(1), laid({ place: moved(2, 1) })]);
    const residuals = await screen.findByRole("button", { name: /^Residuals/ });
    expect(residuals.getAttribute("aria-pressed")).toBe("true");
    await userEvent.click(residuals);
    expect(residuals.getAttribute("aria-pressed")).toBe("false");
    await userEvent.click(button("Edges"));
    expect(screen.getByText(/^edges:/)).toBeTruthy();
    await userEvent.click(button("Aligned"));
    const checks = () => asked.filter(({ path }) => path.endsWith("/align/check"));
    await waitFor(() => expect(checks().at(-1)!.body).toMatchObject({ aligned: false }));
    expect(screen.queryByRole("button", { name: /^Residuals/ })).toBeNull();
  });
});

describe("the level", () => {
  const level: Levelling = {
    referenceId: idOf(1),
    method: "unchanged",
    bands: [{ band: "VV", multiply: 1.1, add: -0.02 }],
    cells: 4000,
  };
  const fit = (correlation: number): LevelFit => ({
    bands: [
      {
        ...{ band: "VV", multiply: 1.1, add: -0.02, correlation },
        ...{ rmseBefore: 0.05, rmseAfter: 0.01 },
        scatter: [
          [0.1, 0.09],
          [0.4, 0.42],
        ],
      },
    ],
    cells: 4000,
    of: 5000,
  });
  const measure = () => userEvent.click(button("Measure"));

  test("is measured by the chosen method, looked at, taken and taken away", async () => {
    const { asked, puts } = await open([aRow(1), aRow(2)], {
      "/align/level": { level, fit: fit(0.99) },
    });
    await userEvent.click(await screen.findByRole("radio", { name: "Histogram" }));
    await measure();
    await screen.findByRole("img", { name: /^Scatter of VV/ });
    const sent = asked.find(({ path }) => path.endsWith("/align/level"))!;
    expect(sent.body).toMatchObject({ method: "histogram", sceneId: idOf(2) });
    expect(screen.getByText("0.0500 → 0.0100")).toBeTruthy();
    expect(screen.queryByText(/cannot be trusted/)).toBeNull();
    await userEvent.click(button("Level this date"));
    await screen.findByText(/^Levelled in 1 band/);
    expect(puts()[0]!.level).toEqual(level);
    await userEvent.click(button("Take the level away"));
    await waitFor(() => expect(puts().at(-1)!.level).toBeNull());
  });

  test("of a band that does not go along with the reference is doubted", async () => {
    await open([aRow(1), aRow(2)], { "/align/level": { level, fit: fit(0.5) } });
    await screen.findByRole("button", { name: "Measure" });
    await measure();
    expect(await screen.findByText(/its level cannot be trusted/)).toBeTruthy();
  });
});

describe("control points", () => {
  const byPoints = (count: number, off = 0) => [aRow(1), laid({ place: pointsWith(count, off) })];
  const names = () =>
    within(screen.getByRole("list", { name: "Control points" }))
      .queryAllByRole("checkbox")
      .map((box) => box.getAttribute("aria-label"));

  test("are marked in two pictures side by side", async () => {
    await open([aRow(1), aRow(2)]);
    await userEvent.click(await screen.findByRole("radio", { name: "Control points" }));
    expect(screen.getByRole("application", { name: "The date, to be marked" })).toBeTruthy();
    expect(screen.getByRole("application", { name: "The reference, to be marked" })).toBeTruthy();
    expect(screen.getByText(/3 more points are needed/)).toBeTruthy();
  });

  test("are switched off, deleted and typed", async () => {
    const { puts } = await open(byPoints(4));
    await userEvent.click(await screen.findByRole("checkbox", { name: "Use point 2" }));
    await waitFor(() => expect(puts()).toHaveLength(1));
    await userEvent.click(button("Delete point 3"));
    await waitFor(() => expect(names()).toEqual(["Use point 1", "Use point 2", "Use point 4"]));
    await userEvent.click(button("1"));
    const easting = screen.getByLabelText("Easting of 1");
    await userEvent.clear(easting);
    await userEvent.type(easting, "12,5{Enter}");
    await waitFor(() => {
      const place = puts().at(-1)!.place!;
      expect(place.kind === "points" && place.points[0]!.to).toEqual([12.5, 0]);
    });
    await userEvent.click(button("Type coordinates …"));
    await waitFor(() => expect(names()).toHaveLength(4));
  });

  test("one that spoils the fit is named and switched off", async () => {
    const { puts } = await open(byPoints(8, 40));
    await userEvent.click(await screen.findByRole("button", { name: "Switch it off" }));
    await waitFor(() => {
      const place = puts().at(-1)!.place!;
      expect(place.kind === "points" && place.points.filter(({ on }) => !on)).toHaveLength(1);
    });
    expect(screen.queryByText(/spoils the fit/)).toBeNull();
  });

  test("another transform is taken, and a spline asks how smooth it is", async () => {
    const { puts } = await open(byPoints(8));
    await screen.findByRole("list", { name: "Control points" });
    await pickOption("Transform", /^Thin plate spline/);
    await screen.findByLabelText("Smoothing");
    expect(puts().at(-1)!.place).toMatchObject({ model: "spline" });
  });

  test("of a file take the place of those that were there; a bad file changes nothing", async () => {
    const { puts } = await open(byPoints(8));
    const chooser = await screen.findByLabelText("File of control points");
    const file = (text: string) => new File([text], "points.csv", { type: "text/csv" });
    await userEvent.upload(chooser, file("name,scene_x\n1,abc\n"));
    await new Promise((ok) => setTimeout(ok, 50));
    expect(puts()).toEqual([]);
    await userEvent.upload(chooser, file(pointsToCsv(pointsWith(4).points)));
    await waitFor(() => expect(names()).toHaveLength(4));
    fireEvent.keyDown(window, { key: "z", ctrlKey: true });
    await waitFor(() => expect(names()).toHaveLength(8));
  });

  test("are saved as files", async () => {
    const names: string[] = [];
    const clicked = jest
      .spyOn(HTMLAnchorElement.prototype, "click")
      .mockImplementation(function click(this: HTMLAnchorElement) {
        names.push(this.download);
      });
    await open(byPoints(4));
    await userEvent.click(await screen.findByRole("button", { name: "CSV" }));
    await userEvent.click(button("GeoJSON"));
    expect(names).toEqual(["control-points.csv", "control-points.geojson"]);
    clicked.mockRestore();
  });

  test("a date with points is laid over its reference", async () => {
    await open(byPoints(4));
    await userEvent.click(await screen.findByRole("button", { name: "Lay over" }));
    await screen.findByRole("application", { name: /^Date 2.* over Date 1/ });
    await userEvent.click(button("Mark points"));
    expect(screen.getByRole("application", { name: "The date, to be marked" })).toBeTruthy();
  });

  test("that the file of a picture tells are taken at a click, on the map's own coordinates", async () => {
    const groundPoints: GroundPoint[] = [
      { from: [0, 0], to: [-21, -43.5] },
      { from: [9, 0], to: [-20.9, -43.5] },
      { from: [0, 9], to: [-21, -43.6] },
    ];
    const { puts } = await open([aRow(1), aRow(2, { picture: true })], {
      "/scenes": [aScene({ id: idOf(2), detail: { groundPoints } })],
    });
    expect(await screen.findByText("The file has 3 control points.")).toBeTruthy();
    await userEvent.click(button("Take them"));
    await waitFor(() => expect(puts()).toHaveLength(1));
    const { place } = puts()[0]!;
    const points = place?.kind === "points" ? place.points : [];
    expect(points.map(({ name, from, on }) => [name, from, on])).toEqual([
      ["F1", [0, 0], true],
      ["F2", [9, 0], true],
      ["F3", [0, 9], true],
    ]);
    const onto = transformer(LONLAT, aRow(1).raw!.info.grid.crs);
    expect(points.map(({ to }) => to)).toEqual(groundPoints.map(({ to }) => onto(to[0], to[1])));
    expect(screen.queryByText(/The file has 3/)).toBeNull();
  });

  test("are the only way for a picture without position", async () => {
    await open([aRow(1), aRow(2, { picture: true })]);
    await screen.findByRole("application", { name: "The date, to be marked" });
    expect(screen.queryByRole("radio", { name: "Measured offset" })).toBeNull();
    expect(screen.queryByRole("button", { name: "Measure" })).toBeNull();
  });
});
