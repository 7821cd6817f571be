/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { wholeOutcome, zoneOutcomes } from "@hindglance/core/accuracy/outcome";
import type { Place, Sample, SampleResult } from "@hindglance/contract/accuracy";
import { renderPart } from "../testing/page";
import { aChangeMap } from "../testing/things";
import { namesOf, toldClasses } from "./classes";
import { nextOpen } from "./Looking";
import { OutcomeNotes, OutcomePicture } from "./Outcome";
import { outcomeText } from "./outcomeText";
import { knownAreas } from "./knownAreas";
import { FIRST_WISHES, orderOf, plannedSample } from "./planning";

const map = aChangeMap();
const [first, second] = map.info.classes!;
const whole = map.rows.filter(({ zone }) => zone === null);

describe("a plan", () => {
  test("gives every class its share of the area, and the least of it at the least", () => {
    const { plan, classes, places } = plannedSample(map, FIRST_WISHES);
    expect(classes.map(({ label }) => label)).toEqual(
      whole.filter(({ cells }) => cells > 0).map(({ label }) => label),
    );
    const area = classes.reduce((sum, { areaM2 }) => sum + areaM2, 0);
    for (const { areaM2, units, cells } of classes) {
      const share = Math.round((plan.needed * areaM2) / area);
      expect(units).toBe(Math.min(cells, Math.max(50, share)));
    }
    expect(places).toBe(classes.reduce((sum, { units }) => sum + units, 100));
  });
  test("takes what somebody types in place of what is planned", () => {
    const typed = { ...FIRST_WISHES, units: { [first!.label]: 7 }, nearCells: 0 };
    const planned = plannedSample(map, typed);
    const order = orderOf(map, typed, planned);
    expect(order.design.units).toMatchObject({ [first!.label]: 7 });
    expect(Object.keys(order.design.units)).toHaveLength(planned.classes.length);
    expect(order.nearCells).toBe(0);
  });
  test("near change is a stratum of a number that no class has; other drawings have a count alone", () => {
    const planned = plannedSample(map, FIRST_WISHES);
    const units: Record<number, number> = orderOf(map, FIRST_WISHES, planned).design.units;
    const labels = map.info.classes!.map(({ label }) => label);
    const near = Object.keys(units)
      .map(Number)
      .filter((id) => id !== 0 && !labels.includes(id));
    expect(near).toHaveLength(1);
    expect(units[near[0]!]).toBe(100);
    const simple = { ...FIRST_WISHES, drawing: "simple" as const };
    expect(orderOf(map, simple, plannedSample(map, simple))).toMatchObject({
      nearCells: 0,
      design: { units: {}, count: planned.plan.needed },
    });
  });
});

describe("looking", () => {
  const place = (number: number, isLooked: boolean): Place => ({
    ...{ number, isLooked, lon: 0, lat: 0, label: null, note: "" },
  });
  const places = [place(1, true), place(2, false), place(3, true), place(4, false)];
  test("goes on to the next place that is open, and round to the first", () => {
    expect(nextOpen(places, -1, new Set())).toBe(1);
    expect(nextOpen(places, 1, new Set())).toBe(3);
    expect(nextOpen(places, 3, new Set())).toBe(1);
    expect(nextOpen(places, 1, new Set([4]))).toBe(1);
    expect(nextOpen(places, 1, new Set([2, 4]))).toBeNull();
  });
  test("no change and every class have keys, none of which goes on or says that it cannot be told", () => {
    const keys = toldClasses(map).map(({ key }) => key);
    expect(keys.slice(0, 3)).toEqual(["A", "S", "D"]);
    expect(keys.some((key) => key && "JKX".includes(key))).toBe(false);
    expect(namesOf(map)(0)).toBe("No change");
  });
});

const strata = [
  { id: 0, label: 0, cells: 800, areaM2: 8e6 },
  { id: first!.label, label: first!.label, cells: 150, areaM2: 1.5e6 },
  { id: second!.label, label: second!.label, cells: 50, areaM2: 0.5e6 },
];
const sample: Sample = {
  ...{ id: "s", changeMapId: map.id, name: "Sample 1", strata, nearCells: 0, places: 100 },
  ...{ createdAt: "2025-05-15T08:00:00Z", interpreters: [] },
  design: { drawing: "stratified", seed: 1, units: {}, count: 0 },
};
const result: SampleResult = {
  ...{ open: 3, unsure: 1, disputed: 0, agreement: [] },
  counts: [
    { stratum: 0, zone: 1, reference: 0, units: 38 },
    { stratum: 0, zone: 1, reference: first!.label, units: 2 },
    { stratum: first!.label, zone: 1, reference: first!.label, units: 30 },
    { stratum: first!.label, zone: 2, reference: 0, units: 1 },
  ],
  zones: [
    { ...strata[0]!, zone: 1 },
    { ...strata[1]!, zone: 1, areaM2: 1e6 },
    { ...strata[1]!, zone: 2, areaM2: 0.5e6 },
  ],
};

describe("what came of a sample", () => {
  const outcome = wholeOutcome(sample, result);
  test("is of the classes that were looked at; the others are left out and named", () => {
    expect(outcome.leftOut.map(({ id }) => id)).toEqual([second!.label]);
    renderPart(<OutcomeNotes map={map} outcome={outcome} left={result} />);
    const notes = screen.getAllByRole("listitem").map((item) => item.textContent);
    expect(notes).toEqual([
      "3 places are not looked at yet",
      "1 cannot be told and do not count",
      expect.stringContaining(`No place of ${second!.name.toLowerCase()} was looked at`),
    ]);
  });
  test("stands on the page as a matrix in places or areas, with areas and accuracies", async () => {
    renderPart(
      <OutcomePicture isOfPlaces map={map} outcome={outcome} zones={zoneOutcomes(result)} />,
    );
    const matrix = screen.getByRole("region", { name: "Error matrix" });
    const rows = () => within(matrix).getAllByRole("row");
    const cellsOf = (k: number) =>
      within(rows()[k]!)
        .getAllByRole("cell")
        .map((cell) => cell.textContent);
    expect(cellsOf(1)).toEqual(["38", "2", "40"]);
    expect(cellsOf(2)).toEqual(["1", "30", "31"]);
    await userEvent.click(within(matrix).getByRole("radio", { name: "km²" }));
    expect(cellsOf(1)).toEqual(["7.600", "0.400", "8.000"]);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toContain("95.3 % right");
    expect(screen.getByText("too few places in a class")).toBeTruthy();
  });
  test("is copied with its intervals", () => {
    const lines = outcomeText(outcome.accuracy!, namesOf(map)).split("\n");
    expect(lines[1]).toBe("No change\t38\t2");
    expect(lines.some((line) => line.startsWith("overall accuracy\t0.95"))).toBe(true);
    expect(lines.find((line) => line.includes(", adjusted m²"))!.split("\t")).toHaveLength(4);
  });
  test("is nothing while nothing was looked at", () => {
    const none = wholeOutcome(sample, { ...result, counts: [] });
    expect(none.accuracy).toBeNull();
    renderPart(<OutcomePicture isOfPlaces map={map} outcome={none} zones={[]} />);
    expect(screen.getByText(/No place of this sample was looked at yet/)).toBeTruthy();
  });
});

describe("test areas", () => {
  const areas = { ...sample, design: { ...sample.design, drawing: "areas" as const, count: 2 } };
  test("give a matrix of their cells without intervals or areas of the map", () => {
    renderPart(
      <OutcomePicture
        {...{ map, zones: [], isOfPlaces: false }}
        outcome={wholeOutcome(areas, result)}
      />,
    );
    expect(screen.queryByText(/adjusted/)).toBeNull();
    expect(screen.getByText(/of the cells in the test areas/)).toBeTruthy();
  });
  const file = (name: string) =>
    JSON.stringify({
      type: "FeatureCollection",
      features: [
        {
          type: "Feature",
          properties: { class: name },
          geometry: {
            type: "Polygon",
            coordinates: [
              [
                [0, 0],
                [1, 0],
                [1, 1],
                [0, 0],
              ],
            ],
          },
        },
      ],
    });
  test("are of the map's classes, by name, or of none; another class is refused with those there are", () => {
    expect(knownAreas(map, file(first!.name.toUpperCase()), "a.geojson")[0]!.label).toBe(
      first!.label,
    );
    expect(knownAreas(map, file("no change"), "a.geojson")[0]!.label).toBe(0);
    expect(() => knownAreas(map, file("Lava"), "a.geojson")).toThrow(
      /Feature 1 of a.geojson is of class “Lava”/,
    );
  });
});
