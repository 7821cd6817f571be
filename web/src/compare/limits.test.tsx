/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { emptySetup } from "@hindglance/core/change/defaults";
import type { LimitGround } from "@hindglance/core/change/limits/limit";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { changeSetupSchema } from "@hindglance/core/change/setup";
import type { LimitEffect as Effect } from "@hindglance/core/tally/effects";
import { useState } from "react";
import { renderPart } from "../testing/page";
import { LimitEffect } from "./LimitEffect";
import { LimitList } from "./LimitList";

const OTHER = "0c000000-0000-4000-8000-000000000001";
const ground: LimitGround = {
  cellM2: 400,
  hasArea: true,
  hasElevation: true,
  hasHidden: true,
  hasSecond: false,
  hasCloud: false,
  others: [{ id: OTHER, name: "20 May" }],
  classes: [
    { label: 1, name: "New water" },
    { label: 2, name: "Standing water" },
  ],
  start: { op: "<", value: -17 },
  unit: { unit: "dB", decimals: 1, step: 0.1 },
};
const start = emptySetup({ looks: 4.4, hasStudyArea: true, hasElevation: true });

/** A list over settings of its own; gives what they have become. */
function show(
  setup: ChangeSetup = start,
  more: { found?: Effect[]; byRules?: boolean; ground?: LimitGround } = {},
): { now: ChangeSetup } {
  const seen = { now: setup };
  function Page() {
    const [own, setOwn] = useState(setup);
    seen.now = own;
    return (
      <LimitList
        head={null}
        limits={own.limits}
        ground={more.ground ?? ground}
        byRules={more.byRules ?? true}
        found={more.found ?? null}
        change={setOwn}
      />
    );
  }
  renderPart(<Page />);
  return seen;
}
const texts = () =>
  within(screen.getByRole("list"))
    .getAllByRole("button")
    .map((chip) => chip.textContent);
const add = async (name: string) => {
  await userEvent.click(screen.getByRole("button", { name: "Limit" }));
  await userEvent.click(await screen.findByRole("menuitem", { name }));
};

test("limits stand in the order in which they are applied, in words", () => {
  show();
  expect(texts()).toEqual([
    "seen on both dates, 3 cells in",
    "inside study area",
    "slope ≤ 5°",
    "patch ≥ 0.48 ha",
  ]);
});

test("only what the study can tell is offered", async () => {
  show();
  await userEvent.click(screen.getByRole("button", { name: "Limit" }));
  expect((await screen.findAllByRole("menuitem")).map((item) => item.textContent)).toEqual([
    "Layover and shadow",
    "Elevation",
    "Height above drainage",
    "Not so on other dates",
    "Only beside another class",
    "Majority",
    "Holes",
  ]);
});

test.each([
  ["Layover and shadow", "no layover or shadow", { hidden: true }],
  ["Elevation", "elevation ≤ 100 m", { elevationM: { min: null, max: 100 } }],
  ["Height above drainage", "≤ 15 m above drainage", { drainage: { maxM: 15, leastKm2: 1 } }],
  [
    "Not so on other dates",
    "not so on 1 other date",
    { standing: { sceneIds: [OTHER], op: "<", value: -17, label: 1 } },
  ],
  ["Majority", "majority of 3 × 3", { majorityCells: 3 }],
  ["Holes", "holes ≤ 0.24 ha filled", { holeCells: 6 }],
])("%s is added with what is usual, and passes the check", async (name, text, limits) => {
  const seen = show();
  await add(name);
  expect(texts()).toContain(text);
  expect(seen.now.limits).toMatchObject(limits);
  expect(changeSetupSchema.isValidSync(seen.now, { strict: true })).toBe(true);
  // What else was set stays as it was.
  expect(seen.now.limits).toMatchObject(start.limits);
});

test("a limit is set in its form and taken away", async () => {
  const seen = show();
  await userEvent.click(screen.getByText("slope ≤ 5°"));
  const field = await screen.findByLabelText("Slope in degrees");
  await userEvent.clear(field);
  await userEvent.type(field, "7,5{Enter}");
  expect(seen.now.limits.maxSlopeDeg).toBe(7.5);
  expect(texts()).toContain("slope ≤ 7.5°");
  await userEvent.click(screen.getByText("Take away"));
  expect(seen.now.limits.maxSlopeDeg).toBeNull();
});

test("what every map has cannot be taken away", async () => {
  show();
  await userEvent.click(screen.getByText("seen on both dates, 3 cells in"));
  expect(await screen.findByLabelText("Margin in cells")).toBeTruthy();
  expect(screen.queryByText("Take away")).toBeNull();
});

test("neighbours are common to holes and patches, and stay when one of them leaves", async () => {
  const seen = show();
  await userEvent.click(screen.getByText("patch ≥ 0.48 ha"));
  await userEvent.click(await screen.findByText("4: sides only"));
  await userEvent.click(screen.getByText("Take away"));
  expect(seen.now.limits).toMatchObject({ neighbours: 4, minPatchCells: null });
  await add("Holes");
  expect(seen.now.limits).toMatchObject({ neighbours: 4, holeCells: 6 });
});

describe("effects", () => {
  const effect = (name: string, more: Partial<Effect>): Effect => ({
    name,
    droppedCells: 0,
    droppedM2: 0,
    addedCells: 0,
    addedM2: 0,
    ...more,
  });
  test("stand behind their limits; what is not counted yet is awaited", () => {
    show(start, { found: [effect("slope", { droppedCells: 25_000, droppedM2: 10e6 })] });
    expect(screen.getByText("−10.0 km²").title).toMatch(/25.000 cells lost their class, 0 were/);
    expect(screen.getAllByText("…")).toHaveLength(3);
  });
  test("with groups, what is looked at has no effect of its own", () => {
    show(start, { byRules: false, found: [] });
    expect(screen.getAllByText("…")).toHaveLength(2);
  });
  test.each([
    [{}, "nothing"],
    [{ droppedCells: 1, droppedM2: 400 }, "−1 cell"],
    [{ droppedCells: 3, droppedM2: 1200, addedCells: 20_000, addedM2: 8e6 }, "−3 cells +8.00 km²"],
  ])("%j is told as %s", (more, text) => {
    renderPart(<LimitEffect effect={effect("slope", more)} />);
    expect(screen.getByTitle(/lost their class/).textContent).toBe(text);
  });
});
