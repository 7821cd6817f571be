import { utm } from "../geodesy/crs";
import { Evaluator } from "../graph/evaluator";
import type { BandInfo, ImageInfo } from "../graph/image";
import { northUp } from "../grid/grid";
import { memorySources } from "../testing/support";
import { emptyValueSetup } from "./defaults";
import { losses } from "./measures/indexLoss";
import { relativeLosses } from "./measures/relativeLoss";
import { buildChange } from "./build";
import { changeSetupSchema, sameBand } from "./setup";
import { sourceNode } from "../graph/node";
import { measuresOf } from "./measures/all";
import { usualBands } from "./bands";
import { gainLossRules, severityRules } from "./presets";

const grid = northUp(utm(27, true), 500000, 5170000, 30, 30, 6, 1);
const band = (name: string, more: Partial<BandInfo> = {}): BandInfo => ({
  name,
  unit: "",
  role: "value",
  ...more,
});
const nir = band("B5", { role: "reflectance", wavelengthNm: 865 });
const info = (bands: BandInfo[]): ImageInfo => ({ grid, type: "float32", bands });

test("loss of an index by hand: dNBR, and RdNBR beside what was there", () => {
  const b = Float32Array.of(0.64, 0.25, -0.25, 0, NaN, 0.5);
  const a = Float32Array.of(0.1, 0.3, -0.5, 0.1, 0.1, NaN);
  const out = new Float32Array(6);
  const close = (want: number[]) =>
    want.forEach((value, k) => {
      if (Number.isNaN(value)) {
        expect(out[k]).toBeNaN();
      } else {
        expect(out[k]).toBeCloseTo(value, 6);
      }
    });
  losses(b, a, out);
  close([0.54, -0.05, 0.25, -0.1, NaN, NaN]);
  relativeLosses(b, a, out);
  close([0.54 / 0.8, -0.05 / 0.5, 0.25 / 0.5, NaN, NaN, NaN]);
});
test("the same band of the other date: by wavelength and not by its place, by name, by polarisation", () => {
  const other = info([
    band("NBR"),
    band("B8A", { role: "reflectance", wavelengthNm: 865 }),
    band("B8", { role: "reflectance", wavelengthNm: 842 }),
  ]);
  expect([sameBand(nir, other), sameBand(band("NBR"), other)]).toEqual([1, 0]);
  expect(
    sameBand(
      { name: "x", unit: "", role: "power", polarisation: "VH" },
      info([
        { name: "a", unit: "", role: "power", polarisation: "VV" },
        { name: "b", unit: "", role: "power", polarisation: "VH" },
      ]),
    ),
  ).toBe(1);
  expect(() => sameBand(band("EVI"), other)).toThrow(/no band like EVI/);
  expect(() => sameBand({ ...nir, wavelengthNm: 1609 }, other)).toThrow(/no band like B5/);
});
test("a fire begins with dNBR and the published breaks, where something grew", async () => {
  const bands = [nir, band("NDVI"), band("NBR")];
  const setup = emptyValueSetup(bands, { hazard: "fire", hasStudyArea: false });
  expect([setup.band, setup.measure, setup.speckle.filter, setup.limits.maxSlopeDeg]).toEqual([
    2,
    "indexLoss",
    "none",
    null,
  ]);
  expect(changeSetupSchema.validateSync(setup, { strict: true })).toEqual(setup);
  const before = Float32Array.of(0.6, 0.6, 0.6, 0.6, 0.05, 0.3);
  const after = Float32Array.of(-0.1, 0.1, 0.25, 0.55, -0.7, 0.5);
  const zero = new Float32Array(6);
  const sources = memorySources({
    b: { info: info(bands), bands: [zero, zero, before] },
    a: { info: info([band("NBR")]), bands: [after] },
  });
  const changeNodes = buildChange(
    {
      before: { node: sourceNode("b"), info: info(bands) },
      after: { node: sourceNode("a"), info: info([band("NBR")]) },
      elevation: null,
      studyArea: null,
    },
    { ...setup, limits: { ...setup.limits, seenMarginCells: 0, minPatchCells: null } },
  );
  expect([
    ...(
      await new Evaluator({ sources }).read(changeNodes.classes, 0, {
        col: 0,
        row: 0,
        width: 6,
        height: 1,
      })
    ).bands[0]!,
  ]).toEqual([1, 2, 3, 0, 0, 5]);
  expect(severityRules()).toHaveLength(5);
});
test("measures fit the band; a log ratio of reflectance and a loss of decibels are refused", () => {
  expect([
    measuresOf(nir)[0],
    measuresOf(band("NBR"))[0],
    measuresOf({ name: "VV", unit: "", role: "power" }),
  ]).toEqual([
    "difference",
    "indexLoss",
    [
      "logRatio",
      "difference",
      "decibelQuotient",
      "changeVector",
      "changeDirection",
      "equalPower",
      "smallChanges",
      "noChange",
      "formula",
      "departure",
      "firstAway",
      "daysAway",
      "cameBack",
    ],
  ]);
  const side = { node: sourceNode("b"), info: info([nir]) };
  const setup = emptyValueSetup([nir], { hazard: "other", hasStudyArea: false });
  const build = (over: object) =>
    buildChange(
      { before: side, after: side, elevation: null, studyArea: null },
      { ...setup, ...over },
    );
  expect(() => build({ measure: "logRatio" })).toThrow(/radar power/);
  expect(() => build({ band: 4 })).toThrow(/no band 5/);
  expect(() =>
    buildChange(
      {
        before: {
          node: sourceNode("b"),
          info: info([{ name: "quality", unit: "", role: "quality" }]),
        },
        after: side,
        elevation: null,
        studyArea: null,
      },
      setup,
    ),
  ).toThrow(/cannot be compared/);
});
test("gain and loss lie on the sides that the measure gives them", () => {
  expect(
    gainLossRules(null, false, true).map((classRule) => [
      classRule.name,
      classRule.all[0]!.op,
      classRule.all[0]!.value,
    ]),
  ).toEqual([
    ["Loss", "<", -0.2],
    ["Gain", ">", 0.2],
  ]);
  expect(
    gainLossRules(null, true, true).map((classRule) => [
      classRule.name,
      classRule.all[0]!.op,
      classRule.all[0]!.value,
    ]),
  ).toEqual([
    ["Loss", ">", 0.2],
    ["Gain", "<", -0.2],
  ]);
});
test("bands that take part: a formula keeps its names while cells are grouped by reflectance", () => {
  const bands = [
    nir,
    band("B7", { role: "reflectance", wavelengthNm: 2201 }),
    band("NDVI"),
    band("NBR"),
  ];
  const side = { node: sourceNode("b"), info: info(bands) };
  const setup = emptyValueSetup(bands, { hazard: "fire", hasStudyArea: false });
  expect([
    usualBands(bands, 3, "measure"),
    usualBands(bands, 3, "groups"),
    usualBands(bands, 3, "formula"),
  ]).toEqual([
    [2, 3],
    [0, 1],
    [0, 1, 2, 3],
  ]);
  const groups = {
    of: "differences" as const,
    method: "kMeans" as const,
    groups: 2,
    seed: 1,
    splitSpread: 1,
    mergeDistance: 0.5,
    leastShare: 0.01,
    classes: [{ label: 1, name: "Burned", color: "#b8562f", groups: [1] }],
  };
  const changeNodes = buildChange(
    { before: side, after: side, elevation: null, studyArea: null },
    { ...setup, measure: "formula", formula: "before.NBR - after.NBR", groups },
  );
  expect(changeNodes.measure.params.names).toEqual(["B5", "B7", "NDVI", "NBR"]);
  expect(changeNodes.groups!.before.params).toEqual({ bands: [0, 1] });
});
