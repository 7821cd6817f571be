import { betaQuantile } from "./beta";
import type { StratumCounts } from "./sample";

/** An estimate with its standard error and 95 % interval; those are null where they cannot be told. */
export interface Estimate {
  value: number;
  /** By Taylor series over the strata, as in Olofsson et al. 2014. */
  standardError: number | null;
  low: number | null;
  high: number | null;
}

/** What a sample says of one class. */
export interface ClassAccuracy {
  label: number;
  mappedM2: number;
  /** Area by the sample, m²; the mapped one corrected for what the sample found. */
  area: Estimate;
  /** Share of the map's class that is right; null where the map has none of it. */
  users: Estimate | null;
  /** Share of the class on the ground that the map has; null where the sample found none of it. */
  producers: Estimate | null;
  f1: Estimate | null;
  /** Kappa of the map's class (conditional kappa). */
  kappa: Estimate | null;
}

/** What a sample says of a map. */
export interface Accuracy {
  /** Classes that the map or the sample has, in ascending order of labels. */
  labels: number[];
  /** Rows are the map, columns the reference: places that were looked at. */
  units: number[][];
  /** The same as shares of the area. */
  shares: number[][];
  areaM2: number;
  overall: Estimate;
  /** Agreement beyond chance. Tells little that overall accuracy does not (Pontius & Millones 2011). */
  kappa: Estimate | null;
  /** Disagreement in how much of each class there is, and in where it is; they sum to what is wrong. */
  quantity: Estimate;
  allocation: Estimate;
  classes: ClassAccuracy[];
}

/** Quantile of the normal distribution that a 95 % interval reaches to. */
const NORMAL_95 = 1.959963984540054;
/**
 * Places that are added to either side of a share before its interval is found: without them a stratum in
 * which no mistake was seen would count as if there were none in it.
 */
const UNSEEN = 0.25;

/** Shares of the area by row and column, with their sums. */
interface Shares {
  labels: number[];
  cells: number[][];
  rows: number[];
  columns: number[];
}

const total = (values: readonly number[]): number => values.reduce((sum, one) => sum + one, 0);

/** What follows from each place for an estimate: by label of the map and of the reference, as places. */
type Influence = (row: number, column: number) => number;

/** Estimates over strata whose places are known. */
class Strata {
  readonly areaM2: number;
  private readonly weights: number[];

  constructor(
    readonly all: readonly StratumCounts[],
    readonly labels: readonly number[],
  ) {
    this.areaM2 = total(all.map(({ areaM2 }) => areaM2));
    this.weights = all.map(({ areaM2 }) => areaM2 / this.areaM2);
  }

  placeOf(label: number): number {
    return this.labels.indexOf(label);
  }

  /** Share of a stratum's places that are of some classes. */
  private shareOf(
    { units, byReference }: StratumCounts,
    is: (reference: number) => boolean,
  ): number {
    let found = 0;
    byReference.forEach((count, reference) => {
      found += is(reference) ? count : 0;
    });
    return units > 0 ? found / units : 0;
  }

  shares(): Shares {
    const cells = this.labels.map(() => this.labels.map(() => 0));
    this.all.forEach((stratum, h) => {
      stratum.byReference.forEach((count, reference) => {
        const row = cells[this.placeOf(stratum.label)]!;
        row[this.placeOf(reference)]! += (this.weights[h]! * count) / stratum.units;
      });
    });
    return {
      labels: [...this.labels],
      cells,
      rows: cells.map(total),
      columns: this.labels.map((_label, k) => total(cells.map((row) => row[k]!))),
    };
  }

  /** Standard error of an estimate; null where a stratum has a single place, whose spread is not known. */
  standardError(influence: Influence): number | null {
    let variance = 0;
    for (const [h, { units, label, byReference }] of this.all.entries()) {
      if (units < 2) {
        return null;
      }
      const row = this.placeOf(label);
      let sum = 0;
      let squares = 0;
      byReference.forEach((count, reference) => {
        const value = influence(row, this.placeOf(reference));
        sum += count * value;
        squares += count * value * value;
      });
      const spread = Math.max(0, squares - (sum * sum) / units) / (units - 1);
      variance += (this.weights[h]! ** 2 * spread) / units;
    }
    return Math.sqrt(variance);
  }

  /**
   * Mean and variance of the share of the area that some places of some strata make up, with what may not
   * have been seen.
   */
  moments(
    isIn: (stratum: StratumCounts) => boolean,
    is: (reference: number, label: number) => boolean,
  ): { mean: number; variance: number } {
    let [mean, variance] = [0, 0];
    this.all.forEach((stratum, h) => {
      if (isIn(stratum)) {
        const share = this.shareOf(stratum, (reference) => is(reference, stratum.label));
        const yes = share * stratum.units + UNSEEN;
        const both = stratum.units + 2 * UNSEEN;
        const own = yes / both;
        mean += this.weights[h]! * own;
        variance += (this.weights[h]! ** 2 * own * (1 - own)) / (both + 1);
      }
    });
    return { mean, variance };
  }
}

/** Ends of a 95 % interval of a share, from a beta distribution of this mean and variance. */
function betaInterval({ mean, variance }: { mean: number; variance: number }): [number, number] {
  const size = (mean * (1 - mean)) / variance - 1;
  return size > 0
    ? [
        betaQuantile(0.025, mean * size, (1 - mean) * size),
        betaQuantile(0.975, mean * size, (1 - mean) * size),
      ]
    : [0, 1];
}

/** An estimate whose interval is that of a share. */
function share(
  value: number,
  standardError: number | null,
  moments: { mean: number; variance: number },
  scale = 1,
): Estimate {
  if (standardError === null) {
    return { value: scale * value, standardError, low: null, high: null };
  }
  const [low, high] = betaInterval(moments);
  return {
    value: scale * value,
    standardError: scale * standardError,
    // What was seen lies in the interval, whatever may not have been seen.
    low: scale * Math.min(low, value),
    high: scale * Math.max(high, value),
  };
}

/**
 * An estimate whose interval is that of a normal distribution, within bounds; none where no spread was
 * seen, which does not say that there is none.
 */
function plain(value: number, standardError: number | null, least: number): Estimate {
  const half = standardError ? NORMAL_95 * standardError : null;
  return {
    value,
    standardError,
    low: half === null ? null : Math.max(least, value - half),
    high: half === null ? null : Math.min(1, value + half),
  };
}

const one = (is: boolean): number => (is ? 1 : 0);

function overallOf(strata: Strata, { cells }: Shares): Estimate {
  const value = total(cells.map((row, k) => row[k]!));
  const error = strata.standardError((row, column) => one(row === column));
  const moments = strata.moments(
    () => true,
    (reference, label) => reference === label,
  );
  return share(value, error, moments);
}

/** Kappa of the whole map; null where chance alone explains all of it. */
function kappaOf(strata: Strata, { cells, rows, columns }: Shares): Estimate | null {
  const seen = total(cells.map((row, k) => row[k]!));
  const chance = total(rows.map((row, k) => row * columns[k]!));
  if (1 - chance < 1e-12) {
    return null;
  }
  const error = strata.standardError(
    (row, column) =>
      one(row === column) / (1 - chance) -
      ((1 - seen) / (1 - chance) ** 2) * (columns[row]! + rows[column]!),
  );
  return plain((seen - chance) / (1 - chance), error, -1);
}

/** Kappa of one class of the map. */
function classKappa(strata: Strata, { cells, rows, columns }: Shares, k: number): Estimate | null {
  const chance = rows[k]! * columns[k]!;
  const above = cells[k]![k]! - chance;
  const below = rows[k]! - chance;
  if (!(below > 1e-12)) {
    return null;
  }
  const error = strata.standardError((row, column) => {
    const ofChance = one(row === k) * columns[k]! + one(column === k) * rows[k]!;
    const ofAbove = one(row === k && column === k) - ofChance;
    const ofBelow = one(row === k) - ofChance;
    return (ofAbove * below - above * ofBelow) / below ** 2;
  });
  return plain(above / below, error, -1);
}

/** Disagreement in how much there is of each class, and in where it is (Pontius & Millones 2011). */
function disagreements(strata: Strata, { cells, rows, columns }: Shares) {
  const off = rows.map((row, k) => row - columns[k]!);
  const quantity = total(off.map(Math.abs)) / 2;
  const wrong = 1 - total(cells.map((row, k) => row[k]!));
  const signs = off.map(Math.sign);
  const ofQuantity: Influence = (row, column) => (signs[row]! - signs[column]!) / 2;
  return {
    quantity: plain(quantity, strata.standardError(ofQuantity), 0),
    allocation: plain(
      Math.max(0, wrong - quantity),
      strata.standardError((row, column) => -one(row === column) - ofQuantity(row, column)),
      0,
    ),
  };
}

/** Mean and variance of A ÷ (A + B), by Taylor series from those of A and B. */
function ratioMoments(
  right: { mean: number; variance: number },
  missed: { mean: number; variance: number },
): { mean: number; variance: number } {
  const sum = right.mean + missed.mean;
  return {
    mean: right.mean / sum,
    variance: (missed.mean ** 2 * right.variance + right.mean ** 2 * missed.variance) / sum ** 4,
  };
}

function producersOf(strata: Strata, { cells, columns }: Shares, k: number): Estimate | null {
  const label = strata.labels[k]!;
  const there = columns[k]!;
  if (!(there > 0)) {
    return null;
  }
  const value = cells[k]![k]! / there;
  const error = strata.standardError(
    (row, column) => (one(column === k) * (one(row === k) - value)) / there,
  );
  const isOf = (reference: number) => reference === label;
  const right = strata.moments((stratum) => stratum.label === label, isOf);
  const missed = strata.moments((stratum) => stratum.label !== label, isOf);
  return share(value, error, ratioMoments(right, missed));
}

function usersOf(strata: Strata, { cells, rows }: Shares, k: number): Estimate | null {
  const label = strata.labels[k]!;
  const mapped = rows[k]!;
  if (!(mapped > 0)) {
    return null;
  }
  const value = cells[k]![k]! / mapped;
  const error = strata.standardError(
    (row, column) => (one(row === k) * (one(column === k) - value)) / mapped,
  );
  const { mean, variance } = strata.moments(
    (stratum) => stratum.label === label,
    (reference) => reference === label,
  );
  return share(value, error, { mean: mean / mapped, variance: variance / mapped ** 2 });
}

/** Twice what both have over what either has, summed. */
function f1Of(strata: Strata, { cells, rows, columns }: Shares, k: number): Estimate | null {
  const both = rows[k]! + columns[k]!;
  if (!(both > 0)) {
    return null;
  }
  const value = (2 * cells[k]![k]!) / both;
  const error = strata.standardError(
    (row, column) =>
      (2 * one(row === k && column === k) - value * (one(row === k) + one(column === k))) / both,
  );
  return plain(value, error, 0);
}

function classOf(strata: Strata, found: Shares, k: number): ClassAccuracy {
  const label = strata.labels[k]!;
  const own = strata.all.filter((stratum) => stratum.label === label);
  const error = strata.standardError((_row, column) => one(column === k));
  const moments = strata.moments(
    () => true,
    (reference) => reference === label,
  );
  return {
    label,
    mappedM2: total(own.map(({ areaM2 }) => areaM2)),
    area: share(found.columns[k]!, error, moments, strata.areaM2),
    users: usersOf(strata, found, k),
    producers: producersOf(strata, found, k),
    f1: f1Of(strata, found, k),
    kappa: classKappa(strata, found, k),
  };
}

/**
 * What areas of known class say of a map: shares of the cells that lie in them, without intervals and
 * without areas of the whole, since such areas are no random sample of it.
 * @returns null where no cell was counted
 */
export function agreementIn(strata: readonly StratumCounts[]): Accuracy | null {
  const counted = strata
    .filter(({ units }) => units > 0)
    .map((stratum) => ({ ...stratum, areaM2: stratum.units }));
  const found = accuracyOf(counted);
  if (!found) {
    return null;
  }
  const bare = (estimate: Estimate): Estimate => ({
    ...{ value: estimate.value, standardError: null, low: null, high: null },
  });
  const bareOr = (estimate: Estimate | null) => estimate && bare(estimate);
  return {
    ...found,
    overall: bare(found.overall),
    kappa: bareOr(found.kappa),
    quantity: bare(found.quantity),
    allocation: bare(found.allocation),
    classes: found.classes.map((one) => ({
      ...one,
      area: bare(one.area),
      users: bareOr(one.users),
      producers: bareOr(one.producers),
      f1: bareOr(one.f1),
      kappa: bareOr(one.kappa),
    })),
  };
}

/** Strata without a single place that was looked at: nothing is known of them. */
export const unseenStrata = (strata: readonly StratumCounts[]): StratumCounts[] =>
  strata.filter(({ units, areaM2 }) => units === 0 && areaM2 > 0);

/**
 * What a sample says of a map: accuracies and areas with their standard errors. Places of a stratum stand
 * for its area; each is drawn as likely as any other of its stratum. Source: Olofsson et al. 2014, eqs. 4
 * to 11 where strata are the map's classes; Stehman 2014 where a class has several; Taylor series for
 * kappa, F1 and disagreements. Where places were drawn from the whole map, strata are its classes (post-
 * stratification). Intervals of shares are those of a beta distribution with the mean and variance of the
 * shares of all strata, a quarter of a place added to either side; they hold the truth as often as they
 * say on small samples too, where ± 1.96 standard errors do not.
 * @returns null where a stratum has no place that was looked at, or there is none at all
 */
export function accuracyOf(strata: readonly StratumCounts[]): Accuracy | null {
  const some = strata.filter(({ areaM2 }) => areaM2 > 0);
  if (some.length === 0 || unseenStrata(some).length > 0) {
    return null;
  }
  const labels = [
    ...new Set(some.flatMap(({ label, byReference }) => [label, ...byReference.keys()])),
  ].sort((a, b) => a - b);
  const held = new Strata(some, labels);
  const found = held.shares();
  const units = labels.map(() => labels.map(() => 0));
  for (const { label, byReference } of some) {
    byReference.forEach((count, reference) => {
      units[held.placeOf(label)]![held.placeOf(reference)]! += count;
    });
  }
  return {
    labels,
    units,
    shares: found.cells,
    areaM2: held.areaM2,
    overall: overallOf(held, found),
    kappa: kappaOf(held, found),
    ...disagreements(held, found),
    classes: labels.map((_label, k) => classOf(held, found, k)),
  };
}
