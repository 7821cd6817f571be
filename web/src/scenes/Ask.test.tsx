/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { UploadDetail } from "../api/types";
import type { FoundLayer } from "@hindglance/contract/upload";
import { Refusal, fakeServer, renderPart, pickOption } from "../testing/page";
import { aLayer, anUpload } from "../testing/things";
import { Ask } from "./Ask";

const show = (detail: UploadDetail, answer: () => unknown = () => ({})) => {
  const asked = fakeServer(answer);
  const upload = anUpload({ detail });
  renderPart(<Ask studyId="s1" upload={upload} detail={detail} />);
  return asked;
};
const pick = async (label: string, option: string | RegExp) => {
  screen.getByRole("combobox", { name: label }).focus();
  await userEvent.keyboard("{Enter}");
  await userEvent.click(await screen.findByRole("option", { name: option }));
};
const importIt = () => userEvent.click(screen.getByRole("button", { name: "Import" }));
const isReady = () => !screen.getByRole<HTMLButtonElement>("button", { name: "Import" }).disabled;

/** A file of one layer. */
const vectors = (...layers: Partial<FoundLayer>[]): UploadDetail => ({
  form: "vectors",
  layers: layers.map(aLayer),
});

describe("features", () => {
  test("become zones by the property that holds their name", async () => {
    const asked = show(vectors({ features: 5, polygons: 5, nameFields: ["code", "name"] }));
    await pick("Name property", "code");
    await importIt();
    expect(asked[0]).toEqual({
      method: "POST",
      path: "/studies/s1/zones",
      body: { uploadId: "u1", layer: 0, nameField: "code" },
    });
  });
  test("that are one polygon alone are offered as the study area, whatever it is called", () => {
    show(vectors({ features: 1, polygons: 1 }));
    const use = screen.getByRole("combobox", { name: "What are they?" });
    expect(use.textContent).toBe("The study area");
  });
  test("become the study area", async () => {
    const asked = show(vectors({}));
    await pick("What are they?", /The study area/);
    expect(screen.queryByRole("combobox", { name: "Name property" })).toBeNull();
    await importIt();
    expect(asked[0]).toMatchObject({ path: "/studies/s1/study-area", body: { uploadId: "u1" } });
  });
  test("without a name can only be the study area, which is what is offered", async () => {
    show(vectors({ features: 3, polygons: 3, nameFields: [], nameField: null }));
    expect(isReady()).toBe(true);
    await pick("What are they?", /Zones/);
    expect(screen.getByText(/have no property in common/)).toBeTruthy();
    expect(isReady()).toBe(false);
  });
  test("that are lines or points lie over the maps, with or without labels", async () => {
    const asked = show(vectors({ features: 3, polygons: 0, lines: 2, points: 1, withHeights: 3 }));
    expect(screen.getByText(/1 point, 2 lines, WGS 84; heights are left out/)).toBeTruthy();
    await pick("Label", "nothing");
    await importIt();
    expect(asked[0]).toEqual({
      method: "POST",
      path: "/studies/s1/overlays",
      body: { uploadId: "u1", layer: 0, labelField: null },
    });
    screen.getByRole("combobox", { name: "What are they?" }).focus();
    await userEvent.keyboard("{Enter}");
    expect(screen.getAllByRole("option")).toHaveLength(1);
  });
  test("of several layers are asked for, and what is said belongs to the layer", async () => {
    const asked = show(
      vectors(
        { name: "districts" },
        { name: "roads", lines: 1, polygons: 0, nameFields: ["ref"], nameField: "ref" },
      ),
    );
    await pick("Layer", /roads/);
    expect(screen.getByRole("combobox", { name: "Label" }).textContent).toBe("ref");
    await importIt();
    expect(asked[0]).toMatchObject({
      path: "/studies/s1/overlays",
      body: { layer: 1, labelField: "ref" },
    });
  });
  test("of which one layer is taken ask about the others", async () => {
    const asked = show(
      vectors({ name: "districts", taken: true }, { name: "roads", lines: 1, polygons: 0 }),
    );
    expect(screen.getByRole("combobox", { name: "Layer" }).textContent).toContain("roads");
    await importIt();
    expect(asked[0]).toMatchObject({ path: "/studies/s1/overlays", body: { layer: 1 } });
  });
  test("of an unknown system need its code", async () => {
    const asked = show(vectors({ system: null, noSystem: "The file does not say it" }));
    const code = screen.getByLabelText(/^Coordinate system/);
    expect(screen.getByText(/The file does not say it\. Give the system/)).toBeTruthy();
    expect(isReady()).toBe(false);
    await userEvent.type(code, "32727");
    await importIt();
    expect(asked[0]!.body).toMatchObject({ epsg: 32727 });
  });
  test("with faults are told, and mended only when that is said", async () => {
    const asked = show(
      vectors({
        features: 9,
        polygons: 9,
        faulty: 7,
        faults: ["Feature 2 crosses itself near 3, 4"],
      }),
    );
    expect(screen.getByText("Feature 2 crosses itself near 3, 4.")).toBeTruthy();
    expect(screen.getByText(/7 of 9 features have faults/)).toBeTruthy();
    expect(isReady()).toBe(false);
    await userEvent.click(screen.getByRole("checkbox", { name: /Mend them/ }));
    await importIt();
    expect(asked[0]!.body).toMatchObject({ repair: true });
  });
  test("that cannot be used say why", () => {
    show(vectors({ refused: "Feature 3 has a place that is not two numbers" }));
    expect(screen.getByText(/Feature 3 has a place .* This layer cannot be used/)).toBeTruthy();
    expect(isReady()).toBe(false);
  });
});

describe("bands of several cell sizes", () => {
  const stack: UploadDetail = {
    form: "stack",
    missing: ["cellM"],
    groups: [
      { cellM: 10, bands: ["B2", "B3"] },
      { cellM: 20, bands: ["B11"] },
    ],
  };
  test("are asked about, and others are left out unless they are brought", async () => {
    const asked = show(stack);
    expect(isReady()).toBe(false);
    await pick("Cell size", /10 m/);
    await importIt();
    expect(asked[0]!.body).toEqual({ uploadId: "u1", kind: "optical", cellM: 10 });
  });
  test("come along when that is said", async () => {
    const asked = show(stack);
    await pick("Cell size", /20 m/);
    expect(screen.getByText("And B2, B3?")).toBeTruthy();
    await pick("Other bands", /Bring them to 20 m/);
    await importIt();
    expect(asked[0]!.body).toMatchObject({ cellM: 20, bring: true });
  });
});

describe("an image", () => {
  test("of radar needs date, polarisation and unit", async () => {
    const asked = show({
      form: "raster",
      missing: ["date", "polarisation"],
      kind: "radar",
      bands: [{ name: "b1", unit: "", role: "power" }],
    });
    expect(isReady()).toBe(false);
    await userEvent.type(screen.getByLabelText("Taken on"), "2025-05-02");
    await userEvent.type(screen.getByLabelText("Time, UTC"), "18:41");
    expect(isReady()).toBe(false);
    await pick("Polarisation of b1", "VV");
    await pick("Numbers", "decibels");
    await importIt();
    expect(asked[0]!.body).toEqual({
      uploadId: "u1",
      kind: "radar",
      acquiredAt: "2025-05-02T18:41:00Z",
      bands: [{ polarisation: "VV", unit: "dB" }],
    });
  });
  test("of heights needs to say what they are counted from, and no date", async () => {
    const asked = show({ form: "raster", missing: ["vertical"], kind: "elevation" });
    expect(screen.queryByLabelText("Taken on")).toBeNull();
    await pick("Heights are counted from", /ellipsoid/i);
    await importIt();
    expect(asked[0]!.body).toMatchObject({ kind: "elevation", vertical: "ellipsoid" });
  });
  test("of whole numbers takes scale, offset and fill with comma or point, and no nonsense", async () => {
    const asked = show({
      form: "raster",
      missing: ["rescale"],
      kind: "other",
      acquiredAt: "2025-05-02T00:00:00Z",
      nodata: null,
    });
    const scale = screen.getByLabelText("Scale");
    await userEvent.clear(scale);
    await userEvent.type(scale, "0x10");
    expect(isReady()).toBe(false);
    await userEvent.clear(scale);
    await userEvent.type(scale, "0,0001");
    expect(isReady()).toBe(true);
    await importIt();
    expect(asked[0]!.body).toMatchObject({ rescale: { scale: 0.0001, offset: 0, fill: -3000 } });
  });
  test("whose numbers would be rounded is imported once that is allowed; classes are not asked", async () => {
    const asked = show({
      form: "raster",
      missing: ["rounding"],
      rounding: { value: 16_777_217, becomes: 16_777_216 },
      kind: "other",
      acquiredAt: "2025-05-02T00:00:00Z",
    });
    expect(screen.getByText(/Such as 16777217 to 16777216/)).toBeTruthy();
    expect(isReady()).toBe(false);
    await userEvent.click(screen.getByRole("checkbox", { name: /rounded to seven digits/ }));
    await importIt();
    expect(asked[0]!.body).toMatchObject({ rounded: true });
    await pickOption("Kind", "Classified raster");
    expect(screen.queryByRole("checkbox")).toBeNull();
  });
  test("without a coordinate system needs its code", async () => {
    const asked = show({
      form: "raster",
      missing: ["crs"],
      noPosition: "The place 488000, 5182000 of this file is nowhere on the Earth",
      kind: "other",
      acquiredAt: "2025-05-02T00:00:00Z",
    });
    expect(screen.getByText(/nowhere on the Earth\. Give the system/)).toBeTruthy();
    const code = screen.getByLabelText(/^Coordinate system/);
    await userEvent.type(code, "12");
    expect(isReady()).toBe(false);
    await userEvent.type(code, "345");
    await importIt();
    expect(asked[0]!.body).toMatchObject({ epsg: 12345 });
  });
});

test("what the server refuses is said on the card, and what was answered stays", async () => {
  show(
    vectors({ features: 5, polygons: 5 }),
    () => new Refusal(409, { code: "alreadyThere", message: "It is in this study already" }),
  );
  await importIt();
  await waitFor(() => expect(screen.getByRole("alert").textContent).toContain("already"));
  expect(screen.getByRole("combobox", { name: "Name property" }).textContent).toContain("name");
  expect(isReady()).toBe(true);
});

test("a file can be left out", async () => {
  const asked = show(vectors({ nameFields: [], nameField: null }));
  await userEvent.click(screen.getByRole("button", { name: "Leave it out" }));
  expect(asked[0]).toMatchObject({ method: "DELETE", path: "/uploads/u1" });
});
