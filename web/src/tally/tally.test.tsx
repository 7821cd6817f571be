/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { renderPart } from "../testing/page";
import { aChangeMap } from "../testing/things";
import { AreaTable } from "./AreaTable";
import { Inputs } from "./inputs/Inputs";
import { groupsSaid, limitsSaid, measureSaid, sentence } from "@hindglance/core/change/sentences";
import { areasOfMap, tableText } from "./table";

const map = aChangeMap();
const areas = areasOfMap(map);

describe("areas of a map", () => {
  test("have the zones in their order and the whole map last", () => {
    expect(areas.zones).toEqual(["Lowfen", "Tolm", null]);
    expect(areas.changes.map(({ name }) => name)).toEqual(["New water", "Standing water"]);
  });
  test("add up: all classes of a zone, and what was seen", () => {
    expect(areas.total("Lowfen")).toEqual({ areaM2: 6e6, cells: 600, sharePercent: 60 });
    expect(areas.seenM2).toBe(10e6);
    expect(areas.mostM2).toBe(3e6);
  });
  test("are text with tabs for pasting, in the unit that is shown", () => {
    expect(tableText(areas, "km2").split("\n")).toEqual([
      "zone\tNo change\tNew water\tStanding water",
      "Lowfen\t3.000\t3.000\t0.000",
      "Tolm\t3.000\t0.000\t1.000",
      "All\t6.000\t3.000\t1.000",
    ]);
    expect(tableText(areas, "cells").split("\n")[1]).toBe("Lowfen\t300\t300\t0");
  });
});

describe("the table", () => {
  test("leaves nothing as a dot, and shows one class alone at a click", async () => {
    const shown: (number | null)[] = [];
    renderPart(
      <AreaTable areas={areas} unit="km2" only={null} setOnly={(label) => shown.push(label)} />,
    );
    const row = screen.getByRole("row", { name: /^Lowfen/ });
    expect(
      within(row)
        .getAllByRole("cell")
        .map((cell) => cell.textContent),
    ).toEqual(["3.000", "3.000", "·", "6.000"]);
    await userEvent.click(screen.getByRole("button", { name: "New water" }));
    expect(shown).toEqual([1]);
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "No change" }).disabled).toBe(
      true,
    );
  });
});

describe("the table of many classes", () => {
  test("has them one under the other, and the zones side by side", () => {
    const rows = [null, "Lowfen"].flatMap((zone) =>
      Array.from({ length: 12 }, (_v, label) => ({
        ...{ zone, label, name: `Class ${label}`, color: "#102030" },
        ...{ cells: 10 + label, areaM2: 1e6, sharePercent: 1 },
      })),
    );
    const many = areasOfMap(aChangeMap({ rows }));
    renderPart(<AreaTable areas={many} unit="cells" only={null} setOnly={() => undefined} />);
    const head = screen.getAllByRole("columnheader").map((cell) => cell.textContent);
    expect(head).toEqual(["class", "Lowfen", "All"]);
    const row = screen.getByRole("row", { name: /^Class 11/ });
    const cells = within(row).getAllByRole("cell");
    expect(cells.map((cell) => cell.textContent)).toEqual(["21", "21"]);
  });
});

describe("in words", () => {
  test("a measure says the speckle filter that it saw, and that it saw none", () => {
    const { setup } = aChangeMap();
    const lee = { filter: "lee", windowCells: 5, looks: 4.4 } as const;
    const said = (measure: typeof setup.measure, unit = "dB") =>
      measureSaid({ ...setup, measure, speckle: lee }, unit);
    expect(said("logRatio")).toMatch(/; Lee 5 × 5, 4\.4 looks$/);
    expect(said("equalPower")).toBe(
      "test of equal backscatter; before any speckle filter, 4.4 looks",
    );
    expect(said("smallChanges")).toMatch(
      /^small changes, .*; before any speckle filter, 4\.4 looks$/,
    );
    expect(said("difference", "")).not.toMatch(/looks/);
  });
  test("a rule has its units, one of land cover the number of its class", () => {
    expect(
      sentence([
        { layer: "measure", op: "<", value: -4.6 },
        { layer: "slope", op: "<=", value: 12 },
        { layer: "drainage", op: "<", value: 15 },
        { layer: "cover", op: "=", value: 4 },
      ]),
    ).toBe(
      "change < −4.6 dB and slope ≤ 12.0° and height above drainage < 15.0 m and land cover is class 4",
    );
  });
  test("a rule of reflectance has hundredths, and its measure a unit of its own", () => {
    expect(sentence([{ layer: "after", op: ">", value: 0.25 }], "")).toBe("after > 0.25");
    expect(sentence([{ layer: "measure", op: ">", value: 20 }], "", "%")).toBe("change > 20.0 %");
    const asked = [{ layer: "secondAfter" as const, op: "<" as const, value: -15 }];
    expect(sentence(asked, "", "", "dB")).toBe("second sensor after < −15.0 dB");
    expect(sentence(asked, "dB")).toBe("second sensor after < −15.00");
  });
  test("groups say how many, of what and how", () => {
    const grouping = {
      of: "both",
      method: "isodata",
      groups: 5,
      seed: 1,
      splitSpread: 1,
      mergeDistance: 1,
      leastShare: 0.01,
      classes: [],
    } as const;
    expect(groupsSaid({ ...grouping, classes: [] })).toBe(
      "ISODATA, 5 groups of all bands of both dates",
    );
  });
  test("limits say what they took away, and the study area only where there was one", () => {
    const [area] = limitsSaid(map);
    expect(area).not.toMatch(/km²/);
    const without = limitsSaid({
      ...map,
      provenance: { ...map.provenance, studyAreaSha256: null },
    });
    expect(without).toHaveLength(limitsSaid(map).length - 1);
    const dropped = { name: "slope", droppedCells: 4, droppedM2: 2.5e6, addedCells: 0, addedM2: 0 };
    const effects = limitsSaid({ ...map, tally: { ...map.tally, limits: [dropped] } });
    expect(effects.filter((said) => said.endsWith("(−2.50\u2009km²)"))).toHaveLength(1);
  });
});

test("what a map was made from is recalled with its files, rules and limits", () => {
  renderPart(<Inputs map={map} />);
  const terms = screen.getAllByRole("term").map((term) => term.textContent);
  expect(terms).toEqual([
    "Ledger",
    "Before",
    "After",
    "Measure",
    "Rules",
    "Limits",
    "Grid",
    "Written",
    "Identity",
  ]);
  expect(screen.getByText("11111111… before.zip").title).toBe(
    `before.zip\nSHA-256 ${"1".repeat(64)}`,
  );
});
