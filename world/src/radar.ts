import { type Grid } from "@hindglance/core/grid/grid";
import { COVER, type Ground, HEIGHT, WIDTH } from "./ground";
import { islandThings } from "./islandThings";
import { fractal, gammaMean1, generator, hash2, noise } from "./random";
import { putThings } from "./smallThings";

/** One pass of the made-up radar over the island. */
export interface Pass {
  time: string;
  /** Whether the flood is there. */
  after: boolean;
  seed: number;
  /** dB added to open water by wind. */
  wind: number;
  /** dB added to bare and cropped soil by wetness, in broad patterns. */
  wetness: number;
  /** True where the frame shows the ground, by kilometres east and south. */
  frame(x: number, y: number): boolean;
}

export const BEFORE: Pass = {
  time: "2025-05-02T18:41:10Z",
  after: false,
  seed: 502,
  wind: 0,
  wetness: 0.2,
  frame: (x, y) => x > 0.25 + 0.012 * y,
};
export const AFTER: Pass = {
  time: "2025-05-14T18:41:10Z",
  after: true,
  seed: 514,
  wind: 0.8,
  wetness: 0.6,
  frame: (x, y) => x < 22.6 - 0.11 * (10 - y) && !(x > 6.2 && x < 6.75 && y > 13.1 && y < 13.55),
};

export const INCIDENCE_DEG = 39;
const INCIDENCE = (INCIDENCE_DEG * Math.PI) / 180;
/** Looks of one 10 m cell. */
export const LOOKS = 4.4;
/** Noise-equivalent sigma nought, as power. */
export const NOISE_FLOOR = 10 ** (-31 / 10);

/** Mean sigma nought in dB of flat ground, [VV, VH]. */
const SIGMA: Record<number, [number, number]> = {
  [COVER.water]: [-21.5, -29],
  [COVER.reed]: [-9.5, -16.5],
  [COVER.pasture]: [-12.2, -19],
  [COVER.crop]: [-10.4, -17],
  [COVER.heath]: [-11.4, -17.6],
  [COVER.wood]: [-8.4, -13.6],
  [COVER.rock]: [-9.8, -18.5],
  [COVER.town]: [-3.8, -11.5],
  [COVER.airfield]: [-20.2, -27.5],
};

/**
 * Sigma nought without speckle on the ground grid, [VV, VH], as linear power, with the light and
 * shade of slopes.
 */
export function cleanSigma(ground: Ground, pass: Pass): [Float32Array, Float32Array] {
  const bands = coverSigma(ground, pass);
  const lit = illumination(ground.elevation);
  for (let i = 0; i < lit.length; i++) {
    if (ground.cover[i] === COVER.water || !(pass.after && ground.waterAfter[i] === 1)) {
      bands[0][i]! *= lit[i]!;
      bands[1][i]! *= lit[i]!;
    }
  }
  return bands;
}

/** Sigma nought of the land cover as if every slope were level, [VV, VH], as linear power. */
export function coverSigma(
  ground: Ground,
  pass: Pick<Pass, "after" | "wind" | "wetness" | "seed">,
): [Float32Array, Float32Array] {
  const n = WIDTH * HEIGHT;
  const vv = new Float32Array(n);
  const vh = new Float32Array(n);
  for (let i = 0; i < n; i++) {
    const c = i % WIDTH;
    const r = (i - c) / WIDTH;
    const x = c / 100;
    const y = r / 100;
    const cover = ground.cover[i]!;
    let [a, b] = SIGMA[cover]!;
    const wasWater = cover === COVER.water;
    const water = pass.after ? ground.waterAfter[i] === 1 : wasWater;
    if (water) {
      if (!wasWater && cover === COVER.reed) {
        a += 2.6;
        b += 0.8;
      } // stems and water mirror the beam back
      else if (!wasWater && cover === COVER.town) {
        a += 1.5;
        b += 0.4;
      } // walls do the same
      else {
        [a, b] = SIGMA[COVER.water]!;
        a += pass.wind + 0.7 * noise(x * 1.3, y * 1.3, pass.seed);
        b += 0.4 * pass.wind;
      }
    } else if (wasWater) {
      a = -14;
      b = -21;
    } // drained mud
    else {
      if (cover === COVER.crop) {
        const k = hash2(ground.field[i]! & 65535, ground.field[i]! >>> 16, 5) - 0.5;
        a += 3.2 * k;
        b += 3.6 * k;
      }
      if (cover === COVER.town) {
        const k = hash2(c >> 1, r >> 1, 6);
        a += 9 * (k - 0.5) + (k > 0.985 ? 9 : 0);
        b += 7 * (k - 0.5);
      }
      if (cover !== COVER.town && cover !== COVER.airfield) {
        const t = 0.7 * fractal(x * 2.2, y * 2.2, 3, 40);
        a += t;
        b += t;
      }
      if (cover === COVER.crop || cover === COVER.pasture) {
        const w = pass.wetness * (1 + noise(x * 0.5, y * 0.5, pass.seed + 1));
        a += w;
        b += 0.5 * w;
      }
    }
    vv[i] = 10 ** (a / 10);
    vh[i] = 10 ** (b / 10);
  }
  putThings([vv, vh], WIDTH, islandThings(ground), pass.after ? "after" : "before");
  return [vv, vh];
}

/**
 * Brightness of terrain relative to flat ground for a right-looking pass that flies south: the beam
 * comes from the east. A
 * cosine law on the local incidence; slopes that face away lose most of it, and what a ridge hides
 * is in shadow (0).
 */
function illumination(z: Float32Array): Float32Array {
  const out = new Float32Array(z.length);
  const sin = Math.sin(INCIDENCE);
  const cos = Math.cos(INCIDENCE);
  const fall = 10 / Math.tan(INCIDENCE);
  for (let r = 0; r < HEIGHT; r++) {
    let horizon = -Infinity;
    for (let c = WIDTH - 1; c >= 0; c--) {
      const i = r * WIDTH + c;
      const dx =
        (z[r * WIDTH + Math.min(WIDTH - 1, c + 2)]! - z[r * WIDTH + Math.max(0, c - 2)]!) / 40;
      const dy =
        (z[Math.max(0, r - 2) * WIDTH + c]! - z[Math.min(HEIGHT - 1, r + 2) * WIDTH + c]!) / 40;
      const local = (cos - dx * sin) / Math.sqrt(1 + dx * dx + dy * dy);
      horizon -= fall;
      const lit = local <= 0 ? 0.004 : Math.min(6, (local / cos) ** 2.4);
      out[i] = z[i]! < horizon ? 0 : lit;
      horizon = Math.max(horizon, z[i]!);
    }
  }
  return out;
}

/**
 * A calibrated image on a grid whose cells are `factor` ground cells wide: gamma speckle on every
 * ground cell, noise floor, then
 * the mean of power. Cells outside the frame are 0, as the files of the mission write fill.
 */
export function imageOf(ground: Ground, pass: Pass, grid: Grid, factor: number): Float32Array[] {
  return cleanSigma(ground, pass).map((clean, band) => {
    const random = generator(pass.seed * 7919 + band);
    const out = new Float32Array(grid.width * grid.height);
    const k = 1 / (factor * factor);
    for (let r = 0; r < grid.height; r++) {
      for (let c = 0; c < grid.width; c++) {
        let sum = 0;
        for (let j = 0; j < factor; j++) {
          for (let i = 0; i < factor; i++) {
            sum +=
              (clean[(r * factor + j) * WIDTH + c * factor + i]! + NOISE_FLOOR) *
              gammaMean1(LOOKS, random);
          }
        }
        out[r * grid.width + c] = pass.frame(((c + 0.5) * factor) / 100, ((r + 0.5) * factor) / 100)
          ? sum * k
          : 0;
      }
    }
    return out;
  });
}
