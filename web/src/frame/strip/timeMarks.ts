import { monthName } from "../../lib/format";

export interface MonthMark {
  t: number;
  name: string;
}
/** Room that the name of a month with its year wants, pixels. */
const LABEL_PX = 92;

/**
 * First days of months between two times (UTC milliseconds), as many of them as can be read on an
 * axis so wide: every month, or every second, third, sixth, twelfth counted from January, or more
 * years apart.
 */
export function monthMarks(from: number, to: number, widthPx: number): MonthMark[] {
  const out: MonthMark[] = [];
  const month = (365.25 / 12) * 864e5;
  const room = widthPx > 0 ? Math.ceil((LABEL_PX * (to - from)) / (widthPx * month)) : Infinity;
  if (!Number.isFinite(room) || !(to > from)) {
    return out;
  }
  const every = [1, 2, 3, 6, 12].find((k) => k >= room) ?? 12 * Math.ceil(room / 12);
  const first = new Date(from).getUTCFullYear() * 12 + new Date(from).getUTCMonth() + 1;
  for (let m = Math.ceil(first / every) * every; ; m += every) {
    const t = Date.UTC(Math.floor(m / 12), m % 12, 1);
    if (t >= to) {
      return out;
    }
    out.push({ t, name: markName(m, every, out.length === 0) });
  }
}

/** A year where only years are marked; else a month, with its year at the first and at January. */
function markName(month: number, every: number, isFirst: boolean): string {
  const year = String(Math.floor(month / 12));
  if (every >= 12) {
    return year;
  }
  const name = monthName(month % 12);
  return isFirst || month % 12 === 0 ? `${name} ${year}` : name;
}

/** Marks nearer than this lie on each other, pixels. */
const MARK_PX = 13;
/**
 * A lane for every mark so that those of one day do not cover each other: 0 on the axis, −1 above
 * it, 1 below it; a fourth one lies on the axis again.
 */
export function lanesOf(xs: readonly number[]): number[] {
  const last = new Map<number, number>();
  const out = xs.map(() => 0);
  for (const { x, k } of xs.map((x, k) => ({ x, k })).sort((a, b) => a.x - b.x || a.k - b.k)) {
    const lane = [0, -1, 1].find((level) => !(x - (last.get(level) ?? -Infinity) < MARK_PX)) ?? 0;
    last.set(lane, x);
    out[k] = lane;
  }
  return out;
}
