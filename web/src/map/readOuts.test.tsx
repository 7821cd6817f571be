/** @jest-environment jsdom */
import { render, screen, waitFor } from "@testing-library/react";
import { emptySetup } from "@hindglance/core/change/defaults";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { northUp } from "@hindglance/core/grid/grid";
import { sensorFrame } from "@hindglance/core/grid/frames";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import type { CompareNodes, NodeView } from "../api/types";
import { ReadOut } from "../compare/maps/ReadOut";
import { NOT_COUNTED, valuesAt } from "../compare/maps/readValues";
import { DECIBEL } from "../compare/units";
import { ReadOut as StepReadOut } from "../prepare/ReadOut";
import { SceneReadOut } from "../scenes/picture/SceneReadOut";
import { loaded, loadedAt } from "../testing/maps";
import { aBand, aNode, aScene, aSensor, anImage } from "../testing/things";

/** Inside of the images of things, whose corner is 20° east and 30° south. */
const AT: [number, number] = [20.055, -30.055];
const setup: ChangeSetup = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: true });
let made = 0;
/** A node that no other test has loaded. */
const nodeOf = (bands: string[], more: Partial<NodeView["info"]> = {}): NodeView => {
  made++;
  const info = anImage({ bands: bands.map((name) => aBand({ name, unit: "dB" })), ...more });
  return { ...aNode("a", info), hash: String(made).padStart(64, "0") };
};
const classNode = () => nodeOf(["classes"], { type: "class8" });

/** Nodes of a comparison, of which nothing has come yet. */
function nothingYet(): CompareNodes {
  const stack = nodeOf(["before", "after", "measure", "slope", "elevation"]);
  return {
    ...{
      pictures: null,
      groups: null,
      warnings: [],
      blurs: [],
      series: null,
      confirmed: null,
      second: null,
      stack,
      gated: stack,
    },
    before: nodeOf(["VV"]),
    after: nodeOf(["VV"]),
    classes: classNode(),
  };
}

describe("what a comparison says of a place", () => {
  test("is unknown until its tiles have come, and then all of it", async () => {
    const nodes = nothingYet();
    expect(valuesAt(nodes, setup, true, AT)).toMatchObject({
      ...{ before: undefined, after: undefined, change: undefined },
      ...{ elevation: null, className: null },
    });
    await loaded(nodes.before, [-8]);
    await loaded(nodes.after, [-17]);
    await loaded(nodes.stack, [-8, -17, -9, 1, 34]);
    await loaded(nodes.classes, [1]);
    expect(valuesAt(nodes, setup, true, AT)).toEqual({
      ...{ before: -8, after: -17, change: -9, elevation: 34 },
      ...{ className: "new water", level: 0 },
    });
    // Classes of other settings are not said of these.
    expect(valuesAt(nodes, setup, false, AT).className).toBeNull();
  });

  test("of a difference follows from both dates where the measure has not come", async () => {
    const nodes = nothingYet();
    await loaded(nodes.before, [-8]);
    await loaded(nodes.after, [-17]);
    expect(valuesAt(nodes, setup, true, AT).change).toBe(-9);
  });

  test("that no class may take is not counted", async () => {
    const nodes = nothingYet();
    await loaded(nodes.classes, [CLASS_NODATA]);
    expect(valuesAt(nodes, setup, true, AT).className).toBe(NOT_COUNTED);
  });

  test("is written in the corner, and again once tiles have come", async () => {
    const nodes = nothingYet();
    const props = { nodes, setup, at: AT, unit: DECIBEL, measureName: "Log ratio" };
    render(<ReadOut {...props} classesReady />);
    const corner = () => screen.getByTestId("read-out").textContent;
    expect(corner()).toMatch(/before …after …change …/);
    await loaded(nodes.before, [-8]);
    await loaded(nodes.after, [NaN]);
    await waitFor(() => expect(corner()).toMatch(/before −8\.0\sdBafter nodata/));
    expect(corner()).toMatch(/^−30\.0550, 20\.0550/);
  });

  test("of an overview says of how many cells it is the mean", async () => {
    const before = { ...nodeOf(["VV"]), levels: 2 };
    const nodes = { ...nothingYet(), before };
    // The coarser level alone has come: a quarter of the cells.
    await loadedAt(1, before, new Array<number>(25).fill(-8));
    render(
      <ReadOut {...{ nodes, setup, at: AT }} classesReady unit={DECIBEL} measureName="Log ratio" />,
    );
    expect(screen.getByText("preview: means of 4 cells")).toBeTruthy();
  });
});

describe("what a scene says of a place", () => {
  const show = async (node: NodeView, values: number[], at = AT, more = {}) => {
    const cells = await loaded(node, values);
    const scene = aScene({ info: node.info, ...more });
    const { container } = render(<SceneReadOut {...{ scene, node, cells, at }} />);
    return container.textContent;
  };
  test("is every band, in decimals by what it is", async () => {
    const bands = [
      aBand({ name: "red", role: "reflectance" }),
      aBand({ name: "quality", role: "quality" }),
    ];
    expect(await show(nodeOf([], { bands }), [0.12345, 3])).toMatch(/red 0\.123 .*quality 3/);
  });
  test("is nodata where there is none", async () => {
    expect(await show(nodeOf(["VV"]), [NaN])).toMatch(/VV nodata$/);
  });
  test("of classes is the name", async () => {
    const classes = [{ label: 2, name: "Reed", color: "#00ff00" }];
    const node = nodeOf(["cover"], { type: "class8", classes });
    expect(await show(node, [2])).toMatch(/cover Reed$/);
  });
  test("of a product in sensor geometry is by line and sample", async () => {
    const grid = northUp(sensorFrame("x"), 0, 0, 1, 1, 10, 10);
    const node = nodeOf(["VV"], { grid, sensor: aSensor() });
    expect(await show(node, [5], [3.5, -7.5])).toMatch(/^line 7, sample 3VV 5\.0/);
  });
});

describe("what a step says of a place", () => {
  test("is in and out, with the unit", async () => {
    const sides = [
      { cells: await loaded(nodeOf(["VV"]), [-8]), bands: [0] },
      { cells: await loaded(nodeOf(["VV"]), [-9.2]), bands: [0] },
    ];
    const { container } = render(
      <StepReadOut at={AT} sides={sides} grid={anImage().grid} sensor={null} />,
    );
    expect(container.textContent).toMatch(/−8\.0 → −9\.2 dB$/);
  });
  test("asks to be pointed at something, and says how a radar picture lies", async () => {
    const sides = [{ cells: await loaded(nodeOf(["VV"]), [1]), bands: [0] }];
    const { container, rerender } = render(
      <StepReadOut at={null} sides={sides} grid={anImage().grid} sensor={null} />,
    );
    expect(container.textContent).toBe("Point at the picture to read it");
    rerender(<StepReadOut at={null} sides={sides} grid={anImage().grid} sensor="descending" />);
    expect(container.textContent).toBe("sensor geometry · east is left");
  });
});
