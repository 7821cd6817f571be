import { chiSquareAbove } from "../change/chiSquare";

/** Chance and correction of a likelihood ratio: degrees of freedom, rho and omega two of its series. */
interface Law {
  degrees: number;
  rho: number;
  omega: number;
}

/**
 * Law of the ratio that tests whether so many dates are alike. Source: Conradsen, Nielsen & Skriver 2016,
 * equations 13 to 15, for gamma distributed power (p of 1); channels whose speckle does not depend on each
 * other add up.
 */
export function lawOfAll(dates: number, looks: number, channels: number): Law {
  const rho = 1 - (dates / looks - 1 / (looks * dates)) / (6 * (dates - 1));
  return {
    degrees: channels * (dates - 1),
    rho,
    omega: channels * (-(dates - 1) / 4) * (1 - 1 / rho) ** 2,
  };
}

/** Law of the ratio that tests whether a date is like those before it. Source: the same, equations 18 to 20. */
export function lawOfNext(date: number, looks: number, channels: number): Law {
  const rho = 1 - (1 + 1 / (date * (date - 1))) / (6 * looks);
  return { degrees: channels, rho, omega: (-channels / 4) * (1 - 1 / rho) ** 2 };
}

/** Share of unchanged cells whose statistic −2 ln Q is as large or larger. */
export function shareAbove({ degrees, rho, omega }: Law, statistic: number): number {
  const value = rho * Math.max(0, statistic);
  const first = chiSquareAbove(value, degrees);
  const share = first + omega * (chiSquareAbove(value, degrees + 4) - first);
  return Math.min(1, Math.max(0, share));
}

/** Steps of the table of a law over the root of the statistic, and its largest value. */
const STEPS = 2000;
const MOST = 2500;
/** The rarest that is told. */
const RAREST = 300;

/** −log₁₀ of the share of a law, by a table. */
class Rarity {
  private readonly table: Float64Array;

  constructor(law: Law) {
    this.table = Float64Array.from({ length: STEPS + 2 }, (_v, k) => {
      const share = shareAbove(law, (k / STEPS) ** 2 * MOST);
      return share > 0 ? Math.min(RAREST, -Math.log10(share)) : RAREST;
    });
  }

  of(statistic: number): number {
    const place = Math.min(STEPS, Math.sqrt(Math.max(0, statistic) / MOST) * STEPS);
    const low = Math.floor(place);
    return this.table[low]! + (this.table[low + 1]! - this.table[low]!) * (place - low);
  }
}

/** What is found of a series, band by band. */
export const OMNIBUS_BANDS = [
  { name: "rarity of no change", unit: "" },
  { name: "changes", unit: "" },
  { name: "first change", unit: "days" },
  { name: "last change", unit: "days" },
  { name: "first change by", unit: "dB" },
  { name: "last change by", unit: "dB" },
] as const;

/** Places of what is known of a cell among those bands. */
export const OMNIBUS = { rarity: 0, count: 1, first: 2, last: 3, firstBy: 4, lastBy: 5 } as const;

/** How a series is tested. */
export interface OmnibusAsk {
  looks: number;
  /** −log₁₀ of the chance by which unchanged ground is called changed. */
  rarity: number;
  /** By date, days since the first. */
  days: readonly number[];
}

/** Tests series cell by cell; keeps its tables. */
export class Omnibus {
  private readonly all: Rarity[] = [];
  private readonly next: Rarity[] = [];
  /** Of the dates that show a cell: their places, and logarithms and sums by channel. */
  private readonly seen: Int32Array;

  constructor(
    private readonly ask: OmnibusAsk,
    private readonly channels: number,
  ) {
    this.seen = new Int32Array(ask.days.length);
  }

  private rarityOfAll(dates: number): Rarity {
    return (this.all[dates] ??= new Rarity(lawOfAll(dates, this.ask.looks, this.channels)));
  }

  private rarityOfNext(date: number): Rarity {
    return (this.next[date] ??= new Rarity(lawOfNext(date, this.ask.looks, this.channels)));
  }

  /**
   * Tests the series of every cell: whether all dates are alike, and where they are not, date by date when they
   * changed, from each change anew (Conradsen, Nielsen & Skriver 2016, section II D).
   * @param dates power by date and channel, not filtered; dates on which a channel is not over nought are left
   * out, cells with fewer than two dates are nodata
   * @param out bands as OMNIBUS_BANDS has them; days and decibels of no change are NaN
   */
  run(dates: readonly (readonly Float32Array[])[], out: readonly Float32Array[]): void {
    for (let i = 0; i < out[0]!.length; i++) {
      let count = 0;
      dates.forEach((bands, k) => {
        if (bands.every((band) => band[i]! > 0)) {
          this.seen[count++] = k;
        }
      });
      if (count < 2) {
        out.forEach((band) => {
          band[i] = NaN;
        });
      } else {
        this.cell(dates, i, count, out);
      }
    }
  }

  /** −2 ln Q of the dates from one on to another, both counted among those that are seen. */
  private statistic(
    dates: readonly (readonly Float32Array[])[],
    cell: number,
    from: number,
    to: number,
  ): number {
    const count = to - from;
    let total = 0;
    for (let channel = 0; channel < this.channels; channel++) {
      let sum = 0;
      let logs = 0;
      for (let k = from; k < to; k++) {
        const power = dates[this.seen[k]!]![channel]![cell]!;
        sum += power;
        logs += Math.log(power);
      }
      total += count * Math.log(sum / count) - logs;
    }
    return 2 * this.ask.looks * total;
  }

  private cell(
    dates: readonly (readonly Float32Array[])[],
    cell: number,
    count: number,
    out: readonly Float32Array[],
  ): void {
    const { rarity: limit, days } = this.ask;
    const whole = this.rarityOfAll(count).of(this.statistic(dates, cell, 0, count));
    let changes = 0;
    let [first, last, firstBy, lastBy] = [NaN, NaN, NaN, NaN];
    let from = 0;
    while (from < count - 1) {
      const left = count - from;
      const isAlike = this.rarityOfAll(left).of(this.statistic(dates, cell, from, count)) <= limit;
      const at = isAlike ? -1 : this.nextChange(dates, cell, from, count);
      if (at < 0) {
        break;
      }
      changes++;
      last = days[this.seen[at]!]!;
      lastBy = this.decibels(dates, cell, from, at);
      if (changes === 1) {
        first = last;
        firstBy = lastBy;
      }
      from = at;
    }
    [whole, changes, first, last, firstBy, lastBy].forEach((value, k) => {
      out[k]![cell] = value;
    });
  }

  /** The first date that is unlike those from one on before it; -1 where none is. */
  private nextChange(
    dates: readonly (readonly Float32Array[])[],
    cell: number,
    from: number,
    count: number,
  ): number {
    let before = 0;
    for (let at = from + 1; at < count; at++) {
      const all = this.statistic(dates, cell, from, at + 1);
      // The ratio of all dates so far is that of those before times that of the next.
      if (this.rarityOfNext(at + 1 - from).of(all - before) > this.ask.rarity) {
        return at;
      }
      before = all;
    }
    return -1;
  }

  /** How much brighter a date is than the mean of those before it, of all channels together, decibels. */
  private decibels(
    dates: readonly (readonly Float32Array[])[],
    cell: number,
    from: number,
    at: number,
  ): number {
    let sum = 0;
    for (let channel = 0; channel < this.channels; channel++) {
      let before = 0;
      for (let k = from; k < at; k++) {
        before += dates[this.seen[k]!]![channel]![cell]!;
      }
      sum += Math.log10((dates[this.seen[at]!]![channel]![cell]! * (at - from)) / before);
    }
    return (10 * sum) / this.channels;
  }
}
