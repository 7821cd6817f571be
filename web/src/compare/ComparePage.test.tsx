/** @jest-environment jsdom */
import { act, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { Comparison } from "@hindglance/contract/comparison";
import type { TallyData } from "@hindglance/core/tally/tally";
import type { Scene, Study } from "../api/types";
import { useUi } from "../state/ui";
import {
  SCENES,
  STUDY,
  comparingServer,
  nodesOf,
  radarComparison as radar,
} from "../testing/comparing";
import { giveSizes, renderPage, typeInto as type } from "../testing/page";
import { idOf } from "../testing/things";
import { ComparePage } from "./ComparePage";
import { useCompare } from "./state";

giveSizes(400, 300);

const setupNow = () => useCompare.getState().comparison!.setup!;
const button = (name: string | RegExp) => screen.getByRole("button", { name });
const option = (group: string, name: string) =>
  within(screen.getByRole("radiogroup", { name: group })).getByRole("radio", { name });

/** A tally of one label in no zone. */
const tally = (label: number, areaM2: number): TallyData => ({
  zones: 1,
  entries: [[label, areaM2 / 100, areaM2]],
});

interface Given {
  scenes?: Scene[];
  study?: Study;
  comparison?: Comparison | null;
  /** Area of the first class, where it was measured. */
  areaM2?: number;
}

async function open({ scenes = SCENES, study = STUDY, comparison = radar(), areaM2 }: Given) {
  const server = comparingServer(comparison, {
    scenes,
    other: ({ path }) => (path.endsWith("/scenes") ? scenes : []),
  });
  if (comparison) {
    const nodes = await nodesOf(comparison, scenes);
    const { hash } = nodes.classes;
    const areas = areaM2 ? { state: "known" as const, hash, tally: tally(1, areaM2) } : null;
    server.held.more = { nodes, areas };
  }
  renderPage(<ComparePage />, { context: study });
  return server;
}
/** The page once its histogram is there. */
async function compared(given: Given = {}) {
  const server = await open(given);
  await screen.findByRole("button", { name: "Class" }, { timeout: 5000 });
  return server;
}

describe("the Compare page", () => {
  test("shows both dates on the map, the pair on the strip and the classes in words", async () => {
    await compared();
    const map = screen.getByRole("application", { name: "Map of both dates with classes" });
    expect(map.parentElement!.textContent).toMatch(/Before2 May.*VV.*After14 May.*VV/);
    expect(button("Scene 1, 2 May 2025, 18:00 UTC, before")).toBeTruthy();
    expect(screen.getByLabelText<HTMLInputElement>("New water: change <").value).toBe("−3.0");
    await screen.findByRole("group", { name: "Histogram of measure with thresholds" });
    expect(screen.getByRole("slider", { name: /^Change threshold, New water/ })).toBeTruthy();
  });

  test("a threshold typed into its sentence moves on the histogram and is sent as one change", async () => {
    const { asked } = await compared();
    await type("New water: change <", "-4,5{Enter}");
    expect(setupNow().rules[0]!.all[0]).toMatchObject({ layer: "measure", op: "<", value: -4.5 });
    const line = await screen.findByRole("slider", { name: /^Change threshold, New water/ });
    expect(line.getAttribute("aria-valuenow")).toBe("-4.5");
    const sent = () => asked.filter(({ method }) => method === "PATCH");
    await waitFor(() => expect(sent()).toHaveLength(1));
    const path = "/setup/rules/0/all/0/value";
    expect(sent()[0]!.body).toMatchObject({
      changes: [
        { op: "test", path, value: -3 },
        { op: "replace", path, value: -4.5 },
      ],
    });
  });

  test("a threshold on the histogram moves by the arrow keys, and Undo takes it back", async () => {
    await compared();
    const line = await screen.findByRole("slider", { name: /^Change threshold, New water/ });
    expect(button("Undo").hasAttribute("disabled")).toBe(true);
    act(() => line.focus());
    await userEvent.keyboard("{ArrowLeft}");
    expect(setupNow().rules[0]!.all[0]!.value).toBeLessThan(-3);
    await userEvent.click(button("Undo"));
    expect(setupNow().rules[0]!.all[0]!.value).toBe(-3);
  });

  test("nonsense in a threshold changes nothing and is said", async () => {
    await compared();
    await type("New water: after <", "0x10{Enter}");
    expect(screen.getByRole("alert").textContent).toMatch(/number/);
    expect(setupNow().rules[0]!.all[1]!.value).toBe(-17);
  });

  test("classes come and go", async () => {
    await compared();
    await userEvent.click(button("Class"));
    expect(setupNow().rules.map(({ name }) => name)).toContain("Class 4");
    await userEvent.click(button("Class 4"));
    await userEvent.click(button(/^Delete/));
    expect(setupNow().rules.map(({ name }) => name)).not.toContain("Class 4");
  });

  test("limits stand in a tab of their own", async () => {
    await compared();
    await userEvent.click(option("Classes or limits", "Limits 2"));
    expect(screen.queryByLabelText("New water: change <")).toBeNull();
    expect(button(/limit/i)).toBeTruthy();
  });

  test("classes by groups put the groups in place of the histogram; rules come back as they were", async () => {
    await compared();
    const { rules } = setupNow();
    await userEvent.click(option("Classes by", "Groups"));
    expect(setupNow().groups).not.toBeNull();
    expect(screen.queryByRole("group", { name: /^Histogram of/ })).toBeNull();
    await userEvent.click(option("Classes by", "Rules"));
    expect(setupNow().groups).toBeNull();
    expect(setupNow().rules).toEqual(rules);
    await screen.findByRole("group", { name: /^Histogram of/ });
  });

  test("the histogram is of the change or of either date", async () => {
    await compared();
    await userEvent.click(option("Layer of the histogram", "After"));
    const group = await screen.findByRole("group", { name: "Histogram of after with thresholds" });
    const names = within(group)
      .getAllByRole("slider")
      .map((line) => line.getAttribute("aria-label"));
    expect(names.every((name) => name!.startsWith("after threshold"))).toBe(true);
  });

  test("areas are shown once they are of the map on screen", async () => {
    await compared({ areaM2: 2_500_000 });
    await waitFor(() => expect(screen.getByTestId("headline").textContent).toMatch(/^2\.50/));
    expect(screen.getByText(/exact/)).toBeTruthy();
    // Another threshold is another map: the number of this one is not said of it.
    await type("New water: change <", "-5{Enter}");
    expect(screen.getByTestId("headline").textContent).toBe("– new water");
  });

  test("another kind of scene has settings of its own, and a way back", async () => {
    await compared();
    await type("New water: change <", "-5{Enter}");
    await userEvent.click(option("Kind of scene", "Optical"));
    await waitFor(() => expect(useCompare.getState().comparison!.beforeId).toBe(idOf(3)));
    expect(setupNow().measure).toBe("indexLoss");
    await userEvent.click(option("Kind of scene", "Radar"));
    await waitFor(() => expect(useCompare.getState().comparison!.beforeId).toBe(idOf(1)));
    expect(setupNow().rules[0]!.all[0]!.value).toBe(-5);
  });

  test("the view changes what is on the map", async () => {
    await compared();
    act(() => useUi.getState().setView("curtain"));
    const curtain = screen.getByRole("slider", { name: "Curtain" });
    act(() => curtain.focus());
    await userEvent.keyboard("{ArrowRight}");
    expect(Number(curtain.getAttribute("aria-valuenow"))).toBeGreaterThan(50);
    await userEvent.click(option("View", "Pair"));
    expect(screen.getByRole("application", { name: "Map of the before date" })).toBeTruthy();
    expect(screen.queryByRole("slider", { name: "Curtain" })).toBeNull();
    await userEvent.click(option("View", "Blend"));
    expect(screen.getAllByRole("application")).toHaveLength(1);
    await userEvent.click(option("View", "Curtain"));
  });

  test("writing sends the settings on screen", async () => {
    const { asked } = await compared();
    await type("New water: change <", "-6{Enter}");
    await userEvent.click(button("Write change map"));
    const written = await waitFor(() => {
      const one = asked.find(
        ({ method, path }) => method === "POST" && path.endsWith("/change-maps"),
      );
      expect(one).toBeDefined();
      return one!.as<Comparison>();
    });
    expect([written.beforeId, written.afterId]).toEqual([idOf(1), idOf(2)]);
    expect(written.setup!.rules[0]!.all[0]!.value).toBe(-6);
  });

  test("with one date it says what is needed, and leads there", async () => {
    await open({ scenes: SCENES.slice(0, 1), comparison: null });
    await screen.findByText("Two dates are needed");
    expect(screen.getByText(/One scene is there/)).toBeTruthy();
    await userEvent.click(button("Go to Scenes"));
    expect(screen.getByLabelText("address").textContent).toBe(`/studies/${STUDY.id}/scenes`);
  });
});
