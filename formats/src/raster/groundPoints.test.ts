import { thinned } from "@hindglance/core/align/groundPoint";
import { MemorySource } from "../source";
import { type Flavour, at, buildTiff } from "../testing/buildTiff";
import { intoImage, pointsOf, rationalFrom } from "./rational";
import { readRational } from "./rationalText";
import { openTiff } from "../tiff/readTiff";

type Extra = NonNullable<Flavour["extra"]>;
const open = (extra: Extra) =>
  openTiff(new MemorySource(buildTiff({ width: 120, height: 90, value: (c) => c, extra })));

/** Longitude and latitude, a cell named by its corner (1) or its centre (2). */
const lonLatKeys = (raster: 1 | 2): Extra => [
  [34735, 3, [1, 1, 0, 3, 1024, 0, 1, 2, 1025, 0, 1, raster, 2048, 0, 1, 4326]],
];
const PLACES = [
  [0, 0],
  [120, 0],
  [120, 90],
  [0, 90],
] as const;
/** Where a column and a row lie, by a turned map. */
const placeOf = (col: number, row: number): [number, number] => [
  -21 + 0.0003 * col + 0.00001 * row,
  -43.5 - 0.0002 * row + 0.00002 * col,
];
const TIES: Extra = [
  [33922, 12, PLACES.flatMap(([col, row]) => [col, row, 0, ...placeOf(col, row), 0])],
];

describe("control points in a TIFF", () => {
  test("are places on the ground, counted from the corner of the first cell", async () => {
    const image = await open([...lonLatKeys(1), ...TIES]);
    expect(image.grid).toBeNull();
    expect(image.noPosition!.message).toBe("The file has 4 control points instead of a grid");
    expect(image.groundPoints).toEqual(
      PLACES.map(([col, row]) => ({ from: [col, row], to: placeOf(col, row) })),
    );
  });
  test("that name centres are moved by half a cell", async () => {
    const image = await open([...lonLatKeys(2), ...TIES]);
    expect(image.groundPoints!.map(({ from }) => from)).toEqual(
      PLACES.map(([col, row]) => [col + 0.5, row + 0.5]),
    );
  });
  test("in no known system are none; an image with a grid has none", async () => {
    expect((await open(TIES)).groundPoints).toEqual([]);
    expect((await open([...lonLatKeys(1), ...at(-21, -43, 0.01)])).groundPoints).toEqual([]);
  });
  test("are thinned out evenly where they are many", () => {
    const many = Array.from({ length: 1001 }, (_v, k) => ({
      from: [k, k] as [number, number],
      to: [0, 0] as [number, number],
    }));
    const left = thinned(many);
    expect(left.length).toBeLessThanOrEqual(200);
    expect(left.map(({ from }) => from[0]).slice(0, 3)).toEqual([0, 6, 12]);
    expect(thinned(many.slice(0, 7))).toHaveLength(7);
  });
});

/** Twenty factors of which some are not 0. */
const factors = (some: Record<number, number>): number[] =>
  Array.from({ length: 20 }, (_v, k) => some[k] ?? 0);
/** Line, sample, latitude, longitude, height. */
const OFFSETS = [45, 60, -43.6, -20.9, 120];
const SCALES = [46, 61, 0.01, 0.015, 300];
const numbers = (line: number[], lineBelow: number[], sample: number[], sampleBelow: number[]) => [
  ...[0, 0, ...OFFSETS, ...SCALES],
  ...[...line, ...lineBelow, ...sample, ...sampleBelow],
];
const ONE = factors({ 0: 1 });
/** Lines go south, samples go east, and height moves both a little. */
const STRAIGHT = numbers(factors({ 2: -1, 3: 0.02 }), ONE, factors({ 1: 1, 3: -0.01 }), ONE);

describe("a rational polynomial in a TIFF", () => {
  test("that is straight gives the places that follow by hand", async () => {
    const image = await open([[50844, 12, STRAIGHT]]);
    expect(image.noPosition!.message).toBe("The file has a rational polynomial instead of a grid");
    expect(image.groundPoints).toHaveLength(49);
    // At the middle height both heights are 0: sample = 60 + 61 (lon + 20.9)/0.015 − ½.
    image.groundPoints!.forEach(({ from: [col, row], to: [lon, lat] }) => {
      expect(lon).toBeCloseTo(-20.9 + (0.015 * (col - 0.5 - 60)) / 61, 9);
      expect(lat).toBeCloseTo(-43.6 - (0.01 * (row - 0.5 - 45)) / 46, 9);
    });
  });
  test("that bends leads back into the image at each of its places", () => {
    const bent = numbers(
      factors({ 0: 0.01, 2: -1, 4: 0.03, 8: 0.02, 15: 0.01 }),
      factors({ 0: 1, 1: 0.02, 7: -0.01 }),
      factors({ 1: 1, 2: 0.05, 7: 0.02, 12: 0.01 }),
      factors({ 0: 1, 2: -0.02, 5: 0.01 }),
    );
    const model = rationalFrom(bent)!;
    const points = pointsOf(model, 120, 90);
    expect(points).toHaveLength(49);
    points.forEach(({ from: [col, row], to: [lon, lat] }) => {
      const [sample, line] = intoImage(model, lon, lat, 120);
      expect(Math.hypot(sample + 0.5 - col, line + 0.5 - row)).toBeLessThan(1e-3);
    });
  });
  test("of nonsense gives no places", async () => {
    expect(rationalFrom(STRAIGHT.slice(0, 90))).toBeNull();
    expect(rationalFrom(STRAIGHT.map((value, k) => (k === 9 ? 0 : value)))).toBeNull();
    const flat = numbers(ONE, ONE, ONE, ONE);
    expect((await open([[50844, 12, flat]])).groundPoints).toEqual([]);
  });
});

describe("a rational polynomial in a text", () => {
  const list = (k: number) => STRAIGHT.slice(12 + k * 20, 32 + k * 20);
  const NAMES = ["line", "samp", "lat", "long", "height"];
  test("of one number a line is the one in a TIFF", () => {
    const polynomials = ["LINE_NUM", "LINE_DEN", "SAMP_NUM", "SAMP_DEN"];
    const lines = [
      ...NAMES.map((name, k) => `${name.toUpperCase()}_OFF: ${OFFSETS[k]} pixels`),
      ...NAMES.map((name, k) => `${name.toUpperCase()}_SCALE: ${SCALES[k]} degrees`),
      ...polynomials.flatMap((name, k) =>
        list(k).map((value, term) => `${name}_COEFF_${term + 1}: ${value.toExponential(15)}`),
      ),
    ];
    expect(readRational(lines.join("\r\n"), "a_RPC.TXT")).toEqual(rationalFrom(STRAIGHT));
  });
  test("of lists in brackets is the same", () => {
    const polynomials = ["lineNum", "lineDen", "sampNum", "sampDen"];
    const lines = [
      ...NAMES.map((name, k) => `\t${name}Offset = ${OFFSETS[k]};`),
      ...NAMES.map((name, k) => `\t${name}Scale = ${SCALES[k]};`),
      ...polynomials.map((name, k) => `\t${name}Coef = (\n\t\t${list(k).join(",\n\t\t")});`),
    ];
    const text = ['satId = "XX";', "BEGIN_GROUP = IMAGE", ...lines, "END_GROUP = IMAGE", "END;"];
    expect(readRational(text.join("\n"), "a.RPB")).toEqual(rationalFrom(STRAIGHT));
  });
});
