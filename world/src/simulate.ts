import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { egm96 } from "@hindglance/core/geodesy/egm96";
import { type Grid, northUp, toMap } from "@hindglance/core/grid/grid";
import { sensorLattice } from "@hindglance/core/radar/lattice";
import type { RangeDoppler } from "@hindglance/core/radar/sensor";
import { lookGeometry, rowLocator } from "@hindglance/core/radar/terrain";
import { COVER, type Ground, HEIGHT, WIDTH } from "./ground";
import { type RadarPass, trueGeometry } from "./mission";
import { INCIDENCE_DEG, LOOKS, NOISE_FLOOR, coverSigma } from "./radar";
import { gammaMean1, generator, noise } from "./random";

/**
 * Bright targets at known places (kilometres east and south on the island), as radar cross-section
 * in m².
 */
export const TARGETS = [
  { x: 7.6, y: 9.1, rcs: 9e4 },
  { x: 11.3, y: 12.9, rcs: 7e4 },
  { x: 14.2, y: 9.0, rcs: 8e4 },
  { x: 17.9, y: 12.2, rcs: 9e4 },
  { x: 19.3, y: 10.6, rcs: 8e4 },
];
/** Sea around the island's grid, so that every frame is filled. */
const PAD = 420;
const GAMMA = 1 / Math.cos((INCIDENCE_DEG * Math.PI) / 180);

/**
 * What a perfect, speckle-free radar would record: beta nought of VV and VH by line and sample of
 * the widest frame.
 */
export interface CleanImage {
  lines: number;
  samples: number;
  beta: [Float32Array, Float32Array];
  /** Beta nought of the bright targets by cell: they do not speckle. */ bright: Map<
    number,
    [number, number]
  >;
  rd: RangeDoppler;
}

/**
 * Illuminated facets in the true geometry of a pass. A cell's beta nought is the sum over its
 * facets of gamma nought times the area seen
 * along the beam, over the slant-range cell; facets in shadow and turned away add nothing, layover
 * adds up.
 */
export function simulate(ground: Ground, pass: RadarPass): CleanImage {
  const rd = trueGeometry(pass);
  const { lines, samples } = rd.model;
  const beta: [Float32Array, Float32Array] = [
    new Float32Array(lines * samples),
    new Float32Array(lines * samples),
  ];
  const [vv, vh] = coverSigma(ground, {
    after: pass.flood === 1,
    wind: pass.wind,
    wetness: pass.wetness,
    seed: pass.seed,
  });
  if (pass.lakeWind !== pass.wind) {
    for (let i = 0; i < vv.length; i++) {
      const x = (i % WIDTH) / 100;
      const y = Math.floor(i / WIDTH) / 100;
      if (ground.cover[i] === COVER.water && Math.hypot(x - 10.2, y - 16.5) < 1.2) {
        vv[i]! *= 10 ** ((pass.lakeWind - pass.wind) / 10);
        vh[i]! *= 10 ** ((pass.lakeWind - pass.wind) / 20);
      }
    }
  }
  const grid = padded(ground);
  const w = grid.width;
  const h = grid.height;
  const at = (c: number, r: number) => {
    const x = c - PAD;
    const y = r - PAD;
    return x >= 0 && y >= 0 && x < WIDTH && y < HEIGHT ? y * WIDTH + x : -1;
  };
  const z = heightsOver(ground, grid);
  const lattice = sensorLattice(rd, grid, { col: 0, row: 0, width: w, height: h }, [0, 640]);
  const look = lookGeometry(rd, grid, w / 2, h / 2, 100)!;
  const lit = shadowFree(z, w, h, look.away, look.incidence);
  const sea: [number, number] = [
    10 ** ((-21.5 + pass.wind) / 10),
    10 ** ((-29 + 0.4 * pass.wind) / 10),
  ];
  const PARTS = 2;
  const share = 1 / (PARTS * PARTS);
  const locate = rowLocator(lattice, 0, w);
  let x0 = new Float64Array(w);
  let y0 = new Float64Array(w);
  let x1 = new Float64Array(w);
  let y1 = new Float64Array(w);
  locate(0, z.subarray(0, w), x0, y0);
  for (let r = 0; r + 1 < h; r++) {
    locate(r + 1, z.subarray((r + 1) * w, (r + 2) * w), x1, y1);
    for (let c = 0; c + 1 < w; c++) {
      const i = r * w + c;
      const ax = x0[c]!;
      const bx = x0[c + 1]!;
      const dx = x1[c]!;
      const ex = x1[c + 1]!;
      const ay = y0[c]!;
      const by = y0[c + 1]!;
      const dy = y1[c]!;
      const ey = y1[c + 1]!;
      if (!lit[i] || !(ax > -4 && ax < samples + 4 && ay > -4 && ay < lines + 4)) {
        continue;
      }
      const a = z[i]!;
      const b = z[i + 1]!;
      const delta = z[i + w]!;
      const e = z[i + w + 1]!;
      const k = at(c, r);
      const s0 = k < 0 ? sea[0] : vv[k]!;
      const s1 = k < 0 ? sea[1] : vh[k]!;
      for (let squares = 0; squares < PARTS; squares++) {
        for (let n = 0; n < PARTS; n++) {
          const value = (squares + 0.5) / PARTS;
          const across = (n + 0.5) / PARTS;
          const hc = (b - a) * (1 - value) + (e - delta) * value;
          const hr = (delta - a) * (1 - across) + (e - b) * across;
          const area = (look.flat + hc * look.perColumnRise + hr * look.perRowRise) * share * GAMMA;
          if (!(area > 0)) {
            continue;
          }
          const x =
            (ax * (1 - across) + bx * across) * (1 - value) +
            (dx * (1 - across) + ex * across) * value;
          const y =
            (ay * (1 - across) + by * across) * (1 - value) +
            (dy * (1 - across) + ey * across) * value;
          const xi = Math.floor(x);
          const yi = Math.floor(y);
          const fx = x - xi;
          const fy = y - yi;
          if (xi < 0 || yi < 0 || xi + 1 >= samples || yi + 1 >= lines) {
            continue;
          }
          const offset = yi * samples + xi;
          const w0 = (1 - fx) * (1 - fy) * area;
          const w1 = fx * (1 - fy) * area;
          const w2 = (1 - fx) * fy * area;
          const w3 = fx * fy * area;
          beta[0][offset]! += s0 * w0;
          beta[0][offset + 1]! += s0 * w1;
          beta[0][offset + samples]! += s0 * w2;
          beta[0][offset + samples + 1]! += s0 * w3;
          beta[1][offset]! += s1 * w0;
          beta[1][offset + 1]! += s1 * w1;
          beta[1][offset + samples]! += s1 * w2;
          beta[1][offset + samples + 1]! += s1 * w3;
        }
      }
    }
    [x0, x1] = [x1, x0];
    [y0, y1] = [y1, y0];
  }
  // The slant-range cell: constant along the track, slowly growing across.
  const cell = Float64Array.from({ length: samples }, (_v, s) => {
    const t = rd.timeOf(lines / 2);
    const sampleSpacingM = rd.model.sampleSpacingM;
    return (
      rd.slantRange((s + 0.5) * sampleSpacingM, t) - rd.slantRange((s - 0.5) * sampleSpacingM, t)
    );
  });
  const p0 = rd.ground(lines / 2, samples / 2, 0);
  const p1 = rd.ground(lines / 2 + 1, samples / 2, 0);
  const along = Math.hypot(p1[0] - p0[0], p1[1] - p0[1], p1[2] - p0[2]);
  for (const b of beta) {
    for (let offset = 0; offset < b.length; offset++) {
      b[offset]! /= cell[offset % samples]! * along;
    }
  }
  const bright: CleanImage["bright"] = new Map();
  for (const t of TARGETS) {
    addTarget(bright, targetAt(ground, rd, t), samples, t.rcs / (cell[samples >> 1]! * along));
  }
  return { lines, samples, beta, bright, rd };
}

/** Metres that the sea lies above the ellipsoid at a place of the island, in its cells. */
export function seaAt(ground: Ground, col: number, row: number): number {
  const toLonLat = transformer(ground.grid.crs, LONLAT);
  return egm96(...toLonLat(...toMap(ground.grid, col, row)));
}

/** Heights above the ellipsoid of the island with the sea around it. */
function heightsOver(ground: Ground, { width, height }: Grid): Float32Array {
  // Over the island the sea is as good as a plane.
  const corner = seaAt(ground, -PAD, -PAD);
  const perColumn = (seaAt(ground, width - PAD, -PAD) - corner) / width;
  const perRow = (seaAt(ground, -PAD, height - PAD) - corner) / height;
  const z = new Float32Array(width * height);
  for (let r = 0, i = 0; r < height; r++) {
    for (let c = 0; c < width; c++, i++) {
      const isIsland = c >= PAD && r >= PAD && c < PAD + WIDTH && r < PAD + HEIGHT;
      const above = isIsland ? ground.elevation[(r - PAD) * WIDTH + c - PAD]! : 0;
      z[i] = corner + c * perColumn + r * perRow + above;
    }
  }
  return z;
}

const padded = (ground: Ground): Grid =>
  northUp(
    ground.grid.crs,
    ground.grid.transform[0] - PAD * 10,
    ground.grid.transform[3] + PAD * 10,
    10,
    10,
    WIDTH + 2 * PAD,
    HEIGHT + 2 * PAD,
  );

/** Exact line and sample of a target, and its place on the map. */
export function targetAt(
  ground: Ground,
  rd: RangeDoppler,
  t: { x: number; y: number },
): { line: number; sample: number; easting: number; northing: number; height: number } {
  const col = t.x * 100;
  const row = t.y * 100;
  const height =
    ground.elevation[Math.floor(row) * WIDTH + Math.floor(col)]! + seaAt(ground, col, row);
  const [easting, northing] = toMap(ground.grid, col, row);
  const position = rd.locateGeodetic(
    ...transformer(ground.grid.crs, LONLAT)(easting, northing),
    height,
  );
  return { line: position.line, sample: position.sample, easting, northing, height };
}

/** Energy of a point in an image whose response is a Gaussian of 0.7 cells. */
function addTarget(
  bright: CleanImage["bright"],
  at: { line: number; sample: number },
  samples: number,
  total: number,
): void {
  const s = 0.7;
  const norm = 1 / (2 * Math.PI * s * s);
  for (let j = -4; j <= 4; j++) {
    for (let i = -4; i <= 4; i++) {
      const y = Math.round(at.line) + j;
      const x = Math.round(at.sample) + i;
      const value =
        total * norm * Math.exp(-((x - at.sample) ** 2 + (y - at.line) ** 2) / (2 * s * s));
      if (x >= 0 && x < samples && y >= 0) {
        bright.set(y * samples + x, [value, value * 0.02]);
      }
    }
  }
}

/**
 * Cells that the beam reaches: a walk from near to far that remembers the highest line of sight.
 */
function shadowFree(
  z: Float32Array,
  w: number,
  h: number,
  away: readonly [number, number],
  incidence: number,
): Uint8Array {
  const lit = new Uint8Array(w * h);
  const east = away[0] > 0;
  const slope = away[1] / away[0];
  const step = 10 * Math.hypot(1, slope);
  const fall = step / Math.tan(incidence);
  const tilt = Math.ceil(Math.abs(slope) * w) + 1;
  for (let line = -tilt; line < h + tilt; line++) {
    let horizon = -Infinity;
    for (let k = 0; k < w; k++) {
      const c = east ? k : w - 1 - k;
      const r = Math.round(line + slope * c);
      horizon -= fall;
      if (r < 0 || r >= h) {
        continue;
      }
      const value = z[r * w + c]!;
      if (value >= horizon) {
        lit[r * w + c] = 1;
      }
      horizon = Math.max(horizon, value);
    }
  }
  return lit;
}

/** Calibration and noise of the made-up instrument. */
export const BETA_GAIN = 474;
/**
 * Noise-equivalent sigma nought by share of the swath: scalloped, lowest in the middle of each
 * third.
 */
export const noiseSigma = (share: number): number =>
  NOISE_FLOOR * 10 ** (0.12 * Math.cos(share * 6 * Math.PI) + 0.08 * (share - 0.5));

/** How the noise floor changes along the track. */
export const azimuthRipple = (line: number): number => 1 + 0.06 * Math.sin(line / 190);

/**
 * Digital numbers as the product stores them: speckled beta nought plus noise, times gain², root,
 * rounded. Edges of the frame hold 0.
 * @param incidence radians by sample, for the sigma gain
 */
export function digitalNumbers(
  img: CleanImage,
  pass: RadarPass,
  band: 0 | 1,
  incidence: Float64Array,
): Uint16Array {
  const { lines, samples, beta } = img;
  const random = generator(pass.seed * 104729 + band);
  const table = Float32Array.from({ length: 1 << 16 }, () => gammaMean1(LOOKS, random));
  const out = new Uint16Array(lines * samples);
  const b = beta[band];
  const gain2 = BETA_GAIN * BETA_GAIN;
  const floor = Float64Array.from(
    { length: samples },
    (_v, c) => (noiseSigma(c / samples) * gain2) / Math.sin(incidence[c]!),
  );
  let s = (pass.seed * 2654435761 + band) >>> 0;
  for (let line = 0; line < lines; line++) {
    const ripple = azimuthRipple(line);
    const edge = 14 + 6 * noise(line / 260, band, pass.seed);
    const from = Math.ceil(pass.frame.sample0 + edge);
    const to = Math.floor(pass.frame.sample1 - edge);
    const offset = line * samples;
    if (line < pass.frame.line0 + 6 || line >= pass.frame.line1 - 6) {
      continue;
    }
    for (let c = from; c < to; c++) {
      s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
      out[offset + c] = Math.max(
        1,
        Math.min(
          65535,
          Math.sqrt((b[offset + c]! * gain2 + floor[c]! * ripple) * table[s >>> 16]!) + 0.5,
        ),
      );
    }
  }
  for (const [offset, value] of img.bright) {
    if (out[offset]! > 0) {
      out[offset] = Math.min(65535, Math.round(Math.sqrt(out[offset]! ** 2 + value[band] * gain2)));
    }
  }
  return out;
}
