/** @jest-environment jsdom */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { StudySummary } from "../api/types";
import { type Asked, Refusal, fakeServer, renderPart } from "../testing/page";
import { aStudy } from "../testing/things";
import { StudiesPage } from "./StudiesPage";
import { StudyDialog } from "./StudyDialog";

const summary = (more: Partial<StudySummary> = {}): StudySummary => ({
  ...aStudy({ id: "s1", name: "Vell" }),
  scenes: 3,
  changeMaps: 2,
  ...more,
});

describe("the dialog of a study", () => {
  const show = (study?: Parameters<typeof aStudy>[0], answer?: (asked: Asked) => unknown) => {
    const asked = fakeServer(answer ?? (() => aStudy({ id: "new" })));
    const done: string[] = [];
    renderPart(
      <StudyDialog
        open
        onOpenChange={() => {}}
        {...(study ? { study: aStudy(study) } : {})}
        onDone={({ id }) => done.push(id)}
      />,
    );
    return { asked, done };
  };
  const save = () => userEvent.click(screen.getByRole("button", { name: "Save" }));
  const rename = async (name: string) => {
    await userEvent.clear(screen.getByLabelText("Name"));
    await userEvent.type(screen.getByLabelText("Name"), name);
  };
  const begin = () => userEvent.click(screen.getByRole("button", { name: "Begin the study" }));

  test("begins one with its event in UTC and without an area", async () => {
    const { asked, done } = show();
    await userEvent.type(screen.getByLabelText("Name"), "  Flood of May ");
    await userEvent.type(screen.getByLabelText("Event date"), "2025-05-12");
    await userEvent.type(screen.getByLabelText("Time, UTC"), "05:20");
    await begin();
    await waitFor(() => expect(done).toEqual(["new"]));
    expect(asked[0]).toMatchObject({
      method: "POST",
      path: "/studies",
      body: {
        name: "Flood of May",
        hazard: "flood",
        eventAt: "2025-05-12T05:20:00Z",
        studyArea: null,
      },
    });
  });
  test("asks for a name before anything is sent", async () => {
    const { asked, done } = show();
    await begin();
    expect(await screen.findByText("Give the study a name")).toBeTruthy();
    expect([asked, done]).toEqual([[], []]);
  });
  /** The field that files of polygons are dropped on. */
  const field = () => screen.getByText(/^Drop a file of polygons here/);
  const dropOn = (file: File) => fireEvent.drop(field(), { dataTransfer: { files: [file] } });

  test("takes its area from a file that is dropped, chosen, or left out again", async () => {
    const area = {
      type: "MultiPolygon",
      coordinates: [
        [
          [
            [20, -30],
            [21, -30],
            [21, -29],
            [20, -30],
          ],
        ],
      ],
    };
    const { asked } = show(undefined, ({ path }) =>
      path.startsWith("/vectors/area") ? area : aStudy({ id: "new" }),
    );
    const file = new File(["bytes of a file"], "fen.gpkg");
    dropOn(file);
    await screen.findByText("fen.gpkg");
    expect(asked[0]).toMatchObject({ method: "POST", path: "/vectors/area?name=fen.gpkg" });
    await userEvent.click(screen.getByRole("button", { name: "Leave out" }));
    expect(field()).toBeTruthy();
    dropOn(file);
    await screen.findByText("fen.gpkg");
    await userEvent.type(screen.getByLabelText("Name"), "Fen");
    await begin();
    await waitFor(() => expect(asked).toHaveLength(3));
    expect(asked[2]!.body).toMatchObject({ studyArea: area });
  });
  test("says what the server finds wrong with a file", async () => {
    show(undefined, () => new Refusal(422, { code: "damaged", message: "fen.kml is cut off" }));
    dropOn(new File(["x"], "fen.kml"));
    expect((await screen.findByRole("alert")).textContent).toMatch(/^fen\.kml is cut off/);
  });
  test("shows the study that is changed, and keeps its area", async () => {
    const studyArea = {
      type: "MultiPolygon" as const,
      coordinates: [
        [
          [
            [20, -30],
            [21, -30],
            [21, -29],
            [20, -30],
          ],
        ],
      ] as [number, number][][][],
    };
    const { asked } = show({
      id: "s1",
      eventAt: "2025-05-12T05:20:00Z",
      hazard: "fire",
      studyArea,
    });
    expect(screen.getByLabelText<HTMLInputElement>("Event date").value).toBe("2025-05-12");
    expect(screen.getByLabelText<HTMLInputElement>("Time, UTC").value).toBe("05:20");
    await rename("Vell in May");
    await save();
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(asked[0]).toMatchObject({
      method: "PATCH",
      path: "/studies/s1",
      body: { name: "Vell in May", was: { name: "Vell" } },
    });
    expect(Object.keys(asked[0]!.as<object>())).toEqual(["name", "was"]);
  });
  test("sends nothing where nothing was changed", async () => {
    const { asked, done } = show({ id: "s1", eventAt: "2025-05-12T05:20:00.000Z" });
    await save();
    await waitFor(() => expect(done).toEqual(["s1"]));
    expect(asked).toEqual([]);
  });

  describe("of which somebody else changed the same", () => {
    /** A study that is called otherwise by now, and takes only what knows that. */
    const begun = () => {
      const theirs = aStudy({ id: "s1", name: "Theirs", hazard: "fire" });
      return show({ id: "s1", name: "Vell" }, (asked) => {
        if (asked.method === "GET") {
          return theirs;
        }
        const { name, was } = asked.as<{ name: string; was: { name: string } }>();
        return was.name === theirs.name
          ? { ...theirs, name }
          : new Refusal(409, { code: "changedElsewhere", message: "Changed meanwhile" });
      });
    };
    test("says what stands there, and keeps one's own on wish", async () => {
      const { asked, done } = begun();
      await rename("Mine");
      await save();
      const said = await screen.findByRole("status");
      expect(said.textContent).toContain("The name is “Theirs”.The hazard is Fire.");
      expect(done).toEqual([]);
      await userEvent.click(screen.getByRole("button", { name: "Keep mine" }));
      await waitFor(() => expect(done).toEqual(["s1"]));
      expect(asked.at(-1)!.body).toMatchObject({ name: "Mine", was: { name: "Theirs" } });
    });
    test("takes theirs into the form on wish", async () => {
      const { done } = begun();
      await rename("Mine");
      await save();
      await userEvent.click(await screen.findByRole("button", { name: "Take theirs" }));
      expect(screen.getByLabelText<HTMLInputElement>("Name").value).toBe("Theirs");
      expect(screen.queryByRole("status")).toBeNull();
      await save();
      await waitFor(() => expect(done).toEqual(["s1"]));
    });
  });
  test("puts what the server says of a field at the field, all else below", async () => {
    const refusal = { code: "invalid", message: "There is a study of this name", field: "name" };
    const { done } = show(undefined, () => new Refusal(422, refusal));
    await userEvent.type(screen.getByLabelText("Name"), "Vell");
    await begin();
    expect(await screen.findByText("There is a study of this name.")).toBeTruthy();
    expect(done).toEqual([]);
  });
});

describe("the page of studies", () => {
  test("says where to begin where there is none", async () => {
    fakeServer(() => []);
    renderPart(<StudiesPage />);
    expect(await screen.findByText("No study yet")).toBeTruthy();
    await userEvent.click(screen.getAllByRole("button", { name: "New study" })[0]!);
    expect(await screen.findByRole("dialog", { name: "New study" })).toBeTruthy();
  });
  test("says that the server does not answer", async () => {
    fakeServer(() => new Refusal(500, { code: "broken", message: "The store is not there" }));
    renderPart(<StudiesPage />);
    expect(await screen.findByText("The store is not there.")).toBeTruthy();
  });
  test("deletes a study only once it was asked, saying what goes with it", async () => {
    const asked = fakeServer(({ method }) => (method === "GET" ? [summary()] : null));
    renderPart(<StudiesPage />);
    await userEvent.click(await screen.findByRole("button", { name: /Delete.*Vell/ }));
    const dialog = await screen.findByRole("alertdialog");
    expect(dialog.textContent).toContain("Its 3 scenes, 2 change maps");
    expect(asked.some(({ method }) => method === "DELETE")).toBe(false);
    await userEvent.click(within(dialog).getByRole("button", { name: "Delete the study" }));
    await waitFor(() =>
      expect(asked).toContainEqual(
        expect.objectContaining({ method: "DELETE", path: "/studies/s1" }),
      ),
    );
  });
});
