import { utcSeconds } from "@hindglance/core/radar/orbit";
import { MemorySource } from "../source";
import { orbitText, safeFiles, textOf, zipOf } from "../testing/buildSafe";
import { parseXml } from "../xml";
import { openZip, readAll } from "../zip";
import { missionKey, readOrbitFile } from "./orbitFile";
import { looksLikeSafe, readSafe } from "./safe";

const open = async (files: Map<string, string | Uint8Array>) =>
  openZip(new MemorySource(await zipOf(files)));
const change = (part: string, from: string | RegExp, to: string) => {
  const files = safeFiles();
  for (const [k, values] of files) {
    if (k.includes(part)) {
      files.set(k, textOf(values).replace(from, to));
    }
  }
  return files;
};
const without = (part: string) => {
  const files = safeFiles();
  for (const k of [...files.keys()]) {
    if (k.includes(part)) {
      files.delete(k);
    }
  }
  return files;
};

describe("a product in the SAFE layout", () => {
  test("is read from a zip: geometry, tables, polarisations in order", async () => {
    const set = await open(safeFiles());
    const product = await readSafe(set);
    const sensorModel = product.sensor;
    expect(looksLikeSafe(set)).toBe(true);
    expect([
      product.mission,
      product.mode,
      product.pass,
      product.look,
      product.absoluteOrbit,
      product.warnings,
    ]).toEqual(["LN1", "IW", "descending", "right", 58502, []]);
    expect(
      product.polarisations.map((polarisation) => [polarisation.name, polarisation.bytes]),
    ).toEqual([
      ["VV", 64],
      ["VH", 64],
    ]);
    expect([
      sensorModel.lines,
      sensorModel.samples,
      sensorModel.lineIntervalS,
      sensorModel.sampleSpacingM,
      sensorModel.orbit.length,
    ]).toEqual([20, 30, 0.0015, 10, 5]);
    expect(sensorModel.firstLineT).toBe(utcSeconds("2025-05-02T18:41:10"));
    expect(sensorModel.wavelengthM).toBeCloseTo(0.05547, 4);
    expect(sensorModel.groundRange).toEqual([
      { t: utcSeconds("2025-05-02T18:41:09"), origin: 8e5, coefficients: [0, 1.6, -2e-7] },
    ]);
    expect(product.luts.VV!.beta.map((lutVector) => [lutVector.line, lutVector.values[1]])).toEqual(
      [
        [-10, 415],
        [30, 425],
      ],
    );
    expect(product.luts.VH!.noiseAzimuth[0]).toEqual({
      firstLine: 0,
      lastLine: 19,
      firstSample: 0,
      lastSample: 29,
      lines: [0, 19],
      values: [1, 1.1],
    });
    expect(product.incidenceDeg).toEqual([38, 40.9]);
    expect(product.footprint[0]).toEqual([-21, -43.5]);
  });
  test("one polarisation, and a folder whose manifest lists nothing", async () => {
    const files = without("-vh-");
    const manifest = [...files.keys()].find((k) => k.endsWith("manifest.safe"))!;
    files.set(manifest, '<a:XFDU xmlns:a="urn:x"><dataObjectSection/></a:XFDU>');
    expect(
      (await readSafe(await open(files))).polarisations.map((polarisation) => polarisation.name),
    ).toEqual(["VV"]);
  });
  test("the older noise list is read; no noise file is a warning", async () => {
    const old = change(
      "noise-",
      /<noise>.*<\/noise>/s,
      "<noise><noiseVectorList><noiseVector><line>0</line><pixel>0 29</pixel><noiseLut>5 6</noiseLut></noiseVector></noiseVectorList></noise>",
    );
    const product = await readSafe(await open(old));
    expect([product.luts.VV!.noiseRange[0]!.values, product.luts.VV!.noiseAzimuth]).toEqual([
      [5, 6],
      [],
    ]);
    const files = without("noise-ln1");
    const m = [...files.keys()].find((k) => k.endsWith("manifest.safe"))!;
    files.set(
      m,
      textOf(files.get(m)).replace(
        /<dataObject><byteStream><fileLocation href="[^"]*noise-[^"]*"\/><\/byteStream><\/dataObject>/g,
        "",
      ),
    );
    expect((await readSafe(await open(files))).warnings[0]).toMatch(/no noise file for VH/);
  });
  test.each([
    ["no manifest", without("manifest"), /no manifest.safe/],
    [
      "a measurement missing",
      without("measurement/ln1-iw-grd-vh"),
      /lists measurement\/ln1-iw-grd-vh-001.tiff/,
    ],
    [
      "no calibration file",
      without("calibration/calibration-ln1-iw-grd-vv"),
      /calibration-ln1-iw-grd-vv-001.xml that is not there/,
    ],
    [
      "no calibration vector",
      change("calibration-", /<calibrationVectorList>.*<\/calibrationVectorList>/s, ""),
      /holds no calibration vector/,
    ],
    [
      "another kind of product",
      change("annotation/ln1", "<productType>GRD", "<productType>SLC"),
      /type SLC/,
    ],
    [
      "slant range",
      change("annotation/ln1", "Ground Range", "Slant Range"),
      /Slant Range geometry/,
    ],
    [
      "times that do not fit the lines",
      change("annotation/ln1", "<numberOfLines>20", "<numberOfLines>400"),
      /do not fit/,
    ],
    [
      "polarisations of two sizes",
      (() => {
        const files = change(
          "annotation/ln1-iw-grd-vh",
          "<numberOfSamples>30",
          "<numberOfSamples>31",
        );
        return files;
      })(),
      /differ in size/,
    ],
    [
      "two files of one polarisation",
      change("annotation/ln1-iw-grd-vh", /<polarisation>VH/, "<polarisation>VV"),
      /say they are VV/,
    ],
    [
      "values that do not match their pixels",
      change("calibration-", /<betaNought>[^<]*/, "<betaNought>1 2"),
      /3 pixels but 2 values/,
    ],
    ["a zero gain", change("calibration-", /<gamma>[^<]*/, "<gamma>1 0 2"), /zero or negative/],
    [
      "too few orbit vectors",
      change("annotation/ln1", /(<orbit>.*?<\/orbit>){2}/s, ""),
      /3 orbit vectors/,
    ],
    [
      "no conversion to ground range",
      change("annotation/ln1", /<coordinateConversionList>.*<\/coordinateConversionList>/s, ""),
      /slant to ground range/,
    ],
    [
      "a number that is none",
      change("annotation/ln1", "<rangePixelSpacing>1.0e+01", "<rangePixelSpacing>ten"),
      /should be a number, not "ten"/,
    ],
  ])("%s is refused in words", async (_n, files, reason) => {
    await expect(open(files).then(readSafe)).rejects.toThrow(reason);
  });
});

describe("hostile input", () => {
  test("a truncated zip", async () => {
    const b = await zipOf(safeFiles());
    for (const share of [0.2, 0.7, 0.99]) {
      await expect(
        openZip(new MemorySource(b.slice(0, Math.floor(b.length * share)))),
      ).rejects.toThrow(/cut off or damaged/);
    }
  });
  test("a path that leads out", async () => {
    // The archive is written with a harmless name of the same length, then the name is changed in
    // its bytes.
    const bytes = Buffer.from(
      await zipOf(
        new Map([
          ["aaa/evil.txt", "x"],
          ["manifest.safe", "<a/>"],
        ]),
      ),
    );
    for (let at = bytes.indexOf("aaa/evil.txt"); at >= 0; at = bytes.indexOf("aaa/evil.txt")) {
      bytes.write("../evil.txt ", at);
    }
    await expect(openZip(new MemorySource(bytes))).rejects.toThrow(/leads out of it/);
  });
  test("a bomb", async () => {
    await expect(
      zipOf(new Map([["manifest.safe", new Uint8Array(30 << 20)]])).then((b) =>
        openZip(new MemorySource(b)),
      ),
    ).rejects.toThrow(/would unpack from/);
  });
  test("XML larger than its kind can be", async () => {
    const set = await open(new Map([["a.xml", "x".repeat(5000)]]));
    await expect(readAll(set, "a.xml", 1000)).rejects.toThrow(/larger than 0 MB/);
  });
  test("entities never expand", () => {
    expect(() =>
      parseXml(
        Buffer.from('<!DOCTYPE a [<!ENTITY b "cc"><!ENTITY c "&b;&b;">]><a>&c;</a>'),
        "a.xml",
      ),
    ).toThrow(/defines a document type or entities/);
  });
  test("XML that is not well-formed, or not text", () => {
    expect(() => parseXml(Buffer.from("<a><b></a>"), "a.xml")).toThrow(/a.xml is not well-formed/);
    expect(() => parseXml(Uint8Array.from([0xff, 0xfe, 0x3c]), "b.xml")).toThrow(/not UTF-8/);
  });
});

describe("orbit files", () => {
  test("are read in UTC, Earth-fixed", () => {
    const orbit = readOrbitFile(Buffer.from(orbitText()), "x.EOF");
    expect([orbit.mission, orbit.kind, orbit.vectors.length]).toEqual(["LANTERN-1", "precise", 12]);
    expect(orbit.vectors[1]).toEqual({
      t: utcSeconds("2025-05-02T18:40:05.25"),
      position: [7000000.5, 1, 0],
      velocity: [0, 0, 7500],
    });
  });
  test.each([
    ["another frame", orbitText(12, "INERTIAL"), /frame INERTIAL/],
    ["too few vectors", orbitText(3), /3 state vectors/],
    ["something else", "<a/>", /not an Earth Explorer/],
  ])("%s is refused", (_n, text, reason) => {
    expect(() => readOrbitFile(Buffer.from(text), "x.EOF")).toThrow(reason);
  });
  test("missions are compared without signs", () => {
    expect(missionKey("Lantern-1")).toBe("LANTERN1");
  });
});
