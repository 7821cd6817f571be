/** @jest-environment jsdom */
import { act, renderHook, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { emptySetup } from "@hindglance/core/change/defaults";
import { keys } from "../../api/hooks";
import type { Side, Study } from "../../api/types";
import { Around, fakeServer, renderPart, testClient } from "../../testing/page";
import { aBand, aScene, aStudy, anImage } from "../../testing/things";
import { CountDesk } from "./CountDesk";
import {
  type Series,
  type SeriesDate,
  bandsOfKind,
  keyOfBand,
  seriesText,
  usualCount,
  waterOf,
  whole,
} from "./series";
import { useCount } from "./useCount";

const side = (sceneId: string, bands: ReturnType<typeof aBand>[], more: Partial<Side> = {}) =>
  ({
    sceneId,
    family: null,
    node: null,
    hash: null,
    info: anImage({ bands }),
    cloud: null,
    looks: null,
    isKept: true,
    problem: null,
    ...more,
  }) satisfies Side;
const VV = aBand({ name: "sigma VV", polarisation: "VV" });
const scenes = [
  aScene({ id: "r1", kind: "radar" }),
  aScene({ id: "r2", kind: "radar" }),
  aScene({ id: "o1", kind: "optical" }),
];
const sides = [
  side("r1", [VV, aBand({ name: "angle", role: "angle" })], { looks: 5.5 }),
  side("r2", [VV, aBand({ name: "sigma VH", polarisation: "VH" })]),
  side("o1", [
    aBand({ name: "NDVI", role: "value" }),
    aBand({ name: "NBR", role: "value" }),
    aBand({ name: "quality", role: "quality" }),
  ]),
];

describe("bands that can be counted", () => {
  test("are those of the kind that dates can be compared by, each once", () => {
    expect(bandsOfKind("radar", scenes, sides)).toEqual([
      { key: "VV", unit: "dB", power: true },
      { key: "VH", unit: "dB", power: true },
    ]);
    expect(bandsOfKind("optical", scenes, sides).map(({ key }) => key)).toEqual(["NDVI", "NBR"]);
    expect(bandsOfKind("other", scenes, sides)).toEqual([]);
    expect(keyOfBand({ name: "x" })).toBe("x");
  });
  test("begin with what they are usually counted for", () => {
    expect(usualCount("VV", true, -15.5)).toMatchObject({ name: "Water", op: "<", value: -15.5 });
    expect(usualCount("VV", true, null).value).toBe(-17);
    expect(usualCount("MNDWI", false, null)).toMatchObject({ name: "Water", op: ">", value: 0 });
    expect(usualCount("NBR", false, null)).toMatchObject({ op: "<", value: 0.1 });
    expect([usualCount("EVI", false, null).value, usualCount("NDVI", false, null).value]).toEqual([
      0.2, 0.3,
    ]);
  });
  test("water goes by the threshold of the study's own rules", () => {
    const start = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
    const setup = {
      ...start,
      rules: [
        { ...start.rules[0]!, all: [{ layer: "after" as const, op: "<" as const, value: -14 }] },
      ],
    };
    expect(waterOf(aStudy())).toBeNull();
    const compare = { beforeId: "a", afterId: "b", setup };
    expect(waterOf(aStudy({ compare }))).toBe(-14);
  });
});

const zone = (beyondM2: number, seenM2: number, mean: number | null) => ({
  seenM2,
  beyondM2,
  beyondCells: 1,
  cells: 2,
  mean,
});
const date = (more: Partial<SeriesDate> = {}): SeriesDate => ({
  sceneId: "r1",
  name: "LANTERN1",
  acquiredAt: "2025-05-02T18:41:00Z",
  node: { hash: "h", levels: 1, block: 512, info: anImage() },
  zones: [zone(1e6, 3e6, -9), zone(2e6, 4e6, null)],
  mean: -10.5,
  ...more,
});
const series: Series = {
  key: "k",
  unit: "dB",
  band: "VV",
  zones: ["Lower Vell"],
  left: [],
  grid: anImage().grid,
  dates: [date(), date({ acquiredAt: "2025-05-14T18:41:00Z", zones: null, mean: null })],
};

describe("the table of dates", () => {
  test("sums over all zones; a date that is not counted has no sums", () => {
    expect(whole(date())).toEqual({ beyondM2: 3e6, seenM2: 7e6 });
    expect(whole(date({ zones: null }))).toBeNull();
  });
  test("is pasted with tabs, what is not known left empty", () => {
    expect(
      seriesText(series)
        .split("\n")
        .map((line) => line.split("\t")),
    ).toEqual([
      ["date", "km2", "km2 seen", "mean VV", "Lower Vell km2", "Lower Vell mean"],
      ["2025-05-02T18:41:00Z", "3.0000", "7.0000", "-10.5000", "2.0000", ""],
      ["2025-05-14T18:41:00Z", "", "", "", "", ""],
    ]);
  });
});

describe("what is counted", () => {
  const hook = (study: Study, zoneNames: string[] = []) => {
    fakeServer(() => []);
    const client = testClient();
    client.setQueryData(
      keys.zones(study.id),
      zoneNames.map((name) => ({ id: name, name })),
    );
    return renderHook(() => useCount(study, scenes, sides, ["radar", "optical"]), {
      wrapper: ({ children }) => <Around client={client}>{children}</Around>,
    }).result;
  };
  test("begins with the band that tells most of the hazard, and with the looks that are known", () => {
    const { current } = hook(aStudy({ hazard: "flood" }));
    expect(current.ask).toEqual({
      kind: "radar",
      band: "VV",
      op: "<",
      value: -17,
      speckle: { filter: "refinedLee", windowCells: 7, looks: 5.5 },
      studyArea: false,
      zones: false,
    });
    expect(current.switches).toEqual([]);
  });
  test("of another kind begins anew: a burn by its ratio", () => {
    const result = hook(aStudy({ hazard: "fire" }));
    act(() => result.current.change({ value: -12, name: "Lake" }));
    expect(result.current.ask.value).toBe(-12);
    act(() => result.current.setKind("optical"));
    expect(result.current.ask).toMatchObject({ band: "NBR", op: "<", value: 0.1 });
    act(() => result.current.setBand("NDVI"));
    expect([result.current.ask.band, result.current.count.name]).toEqual(["NDVI", "Green"]);
  });
  test("is switched by ground and by zones where there are some", () => {
    const studyArea = { type: "MultiPolygon" as const, coordinates: [] };
    const result = hook(aStudy({ studyArea }), ["Districts"]);
    expect(result.current.switches.map(({ name, on }) => [name, on])).toEqual([
      ["inside study area", true],
      ["by districts", true],
    ]);
    act(() => result.current.switches[0]!.turn());
    act(() => result.current.switches[1]!.turn());
    expect([result.current.ask.studyArea, result.current.ask.zones]).toEqual([false, false]);
  });
});

describe("the desk of what is counted", () => {
  function Desk({ left }: { left: Series["left"] }) {
    const kinds = ["radar", "optical"] as const;
    const count = useCount(aStudy(), scenes, sides, [...kinds]);
    return (
      <>
        <CountDesk kinds={[...kinds]} count={count} left={left} />
        <output>{JSON.stringify([count.count.name, count.ask.value, count.ask.op])}</output>
      </>
    );
  }
  const told = (): unknown => JSON.parse(screen.getByRole("status").textContent);
  const show = (left: Series["left"] = []) => {
    fakeServer(() => []);
    renderPart(<Desk left={left} />);
  };
  test("changes threshold, side and name; an empty name is not taken", async () => {
    show();
    expect(told()).toEqual(["Water", -17, "<"]);
    const value = screen.getByRole("textbox", { name: "Value" });
    await userEvent.clear(value);
    await userEvent.type(value, "-14,5{Enter}");
    await userEvent.click(screen.getByRole("radio", { name: "above" }));
    const called = screen.getByRole("textbox", { name: "Called" });
    await userEvent.clear(called);
    await userEvent.type(called, "{Enter}");
    expect(told()).toEqual(["Water", -14.5, ">"]);
    await userEvent.type(called, " Bright {Enter}");
    expect(told()).toEqual(["Bright", -14.5, ">"]);
  });
  test("names the first dates that are left out, and counts them all", () => {
    const left = ["a", "b", "c", "d"].map((name) => ({
      sceneId: name,
      name,
      reason: "other bands",
    }));
    show(left);
    expect(
      screen.getByText(
        "4 dates are left out: a (other bands); b (other bands); c (other bands) ….",
      ),
    ).toBeTruthy();
  });
});
