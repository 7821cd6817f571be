/** Cells whose probability lies in one tenth. */
export interface ReliabilityBin {
  cells: number;
  /** Mean probability of them, and the share of them that is right. */
  said: number;
  right: number;
}

/** How far probabilities hold. */
export interface Calibration {
  cells: number;
  wrong: number;
  /** From 0–0.1 to 0.9–1; those without a cell are left out. */
  bins: ReliabilityBin[];
  /** Mean difference of what is said and what is right, by cells (expected calibration error). */
  error: number;
  /** The same over the tenth of the cells that is most doubtful. */
  doubtfulError: number;
  /** Share of the wrong cells that lies in that tenth; 1 where none is wrong. */
  found: number;
}

const BINS = 10;

function binsOf(cells: readonly { said: number; right: boolean }[]): ReliabilityBin[] {
  const bins = Array.from({ length: BINS }, () => ({ cells: 0, said: 0, right: 0 }));
  for (const { said, right } of cells) {
    const bin = bins[Math.min(BINS - 1, Math.floor(said * BINS))]!;
    bin.cells++;
    bin.said += said;
    bin.right += right ? 1 : 0;
  }
  return bins.flatMap((bin) =>
    bin.cells > 0
      ? [{ cells: bin.cells, said: bin.said / bin.cells, right: bin.right / bin.cells }]
      : [],
  );
}

const errorOf = (bins: readonly ReliabilityBin[], cells: number): number =>
  bins.reduce((sum, bin) => sum + (bin.cells / cells) * Math.abs(bin.said - bin.right), 0);

/**
 * Holds probabilities against what is true.
 * @param certainty probability that a cell is what the map says; NaN is left out
 * @param isRight whether it is
 */
export function calibrationOf(
  certainty: ArrayLike<number>,
  isRight: (i: number) => boolean,
): Calibration {
  const cells: { said: number; right: boolean }[] = [];
  for (let i = 0; i < certainty.length; i++) {
    const said = certainty[i]!;
    if (said >= 0) {
      cells.push({ said, right: isRight(i) });
    }
  }
  cells.sort((a, b) => a.said - b.said);
  const doubtful = cells.slice(0, Math.floor(cells.length / BINS));
  const wrongOf = (some: typeof cells) => some.filter(({ right }) => !right).length;
  const wrong = wrongOf(cells);
  const bins = binsOf(cells);
  return {
    cells: cells.length,
    wrong,
    bins,
    error: errorOf(bins, cells.length),
    doubtfulError: errorOf(binsOf(doubtful), doubtful.length),
    found: wrong > 0 ? wrongOf(doubtful) / wrong : 1,
  };
}
