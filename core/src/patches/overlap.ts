import { CLASS_NODATA } from "../raster/block";
import type { Labelling } from "./label";
import { type Runs, runEnd } from "./runs";

/** Patches of a label image: its runs, and the patch of each. */
export interface PatchedImage {
  runs: Runs;
  labelling: Labelling;
}

/** The patch of another image that covers the most of one. */
export interface Cover {
  /** Its place in reading order, as in the labelling. */
  patch: number;
  /** Cells that both have. */
  cells: number;
}

const isClass = (label: number): boolean => label !== 0 && label !== CLASS_NODATA;

/**
 * For every patch of an image the patch of an older one, of the same class, that has the most cells with
 * it in common; null where none has any. In reading order, as the labelling has them.
 * @param sameAs the label that a label of the older image has in the newer one; null where it has none
 * @throws RangeError where the images are not of one size
 */
export function mostCovering(
  image: PatchedImage,
  older: PatchedImage,
  sameAs: (label: number) => number | null,
): (Cover | null)[] {
  const { runs, labelling } = image;
  const { width, height } = runs;
  if (older.runs.width !== width || older.runs.height !== height) {
    throw new RangeError(
      `An image of ${older.runs.width} x ${older.runs.height} cells does not lie on one of ${width} x ${height}`,
    );
  }
  const common = new Map<number, number>();
  const count = older.labelling.count;
  for (let r = 0; r < height; r++) {
    eachMeeting(image.runs, older.runs, r, (i, k, cells) => {
      const label = runs.labels[i]!;
      if (isClass(label) && sameAs(older.runs.labels[k]!) === label) {
        const pair = labelling.patchOfRun[i]! * count + older.labelling.patchOfRun[k]!;
        common.set(pair, (common.get(pair) ?? 0) + cells);
      }
    });
  }
  const best = new Array<Cover | null>(labelling.count).fill(null);
  for (const [pair, cells] of common) {
    const id = Math.floor(pair / count);
    if (cells > (best[id]?.cells ?? 0)) {
      best[id] = { patch: pair % count, cells };
    }
  }
  return best;
}

/** Calls for every two runs of a row that share cells. */
function eachMeeting(
  one: Runs,
  other: Runs,
  row: number,
  found: (i: number, k: number, cells: number) => void,
): void {
  let k = other.rows[row]!;
  for (let i = one.rows[row]!; i < one.rows[row + 1]!; i++) {
    const from = one.starts[i]!;
    const to = runEnd(one, i, row);
    while (runEnd(other, k, row) <= from) {
      k++;
    }
    for (let at = k; at < other.rows[row + 1]! && other.starts[at]! < to; at++) {
      const cells = Math.min(to, runEnd(other, at, row)) - Math.max(from, other.starts[at]!);
      found(i, at, cells);
    }
  }
}

/**
 * Numbers of patches from one on, the largest first, equal ones in reading order: by the place of each in
 * reading order; 0 for those of no class.
 */
export function numbersOf({ runs, labelling }: PatchedImage): Uint32Array {
  const seen = new Set<number>();
  for (let i = 0; i < runs.starts.length; i++) {
    if (isClass(runs.labels[i]!)) {
      seen.add(labelling.patchOfRun[i]!);
    }
  }
  const numbers = new Uint32Array(labelling.count);
  [...seen]
    .sort((one, other) => labelling.sizes[other]! - labelling.sizes[one]!)
    .forEach((id, k) => {
      numbers[id] = k + 1;
    });
  return numbers;
}
