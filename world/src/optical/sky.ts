import { fractal, hash2, noise } from "../random";
import { type OpticalDate, PER, opticalGrid } from "./ground";

/** Kilometres of the world by optical cell. */
const km = (cell: number) => ((cell + 0.5) * PER) / 100;
const each = <T extends Float32Array | Uint8Array>(
  out: T,
  valueAt: (x: number, y: number, c: number, r: number) => number,
): T => {
  const grid = opticalGrid();
  for (let r = 0, i = 0; r < grid.height; r++) {
    for (let c = 0; c < grid.width; c++, i++) {
      out[i] = valueAt(km(c), km(r), c, r);
    }
  }
  return out;
};
const cells = () => opticalGrid().width * opticalGrid().height;

/**
 * Haze beyond the air of a clear day, as optical depth by cell: two soft banks; none over more than
 * half of the scene.
 */
export const hazeBanks = (seed: number): Float32Array =>
  each(new Float32Array(cells()), (x, y) => {
    const bank = (cx: number, cy: number, rx: number, ry: number) =>
      Math.max(
        0,
        1 -
          ((x - cx) / rx) ** 2 -
          ((y - cy) / ry) ** 2 +
          0.5 * fractal(x * 0.35, y * 0.35, 3, seed),
      );
    return 0.17 * Math.min(1.2, Math.max(bank(6.4, 12.2, 5, 3.6), 0.8 * bank(18.4, 6.6, 2.7, 2.3)));
  });

interface Cloud {
  x: number;
  y: number;
  r: number;
  high: number;
}
/** Clouds of a fair day. */
export const USUAL_CLOUDS = { count: 9, size: 1 };

const clouds = (seed: number, { count, size }: typeof USUAL_CLOUDS): Cloud[] =>
  Array.from({ length: count }, (_v, k) => ({
    x: 3 + 18 * hash2(k, 1, seed),
    y: 2 + 16 * hash2(k, 2, seed),
    r: size * (0.35 + 0.5 * hash2(k, 3, seed)),
    high: 1.1 + 0.5 * hash2(k, 4, seed),
  }));
const blob = (x: number, y: number, cloud: Cloud, seed: number) => {
  const delta =
    Math.hypot(x - cloud.x, (y - cloud.y) * 1.3) / cloud.r +
    0.45 * noise(x * 3.2, y * 3.2, seed + 9);
  return Math.max(0, Math.min(1, (1.05 - delta) / 0.35));
};
/**
 * How much of a cell cloud hides, 0 to 1, and how much of the sun its shadow takes; shadows fall
 * away from the sun by the height of the cloud.
 */
export function cloudCover(
  seed: number,
  date: Pick<OpticalDate, "sunElevationDeg" | "sunAzimuthDeg">,
  sky = USUAL_CLOUDS,
): { cloud: Float32Array; shadow: Float32Array } {
  const all = clouds(seed, sky);
  const a = (date.sunAzimuthDeg * Math.PI) / 180;
  const far = 1 / Math.tan((date.sunElevationDeg * Math.PI) / 180);
  return {
    cloud: each(new Float32Array(cells()), (x, y) =>
      all.reduce((m, cloud) => Math.max(m, blob(x, y, cloud, seed)), 0),
    ),
    shadow: each(
      new Float32Array(cells()),
      (x, y) =>
        0.62 *
        all.reduce(
          (m, cloud) =>
            Math.max(
              m,
              blob(
                x + Math.sin(a) * far * cloud.high,
                y - Math.cos(a) * far * cloud.high,
                cloud,
                seed,
              ),
            ),
          0,
        ),
    ),
  };
}

/**
 * Lines that a failed scan mirror leaves out: slanted, none in the middle of the frame and up to
 * ten cells wide at its edges. 1 = missing.
 */
export const scanGaps = (): Uint8Array => {
  const { width } = opticalGrid();
  return each(new Uint8Array(cells()), (_x, _y, c, r) => {
    const side = Math.abs(c - width / 2) / (width / 2);
    const at = (((r + 0.16 * c) % 26) + 26) % 26;
    return side > 0.12 && at < 1 + 9.4 * side ? 1 : 0;
  });
};

/**
 * Tone of a frame: the light inside it (hot spot, dark edges) and its level and contrast.
 * Reflectance seen = (true · light) · gain + offset.
 */
export interface Tone {
  from: number;
  to: number;
  gain: number;
  offset: number;
  light(x: number, y: number): number;
}
const frameWest: Tone = {
  from: 0,
  to: 0.56,
  gain: 1,
  offset: 0,
  light: (x, y) => {
    const across = (x - 6.7) / 6.7;
    const value = (y - 10) / 10;
    return (
      1 +
      0.26 * Math.exp(-(((x - 4.6) / 3.2) ** 2 + ((y - 7.2) / 3.4) ** 2)) -
      0.14 * Math.min(1.3, (across * across + value * value) / 1.4) ** 2
    );
  },
};
const frameEast: Tone = { from: 0.42, to: 1, gain: 0.84, offset: 0.018, light: () => 1 };
export const TONES = { west: frameWest, east: frameEast } as const;
