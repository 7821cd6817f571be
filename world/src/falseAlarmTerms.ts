import { falseAlarmsPerCell } from "@hindglance/core/radar/falseAlarms";
import { SMALL_CHANGES_HALO, smallChanges } from "@hindglance/core/radar/smallChanges";
import { classesOf, patchesIn } from "./strengthPatches";
import { gammaMean1, generator } from "./random";

// Where the terms of core/src/radar/falseAlarms.ts come from: how many patches of each strength
// unchanged speckle has, and the terms that are fitted to the logarithms of their rates. Prints the
// terms and, for each kind of speckle, what was counted beside what they give.
//   node dist/world/falseAlarmTerms.js [images of each kind, 6 to begin with]

const SIDE = 1000;
const INNER = SIDE - 2 * SMALL_CHANGES_HALO;
const LOOKS = [1, 1.5, 2, 3, 4.4, 8, 20, 40];
/** Correlation of neighbours. */
const CORRELATIONS = [0, 0.35];
/** The weakest strength that can be asked for: what comes out is in units of it. */
const UNIT = 2.8;
const STRENGTHS = Array.from({ length: 27 }, (_, k) => UNIT + 0.1 * k);
/** Fewer patches say little of a rate. */
const LEAST_PATCHES = 50;
/** Counts beyond this weigh no more: from there on the form of the terms limits them, not chance. */
const MOST_WEIGHT = 2000;

interface Kind {
  looks: number;
  polarisations: number;
  correlation: number;
}

interface Counted extends Kind {
  cells: number;
  /** Patches of each of STRENGTHS or more. */
  patches: number[];
}

/** Share of each neighbour in a mean over three cells that gives neighbours such a correlation. */
function shareFor(correlation: number): number {
  let low = 0;
  let high = 1 / 3;
  for (let k = 0; k < 50; k++) {
    const share = (low + high) / 2;
    const own = 1 - 2 * share;
    if ((2 * share * own) / (own ** 2 + 2 * share ** 2) < correlation) {
      low = share;
    } else {
      high = share;
    }
  }
  return low;
}

/** Variance that a mean over three cells both ways leaves. */
const keptOf = (share: number): number => ((1 - 2 * share) ** 2 + 2 * share ** 2) ** 2;

/** Speckle of so many looks, neighbours of which go together. */
function speckleOf({ looks, correlation }: Kind, random: () => number): Float32Array {
  const share = shareFor(correlation);
  const base = looks * keptOf(share);
  let cells = Float32Array.from({ length: SIDE * SIDE }, () => gammaMean1(base, random));
  for (const step of correlation > 0 ? [1, SIDE] : []) {
    cells = cells.map(
      (own, i) =>
        (1 - 2 * share) * own + share * ((cells[i - step] ?? own) + (cells[i + step] ?? own)),
    );
  }
  return cells;
}

function countPatches(kind: Kind, images: number): Counted {
  const { looks, polarisations, correlation } = kind;
  const patches = STRENGTHS.map(() => 0);
  const out = new Float32Array(INNER * INNER);
  for (let image = 0; image < images; image++) {
    const random = generator(100_003 * (image + 1) + Math.round(1000 * looks + 77 * correlation));
    const date = () => Array.from({ length: polarisations }, () => speckleOf(kind, random));
    smallChanges(date(), date(), INNER, INNER, { perCell: 1, looks }, out);
    STRENGTHS.forEach((strength, k) => {
      patches[k]! += patchesIn(classesOf(out, strength / UNIT), INNER);
    });
  }
  return { ...kind, cells: images * INNER * INNER, patches };
}

/** Solves a small symmetric system by elimination. */
function solve(rows: number[][]): number[] {
  const n = rows.length;
  for (let i = 0; i < n; i++) {
    for (let k = 0; k < n; k++) {
      if (k !== i) {
        const factor = rows[k]![i]! / rows[i]![i]!;
        rows[k] = rows[k]!.map((value, j) => value - factor * rows[i]![j]!);
      }
    }
  }
  return rows.map((row, i) => row[n]! / row[i]!);
}

/** 1, z and z², and each of them over the looks of all polarisations. */
const factorsOf = (strength: number, looks: number): number[] => {
  const powers = [1, strength, strength ** 2];
  return [...powers, ...powers.map((power) => power / looks)];
};

/** Terms by weighted least squares on the logarithms of the rates. */
function fit(all: readonly Counted[]): number[] {
  const rows = Array.from({ length: 6 }, () => new Array<number>(7).fill(0));
  for (const { looks, polarisations, cells, patches } of all) {
    patches.forEach((count, k) => {
      if (count < LEAST_PATCHES) {
        return;
      }
      const weight = Math.min(count, MOST_WEIGHT);
      const factors = factorsOf(STRENGTHS[k]!, looks * polarisations);
      const wanted = [...factors, Math.log(count / cells)];
      factors.forEach((factor, i) => {
        rows[i] = rows[i]!.map((sum, j) => sum + weight * factor * wanted[j]!);
      });
    });
  }
  return solve(rows);
}

const images = Number(process.argv[2] ?? 6);
const kinds = LOOKS.flatMap(
  (looks) =>
    [1, 2].flatMap((polarisations) =>
      CORRELATIONS.map((correlation) => ({ looks, polarisations, correlation })),
    ),
  // The mean adds looks, and there is no speckle of less than one before it.
).filter(({ looks, correlation }) => looks * keptOf(shareFor(correlation)) >= 1);
const counted = kinds.map((kind) => countPatches(kind, images));
const terms = fit(counted);
for (let k = 0; k < 3; k++) {
  console.log(`{ plain: ${terms[k]!.toFixed(5)}, byLooks: ${terms[k + 3]!.toFixed(5)} }`);
}
console.log("strength: counted / by the new terms / by those of falseAlarms.ts");
for (const { looks, polarisations, correlation, cells, patches } of counted) {
  const said = STRENGTHS.flatMap((strength, k) => {
    if (k % 4 !== 0) {
      return [];
    }
    const all = looks * polarisations;
    const logarithm = factorsOf(strength, all).reduce(
      (sum, factor, i) => sum + factor * terms[i]!,
      0,
    );
    const kept = cells * falseAlarmsPerCell(strength, all);
    return `${strength.toFixed(1)}: ${patches[k]}/${(cells * Math.exp(logarithm)).toFixed(0)}/${kept.toFixed(0)}`;
  });
  console.log(`${looks} looks, ${polarisations} pol., ${correlation}  ${said.join("  ")}`);
}
