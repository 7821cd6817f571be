/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { keys } from "../api/hooks";
import type { Run } from "../api/types";
import { fakeServer, renderPart, testClient } from "../testing/page";
import { CompareFooter } from "./CompareFooter";
import { NotRun } from "./NotRun";

const areas = {
  byLabel: { 1: { cells: 100, areaM2: 2.5e6 } },
  seenM2: 10e6,
  limits: [],
  confirmed: null,
};
const numbers = {
  areas,
  isExact: true,
  limits: null,
  confirmed: null,
  running: null,
  waitsForRun: false,
};
const run = (more: Partial<Run>): Run => ({
  id: "r1",
  studyId: "s1",
  kind: "writeChangeMap",
  title: "Write it",
  state: "running",
  phase: 0,
  phases: [],
  progress: 0.4,
  doing: "Classifying",
  error: null,
  result: null,
  createdAt: "2025-05-14T18:00:00Z",
  finishedAt: null,
  ...more,
});

describe("the one figure", () => {
  const show = (more: object, writing: Run | null = null) =>
    renderPart(
      <CompareFooter
        main={{ labels: [1], name: "New water" }}
        numbers={{ ...numbers, ...more }}
        writing={writing}
        disabled={false}
        onWrite={() => {}}
      />,
    );
  test("says what, how much, of how much, and how exactly", () => {
    show({});
    expect(screen.getByTestId("headline").textContent).toBe("2.50\u2009km² new water");
    expect(screen.getByText("25.0 % of the area seen · exact")).toBeTruthy();
  });
  test("is a dash and not an old number while nothing is known", () => {
    show({ areas: null, isExact: false });
    expect(screen.getByTestId("headline").textContent).toBe("– new water");
    expect(screen.queryByText(/exact|overview/)).toBeNull();
  });
  test.each([
    [{ isExact: false }, /· overview$/],
    [{ isExact: false, running: 0.31 }, /· measuring 31 %$/],
    [{ isExact: false, waitsForRun: true }, /· overview, dates not run$/],
  ])("says when it is not exact: %p", (more, words) => {
    show(more);
    expect(screen.getByText(words)).toBeTruthy();
  });
  test("shows how far the writing is in place of its button", () => {
    show({}, run({}));
    expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBe("40");
    expect(screen.queryByRole("button", { name: "Write change map" })).toBeNull();
  });
});

describe("dates that were not run as they are set", () => {
  const dates = [
    { sceneId: "b", name: "LANTERN1, 2 May" },
    { sceneId: "a", name: "LANTERN1, 14 May" },
  ];
  const show = (runs: Run[], onAnyway = () => {}) => {
    const asked = fakeServer(({ path }) => (path === "/runs" ? runs : { runId: "r9", items: 2 }));
    const client = testClient();
    client.setQueryData(keys.runs, runs);
    renderPart(
      <NotRun studyId="s1" dates={dates} families={["radar"]} waits onAnyway={onAnyway} />,
      client,
    );
    return asked;
  };
  test("are named, and run when that is wanted", async () => {
    const asked = show([]);
    expect(screen.getByText(/LANTERN1, 2 May and LANTERN1, 14 May/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Run the chain" }));
    await waitFor(() =>
      expect(asked).toContainEqual({
        method: "POST",
        path: "/studies/s1/prepare/runs?family=radar",
        body: { sceneIds: ["b", "a"] },
      }),
    );
  });
  test("can be measured anyway", async () => {
    let anyway = 0;
    show([], () => anyway++);
    await userEvent.click(screen.getByRole("button", { name: "Measure anyway" }));
    expect(anyway).toBe(1);
  });
  test("are not run twice at once", () => {
    show([run({ kind: "prepareDates" })]);
    const button = screen.getByRole<HTMLButtonElement>("button", { name: "Running …" });
    expect(button.disabled).toBe(true);
    expect(screen.queryByRole("button", { name: "Measure anyway" })).toBeNull();
  });
});
