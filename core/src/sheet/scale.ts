import geodesic from "geographiclib-geodesic";
import { LONLAT, transformer } from "../geodesy/crs";
import type { SheetFacts } from "./facts";
import type { Box, Ground } from "./marks";

/** Ground as it lies in a box on the page. */
export interface Placed {
  box: Box;
  ground: Ground;
  /** Units of the system that a millimetre of the page stands for. */
  perMm: number;
}

/** First digits of scales, in ascending order. */
const NICE = [1, 1.25, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10];

/** The next number of few digits that is no smaller. */
export function niceUp(value: number): number {
  const power = 10 ** Math.floor(Math.log10(value));
  return power * NICE.find((digits) => digits * power >= value * (1 - 1e-9))!;
}

const WHOLE = [1, 2, 5];
/** The next 1, 2 or 5 with noughts that is no larger. */
export function niceDown(value: number): number {
  const power = 10 ** Math.floor(Math.log10(value));
  return power * Math.max(...WHOLE.filter((digits) => digits * power <= value * (1 + 1e-9)));
}

/** The middle of some ground. */
export const middleOf = ([west, south, east, north]: Ground): [number, number] => [
  (west + east) / 2,
  (south + north) / 2,
];

/**
 * Metres of ground that a unit of a system stands for at a place, by the geodesic between two places on
 * either side of it, west and east.
 */
export function metresAt(crs: SheetFacts["crs"], [x, y]: readonly [number, number]): number {
  const toLonLat = transformer(crs, LONLAT);
  const half = 500;
  const [lon0, lat0] = toLonLat(x - half, y);
  const [lon1, lat1] = toLonLat(x + half, y);
  return geodesic.Geodesic.WGS84.Inverse(lat0, lon0, lat1, lon1).s12! / (2 * half);
}

/**
 * Ground in a box at the next round scale at which all of it is seen.
 * @param paper how many times larger the page is printed than it is drawn
 * @param metres of ground that a unit of the system stands for
 */
export function placed(ground: Ground, box: Box, paper: number, metres: number): Placed {
  const [west, south, east, north] = ground;
  const needed = Math.max((east - west) / box.width, (north - south) / box.height);
  // A millimetre that is drawn is printed `paper` millimetres long.
  const scale = niceUp((needed * metres * 1000) / paper);
  const perMm = (scale * paper) / metres / 1000;
  const [x, y] = middleOf(ground);
  const [across, down] = [(box.width * perMm) / 2, (box.height * perMm) / 2];
  return { box, perMm, ground: [x - across, y - down, x + across, y + down] };
}

/** Denominator of the scale at which a map is printed. */
export const scaleOf = ({ perMm }: Placed, paper: number, metres: number): number =>
  Math.round((perMm * metres * 1000) / paper);

/** A place of the ground on the page. */
export const onPage =
  ({ box, ground, perMm }: Placed) =>
  (x: number, y: number): [number, number] => [
    box.x + (x - ground[0]) / perMm,
    box.y + (ground[3] - y) / perMm,
  ];
