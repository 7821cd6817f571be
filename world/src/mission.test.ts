import { fromEcef, norm, sub } from "@hindglance/core/geodesy/ecef";
import { Orbit } from "@hindglance/core/radar/orbit";
import { RangeDoppler } from "@hindglance/core/radar/sensor";
import { MemorySource } from "@hindglance/formats/source";
import { readOrbitFile } from "@hindglance/formats/product/orbitFile";
import { openTiff } from "@hindglance/formats/tiff/readTiff";
import {
  CENTRE,
  PASSES,
  announcedVectors,
  middleT,
  sensorOf,
  trueGeometry,
  trueVectors,
} from "./mission";
import { plainTiffHeader } from "./plainTiff";
import { incidenceOf, orbitFileName, orbitFileText, productName } from "./safe";
import { azimuthRipple, noiseSigma } from "./simulate";

const before = PASSES.find((pass) => pass.time.startsWith("2025-05-02"))!;
const ascending = PASSES.find((pass) => pass.pass === "ascending")!;

describe("the made-up mission", () => {
  test("flies by six times; one pass has no precise orbit, one looks from the other side", () => {
    expect(PASSES).toHaveLength(6);
    expect(
      PASSES.filter((pass) => !pass.preciseOrbit).map((pass) => pass.time.slice(0, 10)),
    ).toEqual(["2025-04-08"]);
    expect(PASSES.filter((pass) => pass.pass === "ascending")).toHaveLength(1);
    expect(new Set(PASSES.map((pass) => pass.seed)).size).toBe(6);
  });
  test.each(PASSES)("the island lies in the middle of the frame: $time", (pass) => {
    const rd = trueGeometry(pass);
    const at = rd.locateGeodetic(CENTRE.lonDeg, CENTRE.latDeg, 0);
    expect(Math.abs(at.line - 1250)).toBeLessThan(0.01);
    expect(Math.abs(at.sample - 1450)).toBeLessThan(0.5);
    expect(at.t).toBeCloseTo(middleT(pass), 5);
  });
  test("samples lie ten metres apart on the ground, lines about as far", () => {
    const rd = trueGeometry(before);
    const far = (a: [number, number], b: [number, number]) =>
      norm(sub(rd.ground(a[0], a[1], 0), rd.ground(b[0], b[1], 0)));
    for (const s of [50, 1450, 2800]) {
      expect(Math.abs(far([1250, s], [1250, s + 10]) - 100)).toBeLessThan(0.6);
    }
    expect(far([1250, 1450], [1260, 1450])).toBeGreaterThan(95);
    expect(far([1250, 1450], [1260, 1450])).toBeLessThan(105);
  });
  test("descending passes see the island from the east, the ascending one from the west", () => {
    for (const [pass, sign] of [
      [before, 1],
      [ascending, -1],
    ] as const) {
      const s = fromEcef(new Orbit(trueVectors(pass, -80, 80)).at(middleT(pass)).position);
      expect(Math.sign(s[0] - CENTRE.lonDeg)).toBe(sign);
    }
  });
  test("announced orbits are off by metres, mostly along the track", () => {
    const told = announcedVectors(before);
    const real = trueVectors(before, -80, 80);
    told.forEach((stateVector, k) => {
      const toPoint = sub(stateVector.position, real[k]!.position);
      const along =
        Math.abs(
          toPoint[0] * stateVector.velocity[0] +
            toPoint[1] * stateVector.velocity[1] +
            toPoint[2] * stateVector.velocity[2],
        ) / norm(stateVector.velocity);
      expect(norm(toPoint)).toBeGreaterThan(4);
      expect(norm(toPoint)).toBeLessThan(20);
      expect(along / norm(toPoint)).toBeGreaterThan(0.7);
    });
  });
  test("incidence grows over the swath, around 39°", () => {
    const inc = incidenceOf(sensorOf(before, trueVectors(before, -80, 80)));
    for (let k = 100; k < inc.length; k += 100) {
      expect(inc[k]!).toBeGreaterThan(inc[k - 100]!);
    }
    expect((inc[1450]! * 180) / Math.PI).toBeCloseTo(39, 1);
  });
  test("noise is scalloped across and ripples along, about 31 dB under one", () => {
    const db = Array.from({ length: 101 }, (_v, k) => 10 * Math.log10(noiseSigma(k / 100)));
    expect(Math.max(...db) - Math.min(...db)).toBeGreaterThan(2);
    expect(db.reduce((a, b) => a + b) / 101).toBeCloseTo(-31, 0);
    expect(Math.abs(azimuthRipple(300) - 1)).toBeLessThanOrEqual(0.06);
  });
});

describe("files", () => {
  test("an orbit file is read back to the micrometre and the microsecond", () => {
    const stateVectors = trueVectors(before, -290, 290);
    const orbit = readOrbitFile(
      Buffer.from(orbitFileText(stateVectors, 1)),
      orbitFileName(stateVectors),
    );
    expect(orbit.vectors).toHaveLength(stateVectors.length);
    orbit.vectors.forEach((vector, k) => {
      expect(norm(sub(vector.position, stateVectors[k]!.position))).toBeLessThan(2e-6);
      expect(Math.abs(vector.t - stateVectors[k]!.t)).toBeLessThan(1e-6);
    });
  });
  test("names tell mission, time and orbit", () => {
    expect(productName(sensorOf(before, trueVectors(before, -80, 80)), 58502)).toMatch(
      /^LN1_IW_GRDH_1SDV_20250502T184108_20250502T184111_058502_/,
    );
  });
  test("a plain TIFF opens, rows in order", async () => {
    const head = plainTiffHeader({ width: 5, height: 3, bits: 16, float: false });
    const cells = Uint16Array.from({ length: 15 }, (_v, i) => 1000 + i);
    const raster = await openTiff(
      new MemorySource(Buffer.concat([head, Buffer.from(cells.buffer)])),
    );
    expect([raster.width, raster.height, raster.sampleType]).toEqual([5, 3, "uint16"]);
    expect([...(await raster.readRaw({ col: 1, row: 1, width: 3, height: 2 }))[0]!]).toEqual([
      1006, 1007, 1008, 1011, 1012, 1013,
    ]);
  });
  test("geometry as announced moves the island by less than two lines", () => {
    const rd = new RangeDoppler(sensorOf(before, announcedVectors(before)));
    const at = rd.locateGeodetic(CENTRE.lonDeg, CENTRE.latDeg, 0);
    expect(Math.abs(at.line - 1250)).toBeLessThan(2);
    expect(Math.abs(at.line - 1250)).toBeGreaterThan(0.1);
  });
});
