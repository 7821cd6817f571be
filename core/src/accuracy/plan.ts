import { InputError } from "../errors";

/** A stratum before places are drawn: its share of the area, and how right it is expected to be. */
export interface Expected {
  id: number;
  areaM2: number;
  /** Cells that can be drawn. */
  cells: number;
  /** Expected user's accuracy, 0 to 1. */
  accuracy: number;
}

/** What is wanted of a sample. */
export interface Wanted {
  /** Of overall accuracy, 0 to 1. */
  standardError: number;
  /** Places of every stratum at the least. */
  least: number;
}

/** How many places of each stratum are to be drawn. */
export interface Plan {
  /** Places that the wanted standard error needs. */
  needed: number;
  /** By stratum, in their order. */
  units: number[];
  /** Standard error that overall accuracy will have with them, if accuracies are as expected. */
  standardError: number;
}

/** @throws InputError unless the wish can be planned for */
function requireSound(strata: readonly Expected[], { standardError, least }: Wanted): void {
  if (!(standardError > 0 && standardError < 1)) {
    throw new InputError(
      "A standard error lies between 0 and 1",
      "standardError",
      "0.01 is a usual one.",
    );
  }
  if (!(Number.isInteger(least) && least >= 2)) {
    throw new InputError(
      "Two places at the least are drawn of every stratum",
      "least",
      "50 are usual.",
    );
  }
  const wrong = strata.find(({ accuracy }) => !(accuracy >= 0 && accuracy <= 1));
  if (wrong) {
    throw new InputError("An accuracy lies between 0 and 1", "accuracy");
  }
}

/**
 * How large a sample is to be. Source: Cochran 1977, eq. 5.25, as in Olofsson et al. 2014, eq. 13: n =
 * (Σ W S)² ÷ (S(O)² + Σ W S² ÷ N), S² = U (1 − U). Strata get their share of the area, and as many as are
 * wanted at the least; what that takes more is added, so that large strata keep theirs. No stratum gets
 * more places than it has cells.
 * @throws InputError where the wish makes no sense
 */
export function planSample(strata: readonly Expected[], wanted: Wanted): Plan {
  requireSound(strata, wanted);
  const area = strata.reduce((sum, { areaM2 }) => sum + areaM2, 0);
  const cells = strata.reduce((sum, one) => sum + one.cells, 0);
  const weights = strata.map(({ areaM2 }) => areaM2 / area);
  const spreads = strata.map(({ accuracy }) => Math.sqrt(accuracy * (1 - accuracy)));
  const mean = weights.reduce((sum, weight, k) => sum + weight * spreads[k]!, 0);
  const squares = weights.reduce((sum, weight, k) => sum + weight * spreads[k]! ** 2, 0);
  const needed = Math.ceil(mean ** 2 / (wanted.standardError ** 2 + squares / cells));
  const units = strata.map((stratum, k) =>
    Math.min(stratum.cells, Math.max(wanted.least, Math.round(needed * weights[k]!))),
  );
  const variance = weights.reduce(
    (sum, weight, k) => sum + (units[k]! > 0 ? (weight ** 2 * spreads[k]! ** 2) / units[k]! : 0),
    0,
  );
  return { needed, units, standardError: Math.sqrt(variance) };
}
