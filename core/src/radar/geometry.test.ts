import { fromEcef, mapVec, norm, sub, toEcef, type Vec3 } from "../geodesy/ecef";
import { utm } from "../geodesy/crs";
import { egm96 } from "../geodesy/egm96";
import { northUp } from "../grid/grid";
import { circularOrbit, vectorsOf } from "../testing/circularOrbit";
import { latticeAt } from "../testing/latticeAt";
import { lcg } from "../testing/support";
import { sensorLattice } from "./lattice";
import { joinFrames } from "./joinFrames";
import { azimuthFactor, vectorsAround } from "./luts";
import { offPerMetre } from "./offPerMetre";
import { Orbit, gapsOf, utcSeconds, utcText } from "./orbit";
import { orbitShiftM } from "./orbitShift";
import { RangeDoppler, type SensorModel, cellLocator } from "./sensor";
import { lookGeometry } from "./terrain";

const PLACE = { lonDeg: -21, latDeg: -43.6 };
const MIDDLE = utcSeconds("2025-05-02T18:41:10.500000");
const RADIUS = 7_064_000;
const truth = circularOrbit(PLACE, RADIUS, 39, 101, 1);
const NEAR = norm(sub(truth.at(0).position, toEcef(-21, -43.6, 0))) - 16000;

/**
 * A product frame of the circular orbit whose ground range is (slant − near)/sin 39° plus a curved
 * term.
 */
function model(pass: Partial<SensorModel> = {}): SensorModel {
  return {
    mission: "TEST",
    mode: "IW",
    pass: "descending",
    look: "right",
    wavelengthM: 0.0555,
    orbit: vectorsOf(truth, MIDDLE, -80, 80, 10),
    orbitSource: "annotation",
    firstLineT: MIDDLE - 1.8,
    lineIntervalS: 0.0015,
    sampleSpacingM: 10,
    lineSpacingM: 10,
    groundRange: [{ t: MIDDLE - 60, origin: NEAR, coefficients: [0, 1.589, -2.1e-7, 1e-14] }],
    lines: 2400,
    samples: 5000,
    ...pass,
  };
}

describe("times", () => {
  test("there and back, to the microsecond", () => {
    for (const t of [
      "2025-05-02T18:41:10.123456",
      "2016-12-31T23:59:59.999999",
      "2000-01-01T00:00:00.000001",
    ]) {
      expect(utcText(utcSeconds(t))).toBe(`${t}Z`);
    }
    expect(utcSeconds("UTC=2000-01-02T00:00:01.000000")).toBe(86401);
    expect(utcText(utcSeconds("2024-01-01T00:00:00.9999999"))).toBe("2024-01-01T00:00:01.000000Z");
    expect(() => utcSeconds("2 May 2025")).toThrow(/not a time/);
  });
  test("a leap second falls on the first second of the next day", () => {
    expect(utcSeconds("2016-12-31T23:59:60.250000")).toBe(utcSeconds("2017-01-01T00:00:00.250000"));
  });
});

test("Earth-fixed coordinates there and back, and by hand", () => {
  const random = lcg(3);
  for (let k = 0; k < 200; k++) {
    const point: Vec3 = [random() * 360 - 180, random() * 178 - 89, random() * 9000 - 500];
    const query = fromEcef(toEcef(...point));
    [0, 1].forEach((i) => expect(query[i]).toBeCloseTo(point[i]!, 11));
    expect(query[2]).toBeCloseTo(point[2], 7);
  }
  expect(toEcef(0, 0, 10)).toEqual([6378147, 0, 0]);
  expect(toEcef(0, 90, 0)[2]).toBeCloseTo(6356752.314245, 5);
});

describe("orbit", () => {
  test("vectors left out are met within a centimetre", () => {
    const all = vectorsOf(truth, MIDDLE, -80, 80, 10);
    for (let k = 4; k < all.length - 4; k++) {
      const at = new Orbit(all.filter((_v, i) => i !== k)).at(all[k]!.t);
      expect(norm(sub(at.position, all[k]!.position))).toBeLessThan(0.01);
      expect(norm(sub(at.velocity, all[k]!.velocity))).toBeLessThan(1e-4);
    }
  });
  test("between vectors: the circle in closed form", () => {
    const orbit = new Orbit(vectorsOf(truth, MIDDLE, -80, 80, 10));
    for (let t = -60; t < 60; t += 3.7) {
      const got = orbit.at(MIDDLE + t);
      const point = truth.at(t);
      const data = 1e-3;
      const ahead = truth.at(t + data).velocity;
      const behind = truth.at(t - data).velocity;
      expect(norm(sub(got.position, point.position))).toBeLessThan(1e-3);
      expect(
        norm(
          sub(
            got.acceleration,
            mapVec(sub(ahead, behind), (x) => x / (2 * data)),
          ),
        ),
      ).toBeLessThan(1e-4);
    }
  });
  test("times that the vectors do not cover, and too few vectors, are refused", () => {
    const orbit = new Orbit(vectorsOf(truth, MIDDLE, -80, 80, 10));
    expect(() => orbit.at(MIDDLE + 200)).toThrow(/110 s|120 s/);
    expect(() => new Orbit(vectorsOf(truth, MIDDLE, 0, 20, 10))).toThrow(/four state vectors/);
  });
});

describe("range-Doppler", () => {
  test("the place that the orbit was made for lies abeam in the middle, within 0.01 of a cell", () => {
    const rd = new RangeDoppler(model());
    const at = rd.locateGeodetic(PLACE.lonDeg, PLACE.latDeg, 0);
    expect(at.line).toBeCloseTo(1200, 3);
    expect(at.slantRangeM).toBeCloseTo(NEAR + 16000, 3);
    const delta = 16000;
    expect(at.sample).toBeCloseTo(
      (1.589 * delta - 2.1e-7 * delta * delta + 1e-14 * delta ** 3) / 10,
      4,
    );
  });
  test("points put on the zero-Doppler plane in closed form come back", () => {
    const rd = new RangeDoppler(model());
    const random = lcg(8);
    for (let k = 0; k < 60; k++) {
      // A point at a range and an angle from straight down, square to the Earth-fixed velocity of
      // the circle at that time.
      const t = random() * 3 - 1.5;
      const s = truth.at(t);
      const range = NEAR + 4000 + random() * 25000;
      const angle = 0.55 + 0.1 * random();
      const value = mapVec(s.velocity, (x) => x / norm(s.velocity));
      const r = mapVec(s.position, (x) => x / norm(s.position));
      const up = sub(
        r,
        mapVec(value, (x) => x * (r[0] * value[0] + r[1] * value[1] + r[2] * value[2])),
      );
      const n = norm(up);
      const e = mapVec(up, (x) => x / n);
      const side: Vec3 = [
        value[1] * e[2] - value[2] * e[1],
        value[2] * e[0] - value[0] * e[2],
        value[0] * e[1] - value[1] * e[0],
      ];
      const at = rd.locate(
        mapVec(
          s.position,
          (x, i) => x + range * (-Math.cos(angle) * e[i]! + Math.sin(angle) * side[i]!),
        ),
      );
      expect(at.line).toBeCloseTo((t + 1.8) / 0.0015, 2);
      expect(at.slantRangeM).toBeCloseTo(range, 3);
    }
  });
  test("from line and sample to the ground and back, at any height, on the look side", () => {
    for (const [look, sense] of [
      ["right", 1],
      ["left", -1],
    ] as const) {
      const ownCircularOrbit = circularOrbit(PLACE, RADIUS, 39, 101, sense);
      const rd = new RangeDoppler(
        model({ look, orbit: vectorsOf(ownCircularOrbit, MIDDLE, -80, 80, 10) }),
      );
      for (const [line, sample, h] of [
        [10, 20, 0],
        [1200, 2542, 350],
        [2390, 4800, 1900],
      ] as const) {
        const point = rd.ground(line, sample, h);
        const back = rd.locate(point);
        const group = fromEcef(point);
        expect(back.line).toBeCloseTo(line, 4);
        expect(back.sample).toBeCloseTo(sample, 3);
        expect(Math.abs(group[2] - h)).toBeLessThan(0.02);
        expect(group[0]).toBeLessThan(fromEcef(rd.orbit.at(rd.timeOf(line)).position)[0]);
      }
    }
  });
  test("slant and ground range are each other's reverse; the polynomial in force is the last that began", () => {
    const rd = new RangeDoppler(
      model({
        groundRange: [
          { t: MIDDLE - 60, origin: NEAR, coefficients: [0, 1.6, -2e-7] },
          { t: MIDDLE, origin: NEAR, coefficients: [100, 1.6, -2e-7] },
        ],
      }),
    );
    for (const group of [0, 5000, 40000]) {
      for (const t of [MIDDLE - 1, MIDDLE + 1]) {
        expect(rd.groundRange(rd.slantRange(group, t), t)).toBeCloseTo(group, 5);
      }
    }
    expect(rd.groundRange(NEAR, MIDDLE - 0.001)).toBe(0);
    expect(rd.groundRange(NEAR, MIDDLE)).toBe(100);
  });
  test("the fast lattice stays within 0.05 cell of the exact position, also over 3 km of relief and 90 m cells", () => {
    const rd = new RangeDoppler(model());
    const random = lcg(5);
    // A cell of an image after 2 x 2 looks, and of an overview, is allowed the same share of
    // itself.
    for (const [cell, image] of [
      [10, 1],
      [90, 1],
      [20, 2],
      [160, 16],
      [90, 16],
    ] as const) {
      const grid = northUp(utm(27, true), 490000, 5180000, cell, cell, 1000, 1000);
      const w = { col: 190, row: 333, width: 131, height: 97 };
      const exact = cellLocator(rd, grid);
      const lattice = sensorLattice(rd, grid, w, [-40, 2990], image);
      let worst = 0;
      for (let k = 0; k < 3000; k++) {
        const col = w.col + 0.5 + random() * (w.width - 1);
        const row = w.row + 0.5 + random() * (w.height - 1);
        const h = -40 + random() * 3030;
        const position = exact(col, row, h);
        const b = latticeAt(lattice, col, row, h);
        worst = Math.max(
          worst,
          Math.abs(position.line - b.line) / image,
          Math.abs(position.sample - b.sample) / image,
        );
      }
      expect(worst).toBeLessThan(0.05);
      expect(worst).toBeGreaterThan(0);
    }
  });
});

test("areas along the beam: level ground shows cos θ of its area, a slope square to the beam all of it", () => {
  const rd = new RangeDoppler(model());
  const grid = northUp(utm(27, true), 495000, 5180000, 10, 10, 1000, 1000);
  const geometry = lookGeometry(rd, grid, 500, 700, 0)!;
  const level = geometry.cellM[0] * geometry.cellM[1];
  expect(geometry.flat / level).toBeCloseTo(Math.cos(geometry.incidence), 4);
  expect((geometry.incidence * 180) / Math.PI).toBeGreaterThan(37);
  expect((geometry.incidence * 180) / Math.PI).toBeLessThan(41);
  // One metre of range on the map is one metre; the beam comes from the east here.
  expect(
    Math.hypot(geometry.away[0] * geometry.cellM[0], geometry.away[1] * geometry.cellM[1]),
  ).toBeCloseTo(1, 3);
  expect(geometry.away[0]).toBeLessThan(0);
  // Ground that rises by tan θ against the beam lies square to it: its whole surface, level / cos
  // θ, is seen.
  const rise = Math.tan(geometry.incidence);
  const hc = geometry.away[0] * geometry.cellM[0] * rise * geometry.cellM[0];
  const hr = geometry.away[1] * geometry.cellM[1] * rise * geometry.cellM[1];
  expect(
    (geometry.flat + hc * geometry.perColumnRise + hr * geometry.perRowRise) /
      (level / Math.cos(geometry.incidence)),
  ).toBeCloseTo(1, 3);
});

describe("neighbouring frames", () => {
  const line = (level: number) => ({
    line: level,
    pixels: [0, 900, 4999],
    values: [400 + level * 0.01, 420 + Math.sin(level / 300), 460 - level * 0.003],
  });
  const lines = [-300, 367, 1034, 1701, 2368, 3035].map(line);
  const ripple = {
    firstLine: 0,
    lastLine: 2399,
    firstSample: 0,
    lastSample: 4999,
    lines: Array.from({ length: 121 }, (_v, k) => Math.min(2399, k * 20)),
    values: Array.from({ length: 121 }, (_v, k) => 1 + 0.1 * Math.sin(k / 5)),
  };
  const luts = {
    VV: {
      sigma: lines,
      beta: lines,
      gamma: lines,
      noiseRange: lines.map((values) => ({ ...values, values: values.values.map((x) => x * 2) })),
      noiseAzimuth: [ripple],
    },
  };
  const whole = model({
    groundRange: [
      { t: MIDDLE - 60, origin: NEAR, coefficients: [0, 1.589, -2.1e-7] },
      { t: MIDDLE + 0.4, origin: NEAR + 12, coefficients: [0, 1.588, -2e-7] },
    ],
  });
  /** Cuts a frame out of the whole as an agency would: its own times, sizes and line numbers. */
  const frame = (name: string, first: number, count: number) => ({
    name,
    sensor: { ...whole, firstLineT: whole.firstLineT + first * whole.lineIntervalS, lines: count },
    luts: {
      VV: {
        ...luts.VV,
        ...Object.fromEntries(
          (["sigma", "beta", "gamma", "noiseRange"] as const).map((k) => [
            k,
            luts.VV[k].map((values) => ({ ...values, line: values.line - first })),
          ]),
        ),
        noiseAzimuth: [
          {
            ...ripple,
            firstLine: 0,
            lastLine: count - 1,
            lines: Array.from({ length: count }, (_v, i) => i),
            values: Array.from({ length: count }, (_v, i) =>
              azimuthFactor([ripple], first + i, 100),
            ),
          },
        ],
      },
    },
  });
  test("joined give geometry and tables of the pass in one piece, line by line", () => {
    const j = joinFrames([frame("south", 1290, 1110), frame("north", 0, 1290)]);
    const rangeDoppler = new RangeDoppler(whole);
    const b = new RangeDoppler(j.sensor);
    expect([j.order, j.firstLines, j.sensor.lines]).toEqual([[1, 0], [0, 1290], 2400]);
    for (const level of [0, 700, 1289, 1290, 1800, 2399]) {
      expect(b.slantRange(20_000, b.timeOf(level))).toBeCloseTo(
        rangeDoppler.slantRange(20_000, rangeDoppler.timeOf(level)),
        6,
      );
      for (const k of ["sigma", "noiseRange"] as const) {
        for (const px of [0, 1]) {
          const at = (values: typeof lines) => {
            const { a: position, b: next, share } = vectorsAround(values, level);
            return values[position]!.values[px]! * (1 - share) + values[next]!.values[px]! * share;
          };
          expect(at(j.luts.VV![k])).toBeCloseTo(at(luts.VV[k]), 3);
        }
      }
      expect(azimuthFactor(j.luts.VV!.noiseAzimuth, level, 100)).toBeCloseTo(
        azimuthFactor([ripple], level, 100),
        9,
      );
    }
  });
  test("what does not belong is refused by name", () => {
    const north = frame("north", 0, 1000);
    const other = frame("other", 1000, 1000);
    expect(() =>
      joinFrames([north, { ...other, sensor: { ...other.sensor, pass: "ascending" } }]),
    ).toThrow(/other has another pass direction than north/);
    expect(() => joinFrames([north, frame("far", 1200, 900)])).toThrow(
      /far is no neighbour of north: 200 lines/,
    );
    expect(() =>
      joinFrames([
        north,
        { ...other, sensor: { ...other.sensor, firstLineT: other.sensor.firstLineT + 0.0004 } },
      ]),
    ).toThrow(/shifted by 0.27 of a line/);
    expect(() => joinFrames([north, { ...other, luts: { ...other.luts, VH: luts.VV } }])).toThrow(
      /polarisations VH, VV/,
    );
    expect(() => joinFrames([north])).toThrow(/Two frames or more/);
  });
});

test("sea level above the ellipsoid agrees with the values that the model's makers publish for checking", () => {
  // Latitude, longitude, EGM96 undulation in metres.
  for (const [lat, lon, n] of [
    [38.628155, 269.779155, -31.628],
    [-14.621217, 305.021114, -2.969],
    [46.874319, 102.448729, -43.575],
    [-23.617446, 133.874712, 15.871],
    [38.625473, 359.9995, 50.066],
    [-0.466744, 0.0023, 17.329],
  ] as const) {
    expect(Math.abs(egm96(lon, lat) - n)).toBeLessThan(0.35);
  }
  expect(egm96(-21, -43.6)).toBeCloseTo(egm96(339, -43.6), 9);
});

describe("orbit files", () => {
  test("steps beyond one and a half times the usual one are gaps", () => {
    const times = [0, 10, 20, 30, 60, 70, 80, 94, 104, 200];
    expect(gapsOf(times.map((t) => ({ t })))).toEqual([
      [30, 60],
      [104, 200],
    ]);
    expect(gapsOf([])).toEqual([]);
  });
  test("an orbit that runs some metres aside and later moves places by that", () => {
    const sensor = model();
    expect(orbitShiftM(sensor, sensor.orbit)).toBeLessThan(0.01);
    // Four milliseconds late along its own track: two and two thirds lines of 1.5 ms and 10 m.
    const late = vectorsOf(truth, MIDDLE - 0.004, -80, 80, 10);
    expect(orbitShiftM(sensor, late)).toBeCloseTo((0.004 / 0.0015) * 10, 1);
  });
  test("a metre of height puts a place off by the cotangent of the incidence", () => {
    const grid = northUp(utm(27, true), 480_000, 5_200_000, 20, 20, 2000, 2000);
    const look = 39;
    const wide = offPerMetre(model(), grid)!;
    // The middle of the frame lies within a degree of the place that the orbit was made for.
    expect(Math.abs(wide - 1 / Math.tan((look * Math.PI) / 180))).toBeLessThan(0.08);
  });
});
