/** @jest-environment jsdom */
import { useState } from "react";
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { emptySetup } from "@hindglance/core/change/defaults";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { pickOption, renderPart } from "../testing/page";
import { aBand } from "../testing/things";
import { measureName } from "./measures";
import { MeasureDesk } from "./MeasureDesk";

const light = (name: string, wavelengthNm: number) =>
  aBand({ name, role: "reflectance", wavelengthNm });
const COLOURS = [light("red", 660), light("nir", 850), light("swir", 1610)];
const POWER = [aBand({ polarisation: "VV" }), aBand({ name: "VH", polarisation: "VH" })];

/** The desk with what a person sets in it. */
function begin(more: Partial<ChangeSetup>, bands = COLOURS, blurs: string[] = []) {
  const setups: ChangeSetup[] = [
    { ...emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false }), ...more },
  ];
  const picked: unknown[] = [];
  function Desk() {
    const [setup, setSetup] = useState(setups[0]!);
    return (
      <MeasureDesk
        setup={setup}
        bands={bands}
        blurs={blurs}
        pickMeasure={(measure) => picked.push(measure)}
        pickBand={(band) => picked.push(band)}
        change={(apply) => {
          setups.push(apply(setups.at(-1)!));
          setSetup(setups.at(-1)!);
        }}
      />
    );
  }
  renderPart(<Desk />);
  return { picked, now: () => setups.at(-1)!, count: () => setups.length };
}

describe("the measure", () => {
  test("is picked of those that suit the band, and so is the band", async () => {
    const { picked } = begin({}, POWER);
    await pickOption("Measure", measureName("noChange", "VV", false));
    await pickOption("Band", "VH");
    expect(picked).toEqual(["noChange", 1]);
  });

  test("of radar can be told how many looks there are, and how speckle is filtered", async () => {
    const { now } = begin({}, POWER);
    await userEvent.click(screen.getByRole("radio", { name: "Lee" }));
    const looks = screen.getByLabelText("Looks");
    await userEvent.clear(looks);
    await userEvent.type(looks, "0{Enter}");
    expect(screen.getByRole("alert").textContent).toBe("A number from 0.5 to 1000.0");
    await userEvent.clear(looks);
    await userEvent.type(looks, "6.5{Enter}");
    expect(now().speckle).toMatchObject({ filter: "lee", looks: 6.5 });
  });

  test("leaves out what blurs banks in Prepare, unless told otherwise", async () => {
    const { now } = begin({}, POWER, ["mean of 5 × 5 cells", "across two dates"]);
    const sharp = screen.getByRole("checkbox", {
      name: "Leave out what blurs banks in Prepare: mean of 5\u00a0×\u00a05 cells, across two dates",
    });
    expect(sharp).toHaveProperty("checked", true);
    await userEvent.click(sharp);
    expect(now().speckle.blurred).toBe(true);
    await userEvent.click(sharp);
    expect(now().speckle.blurred).toBe(false);
  });

  test("has nothing to leave out where nothing blurs", () => {
    begin({}, POWER);
    expect(screen.queryByRole("checkbox")).toBeNull();
  });

  test("of reflectance has no speckle", () => {
    begin({ measure: "difference" });
    expect(screen.queryByLabelText("Looks")).toBeNull();
  });
});

describe("a formula", () => {
  const field = () => screen.getByLabelText<HTMLTextAreaElement>("Formula");
  test("is taken on Enter, over the bands of both dates", async () => {
    const { now } = begin({ measure: "formula", formula: "after.nir - before.nir" });
    expect(field().value).toBe("after.nir - before.nir");
    await userEvent.clear(field());
    await userEvent.type(field(), "after.red - before.red{Enter}");
    expect(now().formula).toBe("after.red - before.red");
  });

  test("that is wrong is said with its place, and not taken", async () => {
    const { count } = begin({ measure: "formula", formula: "after.nir - before.nir" });
    await userEvent.clear(field());
    await userEvent.type(field(), "after.blue - 1{Enter}");
    expect(screen.getByRole("alert").textContent).toMatch(/blue/);
    expect(field().getAttribute("aria-invalid")).toBe("true");
    expect(count()).toBe(1);
  });
});

describe("bands that take part", () => {
  const button = (name: string) => screen.getByRole("button", { name });
  test("are all alike at first, fewer where some are switched off, never none", async () => {
    const { now } = begin({ measure: "changeVector" });
    await userEvent.click(button("red, nir, swir"));
    await userEvent.click(button("nir"));
    expect(now().bands).toEqual([0, 2]);
    await userEvent.click(button("red"));
    const last = within(screen.getByRole("dialog")).getByRole("button", { name: "swir" });
    await userEvent.click(last);
    expect(now().bands).toEqual([2]);
    await userEvent.click(button("All alike"));
    expect(now().bands).toBeNull();
  });

  test("of a direction are two, and that is said while they are not", async () => {
    const { now } = begin({ measure: "changeDirection", bands: [0, 1, 2] });
    expect(screen.getByText("pick two")).toBeTruthy();
    await userEvent.click(button("red, nir, swir"));
    expect(screen.getByText("The first of the two is 0°, the second 90°.")).toBeTruthy();
    await userEvent.click(button("swir"));
    expect(now().bands).toEqual([0, 1]);
    expect(screen.queryByText("pick two")).toBeNull();
  });
});
