import { type Normal, NormalOf } from "./departure";
import type { Prior } from "./prior";

/** On which side of its normal a cell is away. */
export const AWAY_SIDES = ["below", "above", "both"] as const;
export type AwaySide = (typeof AWAY_SIDES)[number];

/** When a cell counts as away. */
export interface AwayAsk {
  /** Deviations beyond which it does. */
  beyond: number;
  side: AwaySide;
}

/** A date that is watched. */
export interface WatchedDate {
  cells: Float32Array;
  /** Days after the last date that is normal. */
  day: number;
}

/** What is known of cells that left their normal, band by band. */
export const AWAY_BANDS = [
  { name: "first away", unit: "days" },
  { name: "days away", unit: "days" },
  { name: "came back", unit: "" },
  { name: "farthest", unit: "σ" },
  { name: "dates away", unit: "dates" },
] as const;

/** Bands of the result by what they hold. */
export const AWAY = { first: 0, days: 1, back: 2, farthest: 3, dates: 4 } as const;

/** Whether a departure lies beyond the limit on the side that is asked for. */
export function isAway(departure: number, { beyond, side }: AwayAsk): boolean {
  switch (side) {
    case "below":
      return departure < -beyond;
    case "above":
      return departure > beyond;
    case "both":
      return departure > beyond || departure < -beyond;
  }
}

/**
 * When each cell left its normal for the first time, for how long, and whether it came back, over dates that
 * are watched, in their order. Days count from the last normal date; a cell that did not leave has 0 of them and
 * nothing else. It is away until the first later date that shows it within the limit; where there is none, until
 * the last one that shows it, and did not come back. Cells without a normal, or on no watched date, are nodata.
 * @param out bands as AWAY_BANDS has them
 */
export function away(
  normal: readonly Float32Array[],
  watched: readonly WatchedDate[],
  prior: Prior,
  ask: AwayAsk,
  out: readonly Float32Array[],
): void {
  const finder = new NormalOf(normal, prior);
  const found: Normal = { middle: NaN, deviation: NaN, table: null };
  const departures = new Float64Array(watched.length);
  for (let i = 0; i < out[0]!.length; i++) {
    finder.at(i, found);
    let seen = 0;
    watched.forEach(({ cells }, k) => {
      const value = cells[i]!;
      departures[k] = found.table ? found.table.of((value - found.middle) / found.deviation) : NaN;
      seen += value === value ? 1 : 0;
    });
    if (!found.table || seen === 0) {
      out.forEach((band) => {
        band[i] = NaN;
      });
      continue;
    }
    follow(departures, watched, ask, out, i);
  }
}

/** Follows one cell from date to date. */
function follow(
  departures: Float64Array,
  watched: readonly WatchedDate[],
  ask: AwayAsk,
  out: readonly Float32Array[],
  cell: number,
): void {
  let first = -1;
  let last = -1;
  let back = -1;
  let dates = 0;
  let farthest = NaN;
  for (let k = 0; k < watched.length; k++) {
    const departure = departures[k]!;
    if (departure !== departure) {
      continue;
    }
    const isOut = isAway(departure, ask);
    if (first < 0 && isOut) {
      first = k;
    }
    if (first >= 0 && back < 0) {
      last = k;
      back = isOut ? -1 : k;
      dates += isOut ? 1 : 0;
    }
    if (isOut && !(Math.abs(departure) <= Math.abs(farthest))) {
      farthest = departure;
    }
  }
  const isGone = first >= 0;
  const day = (k: number) => watched[k]!.day;
  out[AWAY.first]![cell] = isGone ? day(first) : 0;
  out[AWAY.days]![cell] = isGone ? day(back < 0 ? last : back) - day(first) : 0;
  out[AWAY.back]![cell] = isGone ? Number(back >= 0) : NaN;
  out[AWAY.farthest]![cell] = farthest;
  out[AWAY.dates]![cell] = dates;
}
