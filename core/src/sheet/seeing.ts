/**
 * How colours look to those who see fewer of them, and in print without colour.
 */

type Rgb = readonly [number, number, number];

/**
 * What red, green and blue light becomes to people without one kind of cone: Machado, Oliveira &
 * Fernandes 2009, table 1, severity 1.0; on linear light.
 */
const WITHOUT: Record<"protan" | "deutan" | "tritan", readonly Rgb[]> = {
  protan: [
    [0.152286, 1.052583, -0.204868],
    [0.114503, 0.786281, 0.099216],
    [-0.003882, -0.048116, 1.051998],
  ],
  deutan: [
    [0.367322, 0.860646, -0.227968],
    [0.280085, 0.672501, 0.047413],
    [-0.01182, 0.04294, 0.968881],
  ],
  tritan: [
    [1.255528, -0.076749, -0.178779],
    [-0.078411, 0.930809, 0.147602],
    [0.004733, 0.691367, 0.3039],
  ],
};

/** Red, green and blue of #rrggbb, 0 to 255. */
export function channels(hex: string): [number, number, number] {
  const channel = (k: number): number => parseInt(hex.slice(k, k + 2), 16);
  return [channel(1), channel(3), channel(5)];
}

/** Linear light of a channel, 0 to 255 (IEC 61966-2-1). */
const linear = (channel: number): number => {
  const share = channel / 255;
  return share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;
};

const light = (hex: string): Rgb => {
  const [red, green, blue] = channels(hex).map(linear);
  return [red!, green!, blue!];
};

const times = (rows: readonly Rgb[], [red, green, blue]: Rgb): Rgb => {
  const [first, second, third] = rows.map((row) =>
    Math.min(1, Math.max(0, row[0] * red + row[1] * green + row[2] * blue)),
  );
  return [first!, second!, third!];
};

/** Light as CIE XYZ of the standard observer, white of D65 as one. */
const XYZ: readonly Rgb[] = [
  [0.4124 / 0.9505, 0.3576 / 0.9505, 0.1805 / 0.9505],
  [0.2126, 0.7152, 0.0722],
  [0.0193 / 1.089, 0.1192 / 1.089, 0.9505 / 1.089],
];
const cubed = (value: number): number =>
  value > 216 / 24389 ? Math.cbrt(value) : ((24389 / 27) * value + 16) / 116;

/** CIE 1976 L*, a*, b* of light. */
function lab(own: Rgb): Rgb {
  const [fx, fy, fz] = times(XYZ, own).map(cubed);
  return [116 * fy! - 16, 500 * (fx! - fy!), 200 * (fy! - fz!)];
}

/** Lightness L* of a colour, 0 to 100: what a print in grey keeps of it. */
export const lightness = (hex: string): number => lab(light(hex))[0];

const between = (first: Rgb, second: Rgb): number =>
  Math.hypot(first[0] - second[0], first[1] - second[1], first[2] - second[2]);

/** Difference of two colours (CIE 1976) to those who lack a kind of cone: the least of the three. */
export const leastDifference = (first: string, second: string): number =>
  Math.min(
    ...Object.values(WITHOUT).map((rows) =>
      between(lab(times(rows, light(first))), lab(times(rows, light(second)))),
    ),
  );

/** Differences below which two areas of a map are hard to tell apart. */
const LEAST_LIGHTNESS = 12;
const LEAST_DIFFERENCE = 12;

/** Whether everybody can tell two colours apart, in print without colour too. */
export const isApart = (first: string, second: string): boolean =>
  Math.abs(lightness(first) - lightness(second)) >= LEAST_LIGHTNESS &&
  leastDifference(first, second) >= LEAST_DIFFERENCE;
