/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ChangeMap, CompareNodes, PatchRow, Scene } from "../api/types";
import { HISTOGRAMS, SCENES, STUDY, nodesOf, radarComparison, sideOf } from "../testing/comparing";
import { useShownMap } from "../state/shownMap";
import { type Asked, Refusal, answersTo, fakeServer, giveSizes, renderPage } from "../testing/page";
import { aChangeMap, aNode, NOT_DOUBTED } from "../testing/things";
import { ReviewPage } from "./ReviewPage";

giveSizes(400, 300);

const PATCHES: PatchRow[] = [3, 7].map((number, k) => ({
  number,
  label: 1,
  cells: 200 - 100 * k,
  areaM2: 2e6 - 1e6 * k,
  perimeterM: 4000,
  measure: -6,
  elevation: 12,
  ...NOT_DOUBTED,
  standing: "open",
  west: 20.01,
  south: -30.02,
  east: 20.02,
  north: -30.01,
}));

/** A map of the radar pair, whose dates are prepared as they were then. */
async function writtenMap(): Promise<{ map: ChangeMap; nodes: CompareNodes }> {
  const comparison = radarComparison();
  const nodes = await nodesOf(comparison, SCENES);
  const { provenance } = aChangeMap();
  const map = aChangeMap({
    setup: comparison.setup!,
    nodeHash: nodes.classes.hash,
    provenance: {
      ...provenance,
      scenes: { beforeId: SCENES[0]!.id, afterId: SCENES[1]!.id },
    },
  });
  return { map, nodes };
}

interface Given {
  scenes?: Scene[];
  nodeHash?: string;
  other?: Record<string, unknown>;
}

async function open({ scenes = SCENES, nodeHash, other = {} }: Given = {}) {
  const { map, nodes } = await writtenMap();
  const shown = nodeHash ? { ...map, nodeHash } : map;
  const asked = fakeServer(
    answersTo(other, {
      "/change-maps": [shown],
      "/scenes": scenes,
      "/compare/sides": scenes.map(sideOf),
      "/compare/nodes": nodes,
      "/compare/histograms": HISTOGRAMS,
      "/patches": { count: 2, areaM2: 3e6, patches: PATCHES },
      "/outlines": [],
      "/node": aNode("a", map.info),
    }),
  );
  renderPage(<ReviewPage />, { context: STUDY });
  await screen.findByText(/Pick a patch in the list/);
  return { asked };
}

beforeEach(() => useShownMap.setState({ ids: {} }));

describe("the Review page", () => {
  test("shows both dates with the map on them, and how many patches there are", async () => {
    await open();
    const map = await screen.findByRole("application", { name: "Map of both dates with classes" });
    expect(map.parentElement!.textContent).toMatch(/Before2 May 2025.*After14 May 2025/);
    expect((await screen.findByText("patches", { exact: false, selector: "p" })).textContent).toBe(
      "2 patches of 22, 3.00\u2009km²",
    );
    expect(screen.queryByText(/moved anew since/)).toBeNull();
  });

  test("says that the dates are not those that the map was written from", async () => {
    await open({ nodeHash: "f".repeat(64) });
    expect(
      await screen.findByText(/prepared or moved anew since this map was written/),
    ).toBeTruthy();
  });

  test("of a map whose date is gone shows the map alone, and says so", async () => {
    await open({ scenes: SCENES.slice(1) });
    expect(await screen.findByText(/A date of this map is not in the study any more/)).toBeTruthy();
    expect(await screen.findByRole("application", { name: "The change map" })).toBeTruthy();
  });

  test("says why its pictures cannot be had", async () => {
    const wrong = new Refusal(422, { code: "invalid", message: "No overlap" });
    await open({ other: { "/compare/nodes": () => wrong } });
    expect((await screen.findByText(/No overlap/)).textContent).toMatch(/without its pictures/);
  });

  test("another class asks for other patches and counts them", async () => {
    const counts = (one: Asked) =>
      one.path.includes("labels=")
        ? { count: 1, areaM2: 1e6, patches: PATCHES.slice(1) }
        : { count: 2, areaM2: 3e6, patches: PATCHES };
    await open({ other: { "/patches": counts } });
    await screen.findByText(/^ ?patches of 22/, { exact: false });
    await userEvent.click(screen.getByRole("button", { name: "Standing water" }));
    await waitFor(() => expect(screen.getByText(/1\.00/).textContent).toMatch(/1.*patch/));
  });
});

test("without a map there is nothing to review, and the way to one is shown", async () => {
  fakeServer(answersTo({ "/scenes": SCENES }));
  renderPage(<ReviewPage />, { context: STUDY });
  await userEvent.click(await screen.findByRole("button", { name: "Go to Compare" }));
  expect(screen.getByLabelText("address").textContent).toBe(`/studies/${STUDY.id}/compare`);
  expect(screen.queryByRole("application")).toBeNull();
});
