import { LONLAT, transformer, utm } from "../geodesy/crs";
import type { ImageInfo } from "../graph/image";
import { type NodeSpec, node, sourceNode } from "../graph/node";
import { northUp, toMap } from "../grid/grid";
import { nativeCellM, proposeGrid } from "./proposeGrid";
import { CHAIN_SCHEMAS, checkedExceptions, keysOf, settingsOf } from "./family";
import type { RadarScene } from "./radar/family";
import { RADAR_STEPS, type RadarChain } from "./radar/steps";
import { chainNodes, floodChain, sceneNodes } from "./radarChain";

const grid = northUp(utm(27, true), 490000, 5180000, 10, 10, 120, 100);
const sensor = {
  mission: "T",
  mode: "IW",
  pass: "descending",
  look: "right",
  wavelengthM: 0.05,
  orbit: [],
  orbitSource: "annotation",
  firstLineT: 0,
  lineIntervalS: 0.001,
  sampleSpacingM: 10,
  lineSpacingM: 10,
  groundRange: [],
  lines: 10,
  samples: 10,
} as const;
const info: ImageInfo = {
  grid: {
    crs: { code: "SENSOR:x", proj4: "SENSOR:x" },
    transform: [0, 1, 0, 0, 0, 1],
    width: 10,
    height: 10,
  },
  type: "float32",
  bands: [{ name: "amplitude VV", unit: "DN", role: "amplitude", polarisation: "VV" }],
  sensor: sensor as never,
};
const elevation = {
  imageId: "z",
  info: {
    grid,
    type: "float32" as const,
    bands: [{ name: "z", unit: "m", role: "elevation" as const }],
  },
};
const scene = (id: string, orbit = true, z: RadarScene["elevation"] = elevation): RadarScene => ({
  id,
  imageId: `i-${id}`,
  info,
  orbit: orbit ? { kind: "precise", vectors: [] } : null,
  elevation: z,
});
const chain = floodChain(grid, {
  elevationId: "00000000-0000-4000-8000-000000000001",
  looks: 4.37,
  rangeLooks: 1,
  azimuthLooks: 1,
});
const withStep = <S extends keyof RadarChain>(s: S, value: Partial<RadarChain[S]>): RadarChain => ({
  ...chain,
  [s]: { ...chain[s], ...value },
});
const steps = (n: NodeSpec): string[] => [...n.inputs.slice(0, 1).flatMap(steps), n.step];

describe("study grid", () => {
  test("takes the zone of the middle, the cells that are given, and whole multiples for its corners", () => {
    const coarse = proposeGrid(
      [
        [-21.1, -43.66],
        [-20.85, -43.66],
        [-20.85, -43.56],
        [-21.1, -43.56],
      ],
      20,
    );
    expect(coarse.crs.code).toBe("EPSG:32727");
    expect([coarse.transform[1], coarse.transform[5]]).toEqual([20, -20]);
    expect(coarse.transform[0] % 20).toBe(0);
    expect(coarse.transform[3] % 20).toBe(0);
  });
  test("holds every point it was made for, and no more than a cell beside them", () => {
    const points: [number, number][] = [
      [8.3, 47.2],
      [8.9, 47.5],
      [8.6, 47.05],
    ];
    const coarse = proposeGrid(points, 30);
    const pointTransform = transformer(LONLAT, coarse.crs);
    const xy = points.map((point) => pointTransform(...point));
    const [x0, y0] = toMap(coarse, 0, 0);
    const [x1, y1] = toMap(coarse, coarse.width, coarse.height);
    expect(coarse.crs.code).toBe("EPSG:32632");
    expect(Math.min(...xy.map((point) => point[0])) - x0).toBeGreaterThanOrEqual(0);
    expect(Math.min(...xy.map((point) => point[0])) - x0).toBeLessThan(30);
    expect(x1 - Math.max(...xy.map((point) => point[0]))).toBeLessThan(30);
    expect(y0 - Math.max(...xy.map((point) => point[1]))).toBeLessThan(30);
    expect(Math.min(...xy.map((point) => point[1])) - y1).toBeLessThan(30);
  });
  test("two studies of one place share their cells", () => {
    const a = proposeGrid(
      [
        [-21, -43.6],
        [-20.9, -43.5],
      ],
      20,
    );
    const b = proposeGrid(
      [
        [-20.97, -43.58],
        [-20.8, -43.4],
      ],
      20,
    );
    expect(Math.abs(a.transform[0] - b.transform[0]) % 20).toBe(0);
    expect(Math.abs(a.transform[3] - b.transform[3]) % 20).toBe(0);
  });
  test("native cells: the coarser of the two directions, in whole metres", () => {
    expect(nativeCellM(10, 10, 1, 1)).toBe(10);
    expect(nativeCellM(10, 10, 4, 1)).toBe(40);
    expect(nativeCellM(2.3, 14.1, 1, 1)).toBe(15);
  });
});

describe("settings", () => {
  test("the flood chain passes its own schema, with and without elevation", () => {
    expect(CHAIN_SCHEMAS.radar.validateSync(chain, { strict: true })).toEqual(chain);
    const flat = floodChain(grid, {
      elevationId: null,
      looks: 4.4,
      rangeLooks: 2,
      azimuthLooks: 2,
    });
    expect(CHAIN_SCHEMAS.radar.validateSync(flat, { strict: true })).toEqual(flat);
    expect([flat.flatten.on, flat.calibrate.to, flat.looks.on]).toEqual([false, "gamma", true]);
    expect([chain.flatten.on, chain.calibrate.to, chain.speckle.looks]).toEqual([
      true,
      "beta",
      4.4,
    ]);
  });
  test("a study grid may be in a system whose accuracy is stated, not known, or in a file's own", () => {
    for (const accuracy of [2, null]) {
      const crs = { code: `own: ${"long ".repeat(20)}`, proj4: "+proj=tmerc +lon_0=-2", accuracy };
      const looks = { looks: 4.4, rangeLooks: 2, azimuthLooks: 2 };
      const abroad = floodChain({ ...grid, crs }, { elevationId: null, ...looks });
      expect(CHAIN_SCHEMAS.radar.validateSync(abroad, { strict: true })).toEqual(abroad);
    }
  });

  test("an exception changes one date alone", () => {
    const exceptions = { a: { speckle: { on: true, filter: "median" as const } } };
    expect(settingsOf(RADAR_STEPS, chain, exceptions, "a").speckle).toEqual({
      ...chain.speckle,
      on: true,
      filter: "median",
    });
    expect(settingsOf(RADAR_STEPS, chain, exceptions, "b")).toEqual(chain);
  });
  test.each([
    ["a list", [], /by scene/],
    ["a step that is none", { a: { sharpen: { on: true } } }, /no step called "sharpen"/],
    ["a value out of range", { a: { looks: { rangeLooks: 99 } } }, /rangeLooks/],
    ["a grid of its own", { a: { terrain: { grid } } }, /grid of its own/],
  ])("exceptions that make no sense are refused: %s", (_n, given, reason) => {
    expect(() => checkedExceptions("radar", chain, given)).toThrow(reason);
  });
  test("exceptions that do are handed back", () => {
    const given = { a: { noise: { on: false } } };
    expect(checkedExceptions("radar", chain, given)).toBe(given);
  });
});

describe("nodes of a scene", () => {
  test("one cell a step, each beginning where the last ended", () => {
    const cells = sceneNodes(scene("a"), chain);
    expect(cells.map((chainCell) => chainCell.step)).toEqual(keysOf("radar").slice(0, 7));
    expect(
      cells.filter((chainCell) => chainCell.skipped).map((chainCell) => chainCell.step),
    ).toEqual(["looks", "speckle"]);
    for (let k = 1; k < cells.length; k++) {
      expect(cells[k]!.input).toEqual(cells[k - 1]!.output);
    }
    expect(steps(cells.at(-1)!.output)).toEqual([
      "source",
      "radar.orbit",
      "radar.calibrate",
      "radar.flatten",
      "radar.terrain",
    ]);
  });
  test("noise leaves with calibration, in one pass over the numbers", () => {
    const cells = sceneNodes(scene("a"), chain);
    const calibrated = cells.find((chainCell) => chainCell.step === "calibrate")!.output;
    expect(calibrated.params).toEqual({ to: "beta", removeNoise: true, polarisations: null });
    expect(calibrated.inputs[0]!.step).toBe("radar.orbit");
    const without = sceneNodes(scene("a"), withStep("noise", { on: false })).find(
      (chainCell) => chainCell.step === "calibrate",
    )!.output;
    expect(without.params.removeNoise).toBe(false);
  });
  test("without an orbit file the step warns and changes nothing", () => {
    const orbit = sceneNodes(scene("a", false), chain)[0]!;
    expect([orbit.skipped, orbit.output]).toEqual([false, sourceNode("i-a")]);
    expect(orbit.warnings[0]).toMatch(/no orbit file/);
  });
  test("each filter becomes its own step", () => {
    const of = (filter: RadarChain["speckle"]["filter"]) =>
      sceneNodes(
        scene("a"),
        withStep("speckle", { on: true, filter, windowCells: 5, looks: 3 }),
      ).find((chainCell) => chainCell.step === "speckle")!.output;
    expect(of("refinedLee")).toMatchObject({ step: "radar.refinedLee", params: { looks: 3 } });
    expect(of("lee")).toMatchObject({ step: "radar.lee", params: { windowCells: 5, looks: 3 } });
    expect(of("gammaMap")).toMatchObject({
      step: "radar.gammaMap",
      params: { windowCells: 5, looks: 3 },
    });
    expect(of("mean")).toMatchObject({ step: "radar.mean", params: { windowCells: 5 } });
    expect(of("median")).toMatchObject({ step: "radar.median", params: { windowCells: 5 } });
  });
  test("flattening without elevation is refused; terrain without it warns", () => {
    expect(() => sceneNodes(scene("a", true, null), chain)).toThrow(/Flatten needs elevation/);
    const cells = sceneNodes(scene("a", true, null), withStep("flatten", { on: false }));
    expect(cells.at(-1)!.output.inputs).toHaveLength(1);
    expect(cells.at(-1)!.warnings[0]).toMatch(/no elevation/);
  });
  test("elevation that ends, lies elsewhere, or is not used is said with its share", () => {
    const said = (cover: number | null, outside: "seaLevel" | "nodata" = "seaLevel") =>
      sceneNodes(scene("a", true, { ...elevation, cover }), withStep("flatten", { outside })).find(
        ({ step }) => step === "flatten",
      )!.warnings;
    expect([said(null), said(1), said(0.999)]).toEqual([[], [], []]);
    expect(said(0.524)[0]).toMatch(/^The elevation covers 52 % of .* at sea level/);
    expect(said(0.003, "nodata")[0]).toMatch(/lies elsewhere: it covers nothing .* nodata\.$/);
    const unused: RadarScene = { ...scene("a", true, null), unusedElevation: "Heights" };
    const off = sceneNodes(unused, withStep("flatten", { on: false }));
    expect(off.find(({ step }) => step === "flatten")!.warnings).toEqual([
      "There is elevation now: Heights. Flatten can run.",
    ]);
    expect(off.at(-1)!.warnings[0]).toMatch(/Pick Heights in Terrain\.$/);
  });
  test("an orbit file with a gap is named, and the product's own orbit is used", () => {
    const broken: RadarScene = { ...scene("a", false), brokenOrbits: ["one.EOF"] };
    const [orbit] = sceneNodes(broken, chain);
    expect(orbit!.output).toEqual(sourceNode("i-a"));
    expect(orbit!.warnings[0]).toMatch(/^one\.EOF has a gap at the time of this scene/);
  });
});

describe("nodes of all scenes", () => {
  const all = (radarChain: RadarChain) =>
    chainNodes(["a", "b", "c"].map((id) => ({ scene: scene(id), settings: radarChain })));
  test("across dates takes every scene in order, and each its own place among them", () => {
    const n = all(withStep("acrossDates", { on: true, windowCells: 5 }));
    const chainResult = n.get("b")!;
    expect(chainResult.result).toMatchObject({
      step: "radar.acrossDates",
      params: { index: 1, windowCells: 5 },
    });
    expect(chainResult.result.inputs).toEqual(
      ["a", "b", "c"].map(
        (id) => n.get(id)!.cells.find((chainCell) => chainCell.step === "terrain")!.output,
      ),
    );
  });
  test("a date alone cannot be smoothed by others", () => {
    const chainResult = chainNodes([
      { scene: scene("a"), settings: withStep("acrossDates", { on: true }) },
    ]).get("a")!;
    const cell = chainResult.cells.find((chainCell) => chainCell.step === "acrossDates")!;
    expect([cell.skipped, cell.warnings[0]]).toEqual([
      true,
      expect.stringMatching(/two dates or more/),
    ]);
  });
  test("decibels are for the result; what is compared stays power", () => {
    const chainResult = all(withStep("decibel", { on: true })).get("a")!;
    expect(chainResult.cells.at(-1)!.output).toEqual(node("radar.decibel", {}, chainResult.result));
    expect(chainResult.result.step).toBe("radar.terrain");
  });
  test("one scene that is refused leaves the others alone", () => {
    const n = chainNodes([
      { scene: scene("a", true, null), settings: chain },
      { scene: scene("b"), settings: chain },
    ]);
    expect(n.get("a")!.error?.message).toMatch(/Flatten needs elevation/);
    expect(n.get("b")!.error).toBeNull();
  });
});
