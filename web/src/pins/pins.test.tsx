/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { fakeServer, giveSizes, renderPart } from "../testing/page";
import { aScene, aStudy } from "../testing/things";
import { Expect } from "./Expect";
import { Spectra, type Spectrum } from "./Spectra";
import { UndatedValues } from "./UndatedValues";
import { ValueTable } from "./ValueTable";
import { bandsOf, decimalsOf, expectationText, usualTolerance, usualValue } from "./expectation";
import type { Pin, PlaceValues, SceneValues } from "./values";

giveSizes(400, 190);

const radar = (id: string, day: string, values: (number | null)[]): SceneValues => ({
  sceneId: id,
  name: `LANTERN1 ${id}`,
  kind: "radar",
  acquiredAt: `2025-05-${day}T18:41:00Z`,
  bands: [
    { key: "VV", name: "VV", unit: "dB", role: "power" },
    { key: "angle", name: "angle", unit: "°", role: "angle" },
    { key: "hidden", name: "hidden", unit: "", role: "hidden" },
  ],
  classes: null,
  values: [values],
  problem: null,
});
const optical: SceneValues = {
  ...radar("o", "09", [0.31234]),
  kind: "optical",
  bands: [{ key: "NBR", name: "NBR", unit: "", role: "reflectance" }],
};
const cover: SceneValues = {
  ...radar("c", "01", [2]),
  kind: "classes",
  bands: [{ key: "classes", name: "classes", unit: "", role: "classes" }],
  classes: [{ label: 2, name: "Reed", color: "#00ff00" }],
};
const values: PlaceValues = {
  scenes: [
    radar("a", "02", [-8.04, 33.4, 0]),
    radar("b", "14", [-17.26, 33.6, 1]),
    radar("d", "26", [null, 33.5, 0]),
    optical,
    cover,
  ],
  heights: [12],
};

describe("what a pin can be held to", () => {
  test("is every band once, without angles, hidden cells and classes", () => {
    expect(bandsOf(values)).toEqual(["VV", "NBR"]);
    expect(bandsOf(undefined)).toEqual([]);
  });
  test("begins with the middle value, in as many decimals as it is told in", () => {
    expect([decimalsOf(values, "VV"), decimalsOf(values, "NBR")]).toEqual([1, 3]);
    expect([usualTolerance(values, "VV"), usualTolerance(values, "NBR")]).toEqual([2, 0.05]);
    // Of two values the higher one; on one scene its own; none where there is no value.
    expect(usualValue(values, 0, null, "VV")).toBe(-8);
    expect(usualValue(values, 0, "b", "VV")).toBe(-17.3);
    expect(usualValue(values, 0, "d", "VV")).toBe(0);
    expect(usualValue(values, 0, null, "NBR")).toBe(0.312);
  });
  test("is said with where it is missed", () => {
    const scenes = [aScene({ id: "b", name: "14 May" })];
    const expected = { band: "VV", value: -8, tolerance: 2, sceneId: null };
    expect(expectationText(null, [], scenes, values)).toBe("nothing expected");
    expect(expectationText(expected, [], scenes, values)).toBe("VV −8.0 ± 2.0, every date");
    expect(expectationText(expected, [{ sceneId: "b", value: -17.26 }], scenes, values)).toBe(
      "VV −8.0 ± 2.0, every date: −17.3 on 14 May",
    );
    expect(expectationText({ ...expected, sceneId: "gone" }, [], scenes, values)).toBe(
      "VV −8.0 ± 2.0, a scene that is gone",
    );
  });
});

describe("the card of what is expected", () => {
  const pin: Pin = {
    id: "p1",
    studyId: "s1",
    name: "Bridge",
    lon: 20,
    lat: -30,
    expected: null,
    createdAt: "2025-05-01T00:00:00Z",
  };
  const show = async (more: Partial<Pin> = {}) => {
    const asked = fakeServer(() => pin);
    const scenes = [aScene({ id: "b", name: "LANTERN1", acquiredAt: "2025-05-14T18:41:00Z" })];
    renderPart(
      <Expect
        study={aStudy({ id: "s1" })}
        pin={{ ...pin, ...more }}
        scenes={scenes}
        values={values}
        at={0}
      />,
    );
    await userEvent.click(screen.getByRole("button", { name: /Expect …|Change/ }));
    return asked;
  };
  const field = (name: string) => screen.getByRole<HTMLInputElement>("textbox", { name });
  test("begins with what the place shows, and sends what is kept", async () => {
    const asked = await show();
    expect([field("Expected value").value, field("Tolerance").value]).toEqual(["−8.00", "2.00"]);
    await userEvent.clear(field("Expected value"));
    await userEvent.type(field("Expected value"), "-12,5{Enter}");
    await userEvent.click(screen.getByRole("button", { name: "Expect this" }));
    await waitFor(() => expect(asked).not.toEqual([]));
    expect(asked[0]).toMatchObject({
      method: "PATCH",
      path: "/pins/p1",
      body: { expected: { band: "VV", value: -12.5, tolerance: 2, sceneId: null } },
    });
  });
  test("takes an expectation away", async () => {
    const asked = await show({ expected: { band: "VV", value: 1, tolerance: 2, sceneId: null } });
    await userEvent.click(screen.getByRole("button", { name: "Nothing" }));
    await waitFor(() => expect(asked[0]?.body).toEqual({ expected: null }));
  });
});

describe("the table of values", () => {
  const rows = () =>
    screen.getAllByRole("row").map((row) => [...row.children].map((cell) => cell.textContent));
  test("has a line a date with a value, with the class, the angle and what is hidden", () => {
    const series = [
      { key: "VV", unit: "dB", points: [] },
      { key: "NBR", unit: "", points: [] },
    ];
    renderPart(<ValueTable values={values} series={series} beforeId="a" afterId="b" />);
    expect(rows()).toEqual([
      ["Date", "VV, dB", "NBR", "also"],
      ["2 May", "−8.04", "–", "incidence 33°"],
      ["14 May", "−17.26", "–", "incidence 34°, layover or shadow"],
      ["26 May", "–", "–", "incidence 34°"],
      ["9 May", "–", "0.312", ""],
      ["1 May", "–", "–", "Reed"],
    ]);
    expect(screen.getByText("2 May").className).toContain("beforeink");
    expect(screen.getByText("14 May").className).toContain("afterink");
    expect(screen.getByText("26 May").className).not.toContain("ink");
  });
});

describe("spectra", () => {
  const spectrum = (sceneId: string, points: [number, number][]): Spectrum => ({
    sceneId,
    acquiredAt: "2025-05-02T10:00:00Z",
    points: points.map(([nm, value]) => ({ nm, value })),
  });
  test("are a line a date, and a table by wavelength with what a date lacks", () => {
    const spectra = [
      spectrum("a", [
        [850, 0.4],
        [660, 0.05],
      ]),
      { ...spectrum("b", [[660, 0.12345]]), acquiredAt: null },
    ];
    renderPart(<Spectra spectra={spectra} beforeId="a" afterId={null} />);
    expect(screen.getByRole("img", { name: "Spectra of 2 May 2025, no date" })).toBeTruthy();
    const rows = screen.getAllByRole("row").map((row) => row.textContent);
    expect(rows).toEqual(["nm2 May 2025no date", "6600.0500.123", "8500.400–"]);
  });
  test("are called as they are labelled", () => {
    const spectra = [{ ...spectrum("a", [[660, 0.1]]), label: "Surface, out" }];
    renderPart(<Spectra spectra={spectra} beforeId={null} afterId={null} />);
    expect(screen.getByRole("img", { name: "Spectra of Surface, out" })).toBeTruthy();
  });
});

describe("values without a date", () => {
  const undated = (more: Partial<SceneValues>): SceneValues => ({
    ...radar("e", "01", [34.25]),
    ...{ name: "Heights", kind: "elevation", acquiredAt: null },
    bands: [{ key: "z", name: "z", unit: "m", role: "elevation" }],
    ...more,
  });
  const show = (...scenes: SceneValues[]) =>
    renderPart(<UndatedValues values={{ scenes, heights: [] }} />).container.textContent;
  test("are said by what they are of", () => {
    expect(show(undated({}))).toBe("Heights: 34.3 m");
    expect(show(undated({ values: [[null]] }))).toBe("Heights: nodata");
    const { bands, classes } = cover;
    expect(show(undated({ name: "Cover", bands, classes, values: [[2]] }))).toBe("Cover: Reed");
  });
  test("that cannot be had say why", () => {
    expect(show(undated({ problem: "not on the map" }))).toBe(
      "No scene has a value here.Without values: Heights (not on the map).",
    );
  });
});
