/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useUi } from "../../state/ui";
import { Refusal, answersTo, fakeServer, renderPage, typeInto } from "../../testing/page";
import { aRun, aScene, aStudy, anImage, idOf } from "../../testing/things";
import { ReportPage } from "../ReportPage";
import { askFor } from "./useImageFiles";

const study = aStudy();
const scenes = [
  aScene({ id: idOf(1), kind: "radar", name: "Lantern 2 May", info: anImage() }),
  aScene({ id: idOf(2), kind: "elevation", name: "Heights", info: anImage() }),
];
const FILE = {
  ...{ id: idOf(9), name: "Heights_4326.tif", size: 2_500_000, sceneId: idOf(2) },
  ...{ createdAt: "2025-05-15T07:00:00Z", grid: "EPSG:4326, 0.001 °, 10 x 20 cells" },
};
const table = { "/change-maps": [], "/scenes": scenes, "/image-files": [FILE] };
const open = (more: Record<string, unknown> = {}) => {
  const asked = fakeServer(answersTo(more, table));
  renderPage(<ReportPage />, { context: study, at: "/?of=images" });
  return asked;
};
const button = (name: string | RegExp) => screen.findByRole("button", { name });

describe("images of a study", () => {
  test("dates are taken as they are compared; all else as it was taken in, with its files", async () => {
    open();
    await button("Make a file of Lantern 2 May");
    expect(screen.queryByText("Heights")).toBeNull();
    await userEvent.click(screen.getByRole("radio", { name: "As taken in" }));
    await button("Make a file of Heights");
    expect(screen.getByText(/EPSG:4326, 0.001 °, 10 x 20 cells · 2.5 MB/)).not.toBeNull();
    await button("Download Heights_4326.tif");
  });

  test("a file is asked for in the system and cell size typed, and its run is shown", async () => {
    const runId = idOf(5);
    const made = { runId, fileName: "L.tif", grid: "EPSG:3031, 50 m, 3 x 3 cells" };
    const run = aRun({ id: runId, kind: "makeImageFile", studyId: study.id, title: "Make L.tif" });
    const asked = open({
      "/image-files": (one: { method: string }) => (one.method === "POST" ? made : []),
      "/runs": [run],
    });
    await button("Make a file of Lantern 2 May");
    await typeInto("System, EPSG code", "EPSG:3031");
    await typeInto("Cell size, in units of the system", "50");
    await userEvent.click(await button("Make a file of Lantern 2 May"));
    await screen.findByRole("progressbar", { name: "Make L.tif" });
    expect(asked.find(({ method }) => method === "POST")!.body).toEqual({
      ...{ sceneId: idOf(1), of: "compared", epsg: 3031, cellSize: 50, asDecibel: true },
    });
  });

  test("what cannot be taken is said at the field, and what the server refuses in a notice", async () => {
    const say = jest.fn();
    useUi.setState({ say });
    open({
      "/image-files": (one: { method: string }) =>
        one.method === "POST" ? new Refusal(422, { code: "invalid", message: "No orbit" }) : [],
    });
    await button("Make a file of Lantern 2 May");
    await typeInto("System, EPSG code", "12");
    expect(screen.getByRole("alert").textContent).toMatch(/Four to six digits/);
    expect((await button("Make all 1")).hasAttribute("disabled")).toBe(true);
    await userEvent.clear(screen.getByLabelText("System, EPSG code"));
    await userEvent.click(await button("Make all 1"));
    await waitFor(() =>
      expect(say).toHaveBeenCalledWith(expect.stringMatching(/No orbit/), "wrong"),
    );
  });

  test("a file is deleted", async () => {
    const asked = open();
    await userEvent.click(await screen.findByRole("radio", { name: "As taken in" }));
    await userEvent.click(await button("Delete Heights_4326.tif"));
    await waitFor(() =>
      expect(asked.filter(({ method }) => method === "DELETE").map(({ path }) => path)).toEqual([
        `/image-files/${idOf(9)}`,
      ]),
    );
  });

  test("nothing is asked for while a text cannot be read as a number", () => {
    const settings = { of: "stored", epsg: "", cellSize: "1,5", asDecibel: false } as const;
    expect(askFor("s", settings)).toBeNull();
    expect(askFor("s", { ...settings, cellSize: " 0.5 " })).toMatchObject({ cellSize: 0.5 });
  });
});
