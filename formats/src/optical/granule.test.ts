import { describeScene, timeFrom } from "../scene/describe";
import type { OpenRaster } from "../raster/raster";
import { type GranuleSpec, granuleXml } from "../testing/buildGranule";
import type { FileSet } from "../zip";
import { looksLikeGranule, readGranule } from "./granule";

const spec: GranuleSpec = {
  level: "2A",
  name: "HEL_MSIL2A_X",
  time: "2025-02-27T13:24:41Z",
  mission: "HELIO-3",
  baseline: "05.11",
  quantity: 10_000,
  offset: -1000,
  epsg: 32727,
  ulx: 499500,
  uly: 5182000,
  width: 120,
  height: 60,
  sunZenithDeg: 40,
  sunAzimuthDeg: 55,
  bands: [
    { id: "B02", nm: 492.4 },
    { id: "B8A", nm: 864.7 },
  ],
};
function set(
  more: Partial<GranuleSpec> = {},
  images: string[] = [
    "R10m/T_B02_10m.jp2",
    "R20m/T_B02_20m.jp2",
    "R20m/T_B8A_20m.jp2",
    "R20m/T_SCL_20m.jp2",
    "R20m/T_AOT_20m.jp2",
  ],
  drop = "",
): FileSet {
  const granule = { ...spec, ...more };
  const xml = granuleXml(granule);
  const texts = new Map(
    [
      [`x.SAFE/MTD_MSIL${granule.level}.xml`, xml.product],
      ["x.SAFE/GRANULE/t/MTD_TL.xml", xml.tile],
    ].filter(([k]) => k !== drop) as [string, string][],
  );
  const files = [
    ...[...texts].map(([path, t]) => ({ path, size: t.length })),
    ...images.map((image) => ({ path: `x.SAFE/GRANULE/t/IMG_DATA/${image}`, size: 9 })),
  ];
  return {
    files,
    stream: async (path) =>
      (async function* () {
        yield new TextEncoder().encode(texts.get(path));
      })(),
  };
}

test("level 2A: bands by wavelength and cell, gains with the offset of the baseline, sun, places", async () => {
  const granule = await readGranule(set());
  expect(looksLikeGranule(set())).toBe(true);
  expect(granule).toMatchObject({
    product: "HEL_MSIL2A_X",
    mission: "HELIO-3",
    level: 2,
    baseline: "05.11",
    acquiredAt: "2025-02-27T13:24:41Z",
    sunElevationDeg: 50,
    sunAzimuthDeg: 55,
    cloudCoverPercent: 0,
  });
  expect(
    granule.bands.map((band) => [band.info.name, band.grid.transform[1], band.grid.width]),
  ).toEqual([
    ["B02", 10, 120],
    ["B02", 20, 60],
    ["B8A", 20, 60],
    ["quality", 20, 60],
  ]);
  expect(granule.bands[0]!.info).toMatchObject({
    role: "dn",
    wavelengthNm: 492.4,
    gain: { multiply: 1e-4, add: -0.1 },
  });
  expect(granule.bands[2]!.grid).toMatchObject({
    crs: { code: "EPSG:32727" },
    transform: [499500, 20, 0, 5182000, 0, -20],
  });
  expect(granule.warnings.join()).toMatch(/B01, B03.* are not there/);
});
test("level 1C: cells by the names of bands, no offset before baseline 04.00, no quality band", async () => {
  const granule = await readGranule(
    set({ level: "1C", baseline: "02.09", offset: null }, ["T_B04.jp2", "T_B8A.jp2", "T_B10.jp2"]),
  );
  expect(
    granule.bands.map((band) => [band.info.name, band.grid.transform[1], band.info.gain!.add]),
  ).toEqual([
    ["B04", 10, 0],
    ["B8A", 20, 0],
    ["B10", 60, 0],
  ]);
  expect(granule.level).toBe(1);
  expect((await readGranule(set({ offset: null }))).warnings.join()).toMatch(
    /comes with an offset, and the metadata give none/,
  );
});
test("what is missing is named", async () => {
  await expect(readGranule(set({}, undefined, "x.SAFE/GRANULE/t/MTD_TL.xml"))).rejects.toThrow(
    /MTD_TL.xml of its granule is not/,
  );
  await expect(readGranule(set({}, []))).rejects.toThrow(/no band under IMG_DATA/);
  await expect(readGranule(set({ quantity: 0 }))).rejects.toThrow(/quantification value is 0/);
});
test("a composite of an index in whole numbers asks what they stand for; its day of the year is its date", () => {
  const t = (more: Partial<OpenRaster> = {}): OpenRaster =>
    ({
      width: 4,
      height: 4,
      bands: [{ name: null, unit: null, scale: 1, offset: 0 }],
      items: {},
      sampleType: "int16",
      palette: null,
      verticalCode: null,
      dateTime: null,
      ...more,
    }) as OpenRaster;
  const sceneDescription = describeScene(t(), "HELIO_EVI_A2024033.tif");
  expect(sceneDescription).toMatchObject({
    kind: "other",
    acquiredAt: "2024-02-02T00:00:00Z",
    missing: ["rescale"],
  });
  expect(sceneDescription.bands[0]!.name).toBe("EVI");
  expect(
    describeScene(
      t({ bands: [{ name: "EVI", unit: null, scale: 1e-4, offset: 0 }] }),
      "HELIO_EVI_A2024033.tif",
    ).missing,
  ).toEqual([]);
  expect([
    timeFrom("A2025366"),
    timeFrom("A2025000"),
    timeFrom("XA2025033"),
    timeFrom("2025-05-02"),
  ]).toEqual([null, null, null, "2025-05-02T00:00:00Z"]);
});
