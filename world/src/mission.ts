import { cross, mapVec, norm, sub, toEcef } from "@hindglance/core/geodesy/ecef";
import {
  type CircularOrbit,
  circularOrbit,
  vectorsOf,
} from "@hindglance/core/testing/circularOrbit";
import { type StateVector, utcSeconds } from "@hindglance/core/radar/orbit";
import { RangeDoppler, type SensorModel } from "@hindglance/core/radar/sensor";

/** Centre of the island, where every pass looks. */
export const CENTRE = { lonDeg: -21.0, latDeg: -43.6 };
const RADIUS = 7_064_000;
const INCIDENCE = 39;

/** One pass of LANTERN1 over the island. */
export interface RadarPass {
  /** Zero-Doppler time of the island's centre. */
  time: string;
  pass: "ascending" | "descending";
  seed: number;
  /** Share of the flood that stands: 0 none. */
  flood: 0 | 1;
  /** dB on open water by wind, everywhere and on the lake of the Quill Basin. */
  wind: number;
  lakeWind: number;
  wetness: number;
  /** Where the frame begins and ends, lines and samples of the widest frame. */
  frame: { line0: number; line1: number; sample0: number; sample1: number };
  /** Whether an orbit file of the precise orbit exists. */
  preciseOrbit: boolean;
}

const WIDE = { line0: 0, line1: 2500, sample0: 0, sample1: 2900 };
/** All radar scenes of the demo. The last one that is not descending looks from the other side. */
export const PASSES: RadarPass[] = [
  {
    time: "2025-04-08T18:41:08.412705",
    pass: "descending",
    seed: 408,
    flood: 0,
    wind: 0.4,
    lakeWind: 5.5,
    wetness: 0.1,
    frame: WIDE,
    preciseOrbit: false,
  },
  {
    time: "2025-04-20T18:41:09.037412",
    pass: "descending",
    seed: 420,
    flood: 0,
    wind: 0.2,
    lakeWind: 0,
    wetness: 0.4,
    frame: WIDE,
    preciseOrbit: true,
  },
  {
    time: "2025-05-02T18:41:10.118273",
    pass: "descending",
    seed: 502,
    flood: 0,
    wind: 0,
    lakeWind: 0,
    wetness: 0.2,
    frame: { ...WIDE, sample1: 2830 },
    preciseOrbit: true,
  },
  {
    time: "2025-05-14T18:41:10.731940",
    pass: "descending",
    seed: 514,
    flood: 1,
    wind: 0.8,
    lakeWind: 0.8,
    wetness: 0.6,
    frame: { ...WIDE, sample0: 240 },
    preciseOrbit: true,
  },
  {
    time: "2025-05-26T18:41:11.204518",
    pass: "descending",
    seed: 526,
    flood: 1,
    wind: 0.1,
    lakeWind: 0.1,
    wetness: 0.3,
    frame: WIDE,
    preciseOrbit: true,
  },
  {
    time: "2025-05-03T06:12:44.655031",
    pass: "ascending",
    seed: 503,
    flood: 0,
    wind: 0.3,
    lakeWind: 0,
    wetness: 0.2,
    frame: WIDE,
    preciseOrbit: true,
  },
];

/** The satellite's true way. Each pass comes by a little beside the last. */
export function trueOrbit(pass: RadarPass): CircularOrbit {
  const beside = ((pass.seed * 37) % 100) / 100 - 0.5;
  return circularOrbit(
    CENTRE,
    RADIUS + 40 * beside,
    INCIDENCE + 0.02 * beside,
    pass.pass === "descending" ? 101.3 : 258.7,
    1,
  );
}

/** Time of the middle of a pass, seconds of UTC. */
export const middleT = (pass: RadarPass): number => utcSeconds(pass.time);

/**
 * State vectors as the product carries them: some metres beside the truth, mostly along the track.
 */
export function announcedVectors(pass: RadarPass): StateVector[] {
  const jitter = (k: number) => 0.6 + (((pass.seed * (k + 3) * 7919) % 1000) / 1000) * 0.8;
  return trueVectors(pass, -80, 80).map((stateVector) => {
    const along = mapVec(stateVector.velocity, (x) => x / norm(stateVector.velocity));
    const up = mapVec(stateVector.position, (x) => x / norm(stateVector.position));
    const side = cross(along, up);
    return {
      ...stateVector,
      position: mapVec(
        stateVector.position,
        (x, k) =>
          x + 9 * jitter(0) * along[k]! + 1.5 * jitter(1) * up[k]! + 4 * jitter(2) * side[k]!,
      ),
    };
  });
}

/** State vectors of the orbit as it truly was. */
export const trueVectors = (pass: RadarPass, from: number, to: number): StateVector[] =>
  vectorsOf(trueOrbit(pass), middleT(pass), from, to, 10);

const LINE_INTERVAL = 0.00148;
const SPACING = 10;

/**
 * Geometry of a pass's widest frame under an orbit: lines of 0.00148 s, samples of 10 m, the island
 * in the middle. Ground range is
 * the arc on the sphere of the island's radius, as a polynomial of the sixth order in slant range.
 */
export function sensorOf(
  pass: RadarPass,
  orbit: StateVector[],
  lines = WIDE.line1,
  samples = WIDE.sample1,
): SensorModel {
  const t = middleT(pass);
  const position = trueOrbit(pass).at(0).position;
  const place = toEcef(CENTRE.lonDeg, CENTRE.latDeg, 0);
  const mid = norm(sub(position, place));
  const earth = norm(place);
  const r = norm(position);
  const arc = (range: number) =>
    earth * Math.acos((r * r + earth * earth - range * range) / (2 * r * earth));
  // The centre lies in the middle of the widest frame of the demo, whatever the size of this one.
  const half = (WIDE.sample1 / 2) * SPACING;
  const near = solve((x) => arc(x) - (arc(mid) - half), mid - half, mid);
  const far = solve(
    (x) => arc(x) - (arc(near) + samples * SPACING),
    near,
    near + samples * SPACING,
  );
  const span = far - near;
  const nodes = Array.from(
    { length: 7 },
    (_v, k) => 0.5 - 0.5 * Math.cos((Math.PI * (k + 0.5)) / 7),
  );
  const coefficients = monomials(
    nodes,
    nodes.map((x) => arc(near + x * span) - arc(near)),
  ).map((c, k) => c / span ** k);
  return {
    mission: "LN1",
    mode: "IW",
    pass: pass.pass,
    look: "right",
    wavelengthM: 299792458 / 5.405e9,
    orbit,
    orbitSource: "annotation",
    firstLineT: t - (WIDE.line1 / 2) * LINE_INTERVAL,
    lineIntervalS: LINE_INTERVAL,
    sampleSpacingM: SPACING,
    lineSpacingM: SPACING,
    groundRange: [
      { t: t - 30, origin: near, coefficients },
      { t: t + 30, origin: near, coefficients },
    ],
    lines,
    samples,
  };
}

function solve(of: (x: number) => number, lo: number, hi: number): number {
  let a = lo - 5000;
  let b = hi + 5000;
  for (let k = 0; k < 80; k++) {
    const m = (a + b) / 2;
    if (of(m) > 0) {
      b = m;
    } else {
      a = m;
    }
  }
  return (a + b) / 2;
}

/**
 * Coefficients of the polynomial through points, lowest order first (Newton's divided differences,
 * multiplied out).
 */
function monomials(x: number[], y: number[]): number[] {
  const coefficients = [...y];
  const n = x.length;
  for (let k = 1; k < n; k++) {
    for (let i = n - 1; i >= k; i--) {
      coefficients[i] = (coefficients[i]! - coefficients[i - 1]!) / (x[i]! - x[i - k]!);
    }
  }
  let c = [coefficients[n - 1]!];
  for (let i = n - 2; i >= 0; i--) {
    const next = [0, ...c];
    c.forEach((value, k) => {
      next[k]! -= value * x[i]!;
    });
    next[0]! += coefficients[i]!;
    c = next;
  }
  return c;
}

/** Geometry of a pass with the orbit as it truly was. */
export const trueGeometry = (pass: RadarPass): RangeDoppler =>
  new RangeDoppler(sensorOf(pass, trueVectors(pass, -80, 80)));
