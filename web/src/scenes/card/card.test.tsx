/** @jest-environment jsdom */
import { cleanup, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { utm } from "@hindglance/core/geodesy/crs";
import { emptyHistogram } from "@hindglance/core/raster/histogram";
import type { Scene } from "../../api/types";
import { RAMPS } from "../../map/ramps";
import { type Asked, fakeServer, pickOption, renderPart } from "../../testing/page";
import { aBand, aScene, aStudy, anImage } from "../../testing/things";
import { type Display, firstDisplay } from "../display";
import { BandChoice } from "./BandChoice";
import { BreakPoints } from "./BreakPoints";
import { answersSaid } from "../answers";
import { BandTable } from "./BandTable";
import { Colours } from "./Colours";
import { SceneCard } from "./SceneCard";
import { VerticalField } from "./VerticalField";
import { extended, firstBreaks, moved, renamed, without } from "./breaks";
import { factsOf } from "./facts";
import { axisOf, figuresOf } from "./figures";
import { pairWarnings } from "./pairWarnings";

const three = { at: [0.1, 0.3], names: ["Low", "Middle", "High"] };

describe("break points", () => {
  test("stay in order when one is moved past another", () => {
    expect(moved(three, 0, 0.5).at).toEqual([0.3, 0.5]);
  });
  test("lose their upper end with their class, the last class its lower end", () => {
    expect(without(three, 0)).toEqual({ at: [0.3], names: ["Middle", "High"] });
    expect(without(three, 2)).toEqual({ at: [0.1], names: ["Low", "Middle"] });
  });
  test("have one name more than values, whatever is done to them", () => {
    for (const breaks of [renamed(three, 1, "New"), extended(three), without(three, 1)]) {
      expect(breaks.names).toHaveLength(breaks.at.length + 1);
    }
    expect(renamed(three, 1, "New").names).toEqual(["Low", "New", "High"]);
    expect(extended(three)).toEqual({
      at: [0.1, 0.3, 0.4],
      names: ["Low", "Middle", "High", "Class 4"],
    });
  });
  test("begin in the middle of the stretch where nothing is usual for the band", () => {
    const histogram = emptyHistogram(0, 10, 100);
    histogram.counts.fill(1);
    const scene = aScene({
      info: anImage({ bands: [aBand({ name: "x" })] }),
      histograms: [histogram],
    });
    expect(firstBreaks(scene, firstDisplay(scene))).toEqual({ at: [5], names: ["Low", "High"] });
  });
  test("are edited in place: name, value, fewer, more", async () => {
    const changed: (typeof three)[] = [];
    renderPart(
      <BreakPoints breaks={three} ramp={RAMPS[0]!} onChange={(next) => changed.push(next)} />,
    );
    await userEvent.type(screen.getByLabelText("Name of class 2"), "s");
    await userEvent.click(screen.getByRole("button", { name: "Remove High" }));
    await userEvent.click(screen.getByRole("button", { name: "Class" }));
    const field = screen.getByLabelText("Break point 1");
    await userEvent.clear(field);
    await userEvent.type(field, "0.2{Enter}");
    expect(changed.map(({ names, at }) => `${names.join()} ${at.join()}`)).toEqual([
      "Low,Middles,High 0.1,0.3",
      "Low,Middle 0.1",
      "Low,Middle,High,Class 4 0.1,0.3,0.4",
      "Low,Middle,High 0.2,0.3",
    ]);
  });
});

const spoken = (scene: Scene) =>
  Object.fromEntries(factsOf(scene, 0).filter(([name]) => name !== ""));

describe("what a file says", () => {
  test("of a raster: kind, time, cells, looks; what is not known is left out", () => {
    const facts = spoken(
      aScene({
        acquiredAt: "2025-05-02T18:41:00Z",
        fileName: "may.tif",
        info: anImage(),
        looks: [4.42],
        detail: { items: { PASS: "descending" } },
      }),
    );
    expect(facts).toMatchObject({
      Kind: "Radar",
      Taken: "2 May 2025, 18:41 UTC",
      Pass: "descending",
      Size: "10 × 10 cells of 0.01000°",
      Looks: "about 4.4, from even ground",
      File: "may.tif",
    });
    expect(Object.keys(facts)).not.toContain("Mission");
  });
  test("of optical bands: level, sun, cloud", () => {
    const facts = spoken(
      aScene({
        kind: "optical",
        acquiredAt: "2025-02-15T10:00:00Z",
        info: anImage(),
        detail: {
          form: "stack",
          level: 2,
          mission: "HELIO2",
          sunElevationDeg: 51.24,
          sunAzimuthDeg: 60.1,
          cloudCoverPercent: 12.4,
          product: "P",
        },
      }),
    );
    expect(facts).toMatchObject({
      Kind: "Optical bands, level 2",
      Sun: "51.2° high, azimuth 60°",
      Cloud: "12 % by the metadata",
    });
  });
  test("files that were read beside an image are named with it; joined images are not beside", () => {
    const part = (name: string) => ({ name, sha256: "0", size: 1 });
    const withParts = (fileName: string, ...names: string[]) =>
      spoken(aScene({ fileName, detail: { parts: names.map(part) }, info: anImage() })).With;
    expect(withParts("a.tif", "a.tif", "a.tif.msk", "a.prj")).toBe("a.tif.msk, a.prj");
    expect(withParts("a.tif and 1 more", "a.tif", "b.tif")).toBeUndefined();
    expect(withParts("a.tif")).toBeUndefined();
  });
  test("of a radar product: pass, spacing, incidence, and what is kept of it", () => {
    const facts = spoken(
      aScene({
        info: anImage(),
        fileName: "p.zip",
        detail: {
          form: "product",
          start: "2025-05-02T18:41:00.123Z",
          stop: "2025-05-02T18:41:25.500Z",
          mission: "LANTERN1",
          mode: "IW",
          pass: "ascending",
          look: "right",
          polarisations: ["VV", "VH"],
          sampleSpacingM: 10,
          lineSpacingM: 10,
          incidenceDeg: [30.1, 46.2],
          samples: 4000,
          lines: 3000,
          leftOut: "most",
        },
      }),
    );
    expect(facts).toMatchObject({
      Taken: "2025-05-02, 18:41:00.123 to 18:41:25.500 UTC",
      Pass: "ascending, looks right",
      Polarisations: "VV, VH",
      Incidence: "30.1 to 46.2°",
    });
    expect(facts.Size).toMatch(/10 × 10 kept$/);
  });
});

describe("figures of a band", () => {
  const statistics = { cells: 4, valid: 3, min: 0.01, max: 1, sum: 1.11, sumSquares: 1.0101 };
  test("of power are decibels", () => {
    const scene = aScene({ info: anImage(), statistics: [statistics] });
    const figures = Object.fromEntries(figuresOf(scene, 0));
    expect(figures.min).toBe("−20.0 dB");
    expect(figures.max).toBe("0.0 dB");
    expect(figures.valid).toBe("75.0 %");
    expect(axisOf(scene.info!, 0)).toEqual({ unit: "dB", decimals: 1 });
  });
  test("of digital numbers with gains are reflectance", () => {
    const band = aBand({ role: "dn", unit: "DN", gain: { multiply: 1e-4, add: -0.1 } });
    const info = anImage({
      bands: [band],
      optical: { level: 2, sunElevationDeg: null, sunAzimuthDeg: null },
    });
    const scene = aScene({ info, statistics: [{ ...statistics, min: 1500, max: 4000 }] });
    expect(Object.fromEntries(figuresOf(scene, 0))).toMatchObject({ min: "0.050", max: "0.300" });
    expect(axisOf(info, 0).unit).toBe("surface reflectance");
  });
  test("are not there where nothing was measured", () => {
    expect(figuresOf(aScene({ info: anImage() }), 0)).toEqual([]);
  });
});

describe("bands that are drawn", () => {
  const bands = ["B02", "B03", "B04"].map((name, k) =>
    aBand({ name, role: "reflectance", wavelengthNm: [492, 560, 665][k] }),
  );
  const scene = aScene({ kind: "optical", info: anImage({ bands }) });
  const show = (display: Display) => {
    const chosen: Display[] = [];
    renderPart(
      <BandChoice scene={scene} display={display} band={0} onDisplay={(one) => chosen.push(one)} />,
    );
    return chosen;
  };
  test("are three where they make natural colour, and a ready combination is pressed then", async () => {
    const chosen = show(firstDisplay(scene));
    const ready = screen.getByRole("group", { name: "Ready combinations" });
    const natural = within(ready).getByRole("button", { name: "Natural" });
    expect(natural.getAttribute("aria-pressed")).toBe("true");
    await userEvent.click(natural);
    expect(chosen[0]).toMatchObject({ mode: "three", bands: [2, 1, 0] });
  });
  test("of one show that band alone", () => {
    show({ ...firstDisplay(scene), mode: "single" });
    expect(screen.getByRole("combobox", { name: "Band" }).textContent).toContain("B02");
    expect(screen.queryByRole("combobox", { name: "Red" })).toBeNull();
  });
  test("are listed with their wavelengths and files", () => {
    const files = bands.map(({ name }) => ({ band: name, file: `${name}.jp2`, cellM: 10 }));
    renderPart(<BandTable scene={{ ...scene, detail: { bandFiles: files } }} />);
    expect(screen.getByRole("row", { name: "B03 560 10 B03.jp2" })).toBeTruthy();
  });
});

describe("colours", () => {
  const scene = aScene({ info: anImage({ bands: [aBand({ name: "NDVI", role: "value" })] }) });
  test("of a single band can be break points, which begin as is usual for the band", async () => {
    const chosen: Display[] = [];
    renderPart(
      <Colours scene={scene} display={firstDisplay(scene)} onDisplay={(one) => chosen.push(one)} />,
    );
    await userEvent.click(screen.getByRole("button", { name: "Break points" }));
    expect(chosen[0]!.breaks!.names.length).toBe(chosen[0]!.breaks!.at.length + 1);
    await userEvent.click(screen.getByRole("radio", { name: "View" }));
    expect(chosen[1]!.by).toBe("view");
    const gamma = screen.getByLabelText("Gamma");
    await userEvent.clear(gamma);
    await userEvent.type(gamma, "9{Enter}");
    expect(screen.getByRole("alert").textContent).toBe("A number from 0.2 to 5.0");
    expect(chosen).toHaveLength(2);
  });
});

test("a date that cannot be compared with the chosen ones says why", () => {
  const study = aStudy({ compare: { beforeId: "b", afterId: "a", setup: null } });
  const date = (id: string, day: string, pass: string) =>
    aScene({ id, acquiredAt: `2025-05-${day}T00:00:00Z`, detail: { pass } });
  const before = date("b", "02", "descending");
  const other = date("x", "03", "ascending");
  const scenes = [before, date("a", "14", "descending"), other];
  const warnings = pairWarnings(study, scenes, other);
  expect(warnings.some((one) => one.startsWith("With before, 2 May 2025: "))).toBe(true);
  expect(warnings.some((one) => one.startsWith("With after, 14 May 2025: "))).toBe(true);
  expect(pairWarnings(study, scenes, { ...other, kind: "elevation" })).toEqual([]);
});

describe("what heights are counted from", () => {
  const show = (vertical?: "egm96", answer: (asked: Asked) => unknown = () => ({})) => {
    const asked = fakeServer(answer);
    const band = aBand({
      name: "z",
      unit: "m",
      role: "elevation",
      ...(vertical ? { vertical } : {}),
    });
    renderPart(<VerticalField scene={aScene({ info: anImage({ bands: [band] }) })} />);
    return asked;
  };
  const changes = (asked: readonly Asked[]) =>
    asked.filter(({ method }) => method === "PATCH").map(({ body }) => body);
  test("is changed at once; where it is not known, what follows from that is said", async () => {
    const asked = show();
    expect(screen.getByText(/lie off by up to 100 m if that is wrong/)).toBeTruthy();
    await pickOption("Heights are counted from", "Sea level, EGM2008");
    await waitFor(() => expect(changes(asked)).toEqual([{ vertical: "egm2008" }]));
  });
  test("is questioned where the sea of the elevation says otherwise", async () => {
    show("egm96", ({ method }) =>
      method === "GET" ? { doubt: "The sea lies at 20 m. Say which in Scenes." } : {},
    );
    expect(await screen.findByText("The sea lies at 20 m. Say which in Scenes.")).toBeTruthy();
  });
  test("can be unknown again", async () => {
    const asked = show("egm96");
    expect(screen.queryByText(/lie off by up to 100 m/)).toBeNull();
    await pickOption("Heights are counted from", "Not known");
    await waitFor(() => expect(changes(asked)).toEqual([{ vertical: null }]));
  });
});

describe("the card", () => {
  const shown = (scene: Scene) => {
    fakeServer(() => []);
    const display = firstDisplay(scene);
    renderPart(
      <SceneCard
        {...{ scene, display }}
        study={aStudy()}
        scenes={[scene]}
        onDisplay={() => undefined}
      />,
    );
  };

  test("says what was said at the import, each answer in words", () => {
    const answers = {
      kind: "radar",
      polarisations: ["VV", null],
      units: ["power", "dB"],
      vertical: null,
      epsg: 32727,
      rescale: { scale: 0.0001, offset: 0, fill: -3000 },
      rounded: { value: 16_777_217, becomes: 16_777_216 },
      cellM: 20,
      bring: true,
    };
    expect(answersSaid(answers)).toEqual([
      ["Kind", "Radar"],
      ["Polarisations", "VV, as in the file"],
      ["Units", "linear power, dB"],
      ["Heights above", "Not known"],
      ["System", "EPSG:32727"],
      ["Numbers", "× 0.0001 + 0, −3000 is none"],
      ["Rounded", "to 32 bits, such as 16777217 to 16777216"],
      ["Cells", "those of 20 m"],
      ["Other bands", "brought to these cells"],
    ]);
    shown(aScene({ info: anImage(), detail: { answers: { epsg: 32727 } } }));
    expect(screen.getByText("Said at import")).toBeTruthy();
    expect(screen.getByText("EPSG:32727")).toBeTruthy();
  });

  test("warns where the position is worse than half a cell, and not where it is better", () => {
    const crs = { ...utm(30, false), code: "EPSG:27700", name: "A grid", accuracy: 2 };
    const of = (cell: number) =>
      aScene({
        info: anImage({ grid: { ...anImage().grid, crs, transform: [0, cell, 0, 0, 0, -cell] } }),
      });
    shown(of(1));
    expect(screen.getByText(/position may be off by 2 m, and cells are 1 m/)).toBeTruthy();
    cleanup();
    shown(of(10));
    expect(screen.queryByText(/may be off/)).toBeNull();
  });
});
