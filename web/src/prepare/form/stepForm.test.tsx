/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import {
  CHAIN_SCHEMAS,
  type Chain,
  type Family,
  STEPS_OF,
  withStep,
} from "@hindglance/core/chain/family";
import { proposedOptical } from "@hindglance/core/chain/opticalChain";
import { gridSchema } from "@hindglance/core/chain/settings";
import { floodChain } from "@hindglance/core/chain/radarChain";
import { utm } from "@hindglance/core/geodesy/crs";
import { northUp } from "@hindglance/core/grid/grid";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { keys } from "../../api/hooks";
import { fakeServer, renderPart, testClient } from "../../testing/page";
import { aScene, aStudy } from "../../testing/things";
import { type PrepareView, labelled } from "../chainState";
import { StepForm } from "./StepForm";
import type { About } from "./about";

const ELEVATION = "0a000000-0000-4000-8000-00000000000e";
const ids = ["0a000000-0000-4000-8000-000000000001", "0a000000-0000-4000-8000-000000000002"];
const grid = northUp(utm(27, true), 490000, 5180000, 10, 10, 100, 80);
const CHAINS: Record<Family, Chain> = {
  radar: floodChain(grid, {
    elevationId: ELEVATION,
    looks: 4.4,
    rangeLooks: 1,
    azimuthLooks: 1,
  }),
  optical: proposedOptical(grid, {
    hazard: "fire",
    quality: true,
    frames: true,
    bands: [],
  }),
};
const study = aStudy();
const rows = labelled(
  ids.map((sceneId, k) => ({
    sceneId,
    name: `Scene ${k + 1}`,
    acquiredAt: `2025-05-0${k + 2}T18:41:10Z`,
    pass: null,
    cells: [],
    result: null,
    ready: false,
    runId: null,
    looks: 4.4,
  })),
);
const viewOf = (family: Family): PrepareView => ({
  family,
  chain: CHAINS[family],
  exceptions: {},
  heldOut: [],
  rows,
  elevations: [{ id: ELEVATION, name: "Heights of the island" }],
  orbits: [{ id: ids[0]!, fileName: "orbit.EOF", kind: "precise" }],
  old: [],
});
const info: ImageInfo = {
  grid,
  type: "float32",
  bands: [
    { name: "B4", unit: "", role: "reflectance", wavelengthNm: 655 },
    { name: "B5", unit: "", role: "reflectance", wavelengthNm: 865 },
  ],
};
const scene = aScene({ id: ids[0]!, name: "Scene 1", info });

function show(family: Family, step: string, more: Partial<About> = {}, chain = CHAINS[family]) {
  const changes: Record<string, unknown>[] = [];
  const client = testClient();
  client.setQueryData(keys.scenes(study.id), [scene]);
  fakeServer(({ path }) => (path.startsWith("/crs/") ? utm(28, true) : [scene]));
  renderPart(
    <StepForm
      family={family}
      step={step}
      chain={chain}
      about={{
        study,
        view: viewOf(family),
        row: rows[0]!,
        onlyScene: null,
        measuredLooks: null,
        ...more,
      }}
      change={(some) => void changes.push(some)}
    />,
    client,
  );
  return changes;
}

const STEPS = (["radar", "optical"] as const).flatMap((family) =>
  STEPS_OF[family].map((step) => [family, step.key] as const),
);

test.each(STEPS)(
  "whatever is chosen in the form of %s %s passes its check",
  async (family, step) => {
    const changes = show(family, step);
    for (const radio of screen.queryAllByRole("radio")) {
      await userEvent.click(radio);
    }
    for (const chip of screen.queryAllByRole("button", { pressed: false })) {
      if (!chip.hasAttribute("disabled")) {
        await userEvent.click(chip);
      }
    }
    for (const some of changes) {
      const chain = withStep(CHAINS[family], step, some);
      expect(() => CHAIN_SCHEMAS[family].validateSync(chain, { strict: true })).not.toThrow();
    }
  },
);

test("the elevation is picked by its name, and none is the ellipsoid", async () => {
  const changes = show("radar", "terrain");
  await userEvent.click(screen.getByRole("combobox", { name: "Elevation" }));
  await userEvent.click(await screen.findByRole("option", { name: "None: the ellipsoid" }));
  expect(changes).toEqual([{ elevationId: null }]);
});

test("a date that fills is another one than the date that is looked at", async () => {
  const changes = show("optical", "gaps", {}, withStep(CHAINS.optical, "gaps", { on: true }));
  await userEvent.click(screen.getByRole("combobox", { name: "Filled from" }));
  const names = (await screen.findAllByRole("option")).map((option) => option.textContent);
  expect(names[0]).toContain("Neighbours");
  expect(names.join()).not.toContain("Scene 1");
  await userEvent.click(screen.getByRole("option", { name: /Scene 2/ }));
  expect(changes).toEqual([{ sceneId: ids[1] }]);
});

test("the study grid is made anew for another cell size, on its corners", async () => {
  const changes = show("optical", "grid");
  const field = screen.getByLabelText("Cell size");
  await userEvent.clear(field);
  await userEvent.type(field, "20{Enter}");
  const made = gridSchema.cast(changes[0]!.grid);
  expect(made.transform.slice(1, 3)).toEqual([20, 0]);
  // A kilometre of ground, and at the most a cell more on either side.
  expect(made.width).toBeGreaterThanOrEqual(50);
  expect(made.width).toBeLessThanOrEqual(52);
});

test("one date has no grid of its own to set", () => {
  show("radar", "terrain", { onlyScene: ids[0]! });
  expect(screen.queryByLabelText("Cell size")).toBeNull();
  expect(screen.getByText(/100 x 80 cells/)).toBeTruthy();
});

test("measured looks are offered where a field was marked", async () => {
  const chain = withStep(CHAINS.radar, "speckle", { on: true, filter: "lee" });
  const changes = show("radar", "speckle", { measuredLooks: 3.21 }, chain);
  await userEvent.click(screen.getByText("Take 3.2"));
  expect(changes).toEqual([{ looks: 3.2 }]);
});

test("orbit files of the study are listed; the elevation of another step is named", () => {
  show("radar", "orbit");
  expect(screen.getByText("orbit.EOF")).toBeTruthy();
  show("radar", "flatten");
  expect(screen.getByText(/Heights of the island, as in Terrain/)).toBeTruthy();
});

describe("formulas", () => {
  const chain = withStep(CHAINS.optical, "indices", { on: true, keep: true, outputs: [] });
  test("a ready index is switched on, one without its bands says what it needs", async () => {
    const changes = show("optical", "indices", {}, chain);
    await userEvent.click(screen.getByRole("button", { name: "NDVI" }));
    expect(changes).toEqual([
      { on: true, outputs: [{ name: "NDVI", formula: "(nir - red) / (nir + red)" }] },
    ]);
    expect(screen.getByRole("button", { name: "NBR" }).title).toBe("Needs swir2");
  });
  test("a mistake is pointed at, and cannot be added", async () => {
    const changes = show("optical", "indices", {}, chain);
    await userEvent.click(screen.getByText("A formula of your own"));
    await userEvent.type(screen.getByLabelText("Name of the index"), "Mine");
    await userEvent.type(screen.getByLabelText("Formula"), "nir - rde");
    expect(screen.getByRole("alert").querySelector("mark")?.textContent).toBe("rde");
    expect(screen.getByText("Add")).toHaveProperty("disabled", true);
    await userEvent.clear(screen.getByLabelText("Formula"));
    await userEvent.type(screen.getByLabelText("Formula"), "nir - red");
    await userEvent.click(screen.getByText("Add"));
    expect(changes).toEqual([{ on: true, outputs: [{ name: "Mine", formula: "nir - red" }] }]);
  });
  test("a name that a band has already is refused", async () => {
    show("optical", "indices", {}, chain);
    await userEvent.click(screen.getByText("A formula of your own"));
    await userEvent.type(screen.getByLabelText("Name of the index"), "B4");
    expect(screen.getByRole("alert").textContent).toBe("There is a band called B4 already.");
  });
});

test("another coordinate system is found by its code", async () => {
  const changes = show("optical", "grid");
  await userEvent.click(screen.getByRole("button", { name: "Another coordinate system" }));
  const field = (await screen.findAllByRole("textbox")).find(
    (box) => !box.getAttribute("aria-label")?.includes("Cell size"),
  )!;
  await userEvent.type(field, "EPSG:32728{Enter}");
  await waitFor(() => expect(changes).toHaveLength(1));
  expect(changes).toMatchObject([{ grid: { crs: { code: utm(28, true).code } } }]);
});
