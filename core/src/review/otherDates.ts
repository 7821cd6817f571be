/** What a patch shows on one date, and on both dates of the pair; in one unit. */
interface Shown {
  value: number;
  before: number;
  after: number;
}

/**
 * Which date of the pair another date is like: the one whose value is nearer. Null where a value is no
 * number, or both dates of the pair show the same.
 */
export function likeWhich({ value, before, after }: Shown): "before" | "after" | null {
  const [toBefore, toAfter] = [Math.abs(value - before), Math.abs(value - after)];
  if (toBefore === toAfter || !Number.isFinite(toBefore - toAfter)) {
    return null;
  }
  return toBefore < toAfter ? "before" : "after";
}

/** On how many other dates a patch looks as the map says: as before earlier, as after later. */
export interface Agreement {
  earlierAlike: number;
  earlierSeen: number;
  laterAlike: number;
  laterSeen: number;
}

/**
 * On how many other dates a patch looks as the map says.
 * @param dates values of other dates, and whether they lie before the pair
 */
export function agreementWith(
  dates: readonly { value: number; isEarlier: boolean }[],
  pair: { before: number; after: number },
): Agreement {
  const out = { earlierAlike: 0, earlierSeen: 0, laterAlike: 0, laterSeen: 0 };
  for (const { value, isEarlier } of dates) {
    const like = likeWhich({ value, ...pair });
    if (like && isEarlier) {
      out.earlierSeen++;
      out.earlierAlike += like === "before" ? 1 : 0;
    } else if (like) {
      out.laterSeen++;
      out.laterAlike += like === "after" ? 1 : 0;
    }
  }
  return out;
}
