import { buildTiff, UTM27S_KEYS, at } from "../testing/buildTiff";
import { MemorySource } from "../source";
import { openTiff } from "../tiff/readTiff";
import { looksLikeMtl, readMtl } from "./mtl";
import { stackBands, wavelengthOf } from "./stack";

const text = (more = "") => `GROUP = LANDSAT_METADATA_FILE
  GROUP = PRODUCT_CONTENTS
    LANDSAT_PRODUCT_ID = "X_L1"
    PROCESSING_LEVEL = "L1TP"
    FILE_NAME_BAND_4 = "X_B4.TIF"
    FILE_NAME_BAND_2 = "X_B2.TIF"
    FILE_NAME_BAND_5 = "X_B5.TIF"
    FILE_NAME_BAND_10 = "X_B10.TIF"
    FILE_NAME_QUALITY_L1_PIXEL = "X_QA_PIXEL.TIF"
  END_GROUP = PRODUCT_CONTENTS
  SPACECRAFT_ID = "S"
  SENSOR_ID = "OLI_TIRS"
  DATE_ACQUIRED = 2025-01-22
  SCENE_CENTER_TIME = "13:12:31.5029770Z"
  SUN_ELEVATION = 56.10000000
  REFLECTANCE_MULT_BAND_2 = 2.0000E-05
  REFLECTANCE_MULT_BAND_4 = 2.0000E-05
  REFLECTANCE_MULT_BAND_5 = 2.0000E-05
  REFLECTANCE_ADD_BAND_2 = -0.100000
  REFLECTANCE_ADD_BAND_4 = -0.100000
  REFLECTANCE_ADD_BAND_5 = -0.100000
${more}
END_GROUP = LANDSAT_METADATA_FILE
END`;
const bytes = (s: string) => new TextEncoder().encode(s);
const band = async (name: string, cell = 30, more: object = {}) => ({
  name,
  tiff: await openTiff(
    new MemorySource(
      buildTiff({
        width: 4,
        height: 3,
        bits: 16,
        format: 1,
        value: (c, r) => c + r,
        extra: [...UTM27S_KEYS, ...at(500000, 5170000, cell)],
        ...more,
      }),
    ),
  ),
});
const mtl = readMtl(bytes(text()), "X_MTL.txt");

describe("metadata text", () => {
  test("says the same as text, JSON and XML", () => {
    const pairs = [...text().matchAll(/^\s*([A-Z0-9_]+) = (.*)$/gm)]
      .filter((match) => !/GROUP$/.test(match[1]!))
      .map((match) => [match[1]!, match[2]!.replace(/"/g, "")] as const);
    const json = readMtl(
      bytes(
        JSON.stringify({
          LANDSAT_METADATA_FILE: {
            PRODUCT_CONTENTS: Object.fromEntries(pairs.slice(0, 5)),
            REST: Object.fromEntries(pairs.slice(5)),
          },
        }),
      ),
      "X_MTL.json",
    );
    const xml = readMtl(
      bytes(
        `<?xml version="1.0"?><LANDSAT_METADATA_FILE><PRODUCT_CONTENTS>${pairs
          .slice(0, 5)
          .map(([k, value]) => `<${k}>${value}</${k}>`)
          .join("")}</PRODUCT_CONTENTS><REST>${pairs
          .slice(5)
          .map(([k, value]) => `<${k}>${value}</${k}>`)
          .join("")}</REST></LANDSAT_METADATA_FILE>`,
      ),
      "X_MTL.xml",
    );
    expect(json).toEqual(mtl);
    expect(xml).toEqual(mtl);
    expect(mtl).toMatchObject({
      product: "X_L1",
      level: 1,
      acquiredAt: "2025-01-22T13:12:31Z",
      sunElevationDeg: 56.1,
      sunAzimuthDeg: null,
    });
    expect(mtl.bands.map((mtlBand) => [mtlBand.id, mtlBand.kind, mtlBand.multiply])).toEqual([
      ["4", "reflectance", 2e-5],
      ["2", "reflectance", 2e-5],
      ["5", "reflectance", 2e-5],
      ["10", "temperature", null],
      ["QA", "quality", null],
    ]);
    expect([looksLikeMtl("a_MTL.TXT"), looksLikeMtl("a_ANG.txt")]).toEqual([true, false]);
  });
  test("thermal bands: radiance and the constants of the detector at level 1, kelvin at level 2, or nothing to go by", () => {
    const thermal = (more: string, t = text()) =>
      readMtl(
        bytes(t.replace("SUN_ELEVATION", `${more}\n  SUN_ELEVATION`)),
        "X_MTL.txt",
      ).bands.find((mtlBand) => mtlBand.kind === "temperature");
    expect(
      thermal(
        "RADIANCE_MULT_BAND_10 = 3.3420E-04\n RADIANCE_ADD_BAND_10 = 0.10000\n K1_CONSTANT_BAND_10 = 774.8853\n K2_CONSTANT_BAND_10 = 1321.0789",
      ),
    ).toMatchObject({
      id: "10",
      multiply: 3.342e-4,
      add: 0.1,
      planck: { k1: 774.8853, k2: 1321.0789 },
    });
    expect(
      thermal(
        "TEMPERATURE_MULT_BAND_ST_B10 = 0.00341802\n TEMPERATURE_ADD_BAND_ST_B10 = 149.0",
        text().replace("FILE_NAME_BAND_10", "FILE_NAME_BAND_ST_B10"),
      ),
    ).toMatchObject({ id: "ST_B10", multiply: 0.00341802, add: 149 });
    expect(thermal("RADIANCE_MULT_BAND_10 = 3.3420E-04")).toMatchObject({ multiply: null });
    expect(() =>
      thermal("RADIANCE_MULT_BAND_10 = 1\n K1_CONSTANT_BAND_10 = -5\n K2_CONSTANT_BAND_10 = 1321"),
    ).toThrow(/constants of thermal band 10 are -5 and 1321/);
  });
  test.each([
    ["without a date", text().replace(/DATE_ACQUIRED.*/, ""), /does not say DATE_ACQUIRED/],
    ["with a broken date", text().replace("2025-01-22", "22 January"), /is no date/],
    ["with an impossible sun", text().replace("56.10000000", "156"), /SUN_ELEVATION is 156/],
    ["with words for a number", text().replace("2.0000E-05", "n/a"), /is no number/],
    ["that names no files", text().replace(/FILE_NAME.*/g, ""), /names no band files/],
  ])("%s is refused in words", (_n, t, message) => {
    expect(() => readMtl(bytes(t), "X_MTL.txt")).toThrow(message);
  });
  test("JSON that is none, and XML with entities", () => {
    expect(() => readMtl(bytes("{"), "X_MTL.json")).toThrow(/not valid JSON/);
    expect(() => readMtl(bytes('<!DOCTYPE a [<!ENTITY b "x">]><a/>'), "X_MTL.xml")).toThrow(
      /document type or entities/,
    );
  });
});

describe("bands of a scene", () => {
  test("come in the order of wavelengths whatever the order of the files, the quality band last", async () => {
    const stack = stackBands(
      mtl,
      [
        await band("X_QA_PIXEL.TIF"),
        await band("x_b5.tif"),
        await band("X_B2.TIF"),
        await band("X_B4.TIF"),
      ],
      "X_MTL.txt",
    );
    expect(
      stack.bands.map((stackBand) => [
        stackBand.info.name,
        stackBand.info.wavelengthNm,
        stackBand.info.role,
      ]),
    ).toEqual([
      ["B2", 482, "dn"],
      ["B4", 655, "dn"],
      ["B5", 865, "dn"],
      ["quality", undefined, "quality"],
    ]);
    expect(stack.bands[0]!.info.gain).toEqual({ multiply: 2e-5, add: -0.1 });
    expect([stack.groups, stack.warnings]).toEqual([
      [{ cellM: 30, bands: ["B2", "B4", "B5", "quality"] }],
      [],
    ]);
  });
  test("a thermal band carries what turns its numbers into kelvin; without constants it is a plain value, with a warning", async () => {
    const more =
      "RADIANCE_MULT_BAND_10 = 3.3420E-04\n RADIANCE_ADD_BAND_10 = 0.1\n K1_CONSTANT_BAND_10 = 774.8853\n K2_CONSTANT_BAND_10 = 1321.0789";
    const files = [await band("X_B2.TIF"), await band("X_B10.TIF")];
    const with10 = stackBands(readMtl(bytes(text(more)), "X_MTL.txt"), files, "X_MTL.txt");
    const without = stackBands(mtl, files, "X_MTL.txt");
    expect(with10.bands.at(-1)!.info).toEqual({
      name: "B10",
      unit: "DN",
      role: "thermal",
      wavelengthNm: 10895,
      gain: { multiply: 3.342e-4, add: 0.1 },
      planck: { k1: 774.8853, k2: 1321.0789 },
    });
    expect([
      without.bands.at(-1)!.info.role,
      without.warnings.some((warning) => /no constants for thermal band 10/.test(warning)),
    ]).toEqual(["value", true]);
  });
  test("that are not there are named, and the scene is made without them", async () => {
    expect(stackBands(mtl, [await band("X_B2.TIF")], "X_MTL.txt").warnings).toEqual([
      expect.stringMatching(/Band 4 \(X_B4.TIF\) is not there/),
      expect.stringMatching(/Band 5/),
      expect.stringMatching(/quality band/),
    ]);
  });
  test("of two cell sizes are told apart", async () => {
    expect(
      stackBands(
        mtl,
        [await band("X_B2.TIF"), await band("X_B4.TIF"), await band("X_B5.TIF", 15)],
        "X_MTL.txt",
      ).groups,
    ).toEqual([
      { cellM: 30, bands: ["B2", "B4"] },
      { cellM: 15, bands: ["B5"] },
    ]);
  });
  test("strangers, files with several bands, real numbers and an empty scene are refused", async () => {
    const b2 = await band("X_B2.TIF");
    const other = await band("Y_B2.TIF");
    expect(() => stackBands(mtl, [b2, other], "X_MTL.txt")).toThrow(
      /Y_B2.TIF is none of the bands/,
    );
    const two = await band("X_B4.TIF", 30, { samples: 2 });
    const real = await band("X_B4.TIF", 30, { bits: 32, format: 3 });
    expect(() => stackBands(mtl, [b2, two], "X_MTL.txt")).toThrow(/has 2 bands/);
    expect(() => stackBands(mtl, [b2, real], "X_MTL.txt")).toThrow(/float32 cells/);
    expect(() => stackBands(mtl, [], "X_MTL.txt")).toThrow(/None of the band files/);
  });
  test("the earlier imagers begin with blue", () => {
    expect([
      wavelengthOf("TM", "4"),
      wavelengthOf("ETM+", "7"),
      wavelengthOf("OLI_TIRS", "4"),
      wavelengthOf("OLI", "99"),
    ]).toEqual([835, 2215, 655, undefined]);
  });
});
