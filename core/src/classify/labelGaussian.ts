import { CLASS_NODATA } from "../raster/block";
import { Workspace } from "../wasm/kernels";
import type { GaussianClass } from "./gaussian";

/** Classes with their priors, and how far from all of them a cell belongs to none. */
export interface GaussianModel {
  classes: readonly GaussianClass[];
  /** As `normalPriors` gives them. */
  priors: readonly number[];
  /** Squared Mahalanobis distance above which a cell is rejected; null: none is. */
  rejectAbove: number | null;
}

/** Cells that are labelled at a time: their bands and scores stay in the processor's cache. */
const CHUNK = 1 << 11;

/** The constant of a class's score: logarithm of prior times the density's factor. */
const constantOf = ({ logDeterminant }: GaussianClass, prior: number): number =>
  Math.log(prior) - 0.5 * logDeterminant;

/** Classes as the kernel reads them. */
function packed({ classes, priors }: GaussianModel): Float32Array {
  return Float32Array.from(
    classes.flatMap((one, k) => {
      const { mean, whitening } = one;
      const rows = [...mean].flatMap((_mean, a) =>
        [...whitening.subarray(a * mean.length, a * mean.length + a + 1)].map(
          (value) => value * Math.SQRT1_2,
        ),
      );
      return [constantOf(one, priors[k]!), ...mean, ...rows];
    }),
  );
}

/**
 * Number of the likeliest class of each cell, counted from 1: maximum likelihood with priors. 0
 * where it lies farther from that class than `rejectAbove`; 255 where a band is nodata. Scores are in
 * single precision: of two classes as likely to 1e-5 either may be taken.
 * @param bands by band, cells in one order
 */
export function labelLikeliest(
  bands: readonly Float32Array[],
  model: GaussianModel,
  out: Uint8Array,
): void {
  const { classes, priors, rejectAbove } = model;
  const workspace = Workspace.begin();
  const n = out.length;
  const size = Math.min((n + 15) & ~15, CHUNK);
  const table = workspace.take(bands.length * 4);
  const kept = packed(model);
  const weights = workspace.take(kept.length * 4);
  const scratch = workspace.take(bands.length * 64);
  const scores = workspace.take(classes.length * size * 4);
  const to = workspace.take(size);
  const at = bands.map(() => workspace.take(size * 4));
  workspace.u32(table, bands.length).set(at);
  workspace.f32(weights, kept.length).set(kept);
  const constants = classes.map((one, k) => constantOf(one, priors[k]!));
  for (let i = 0; i < n; i += size) {
    const m = Math.min(size, n - i);
    bands.forEach((band, j) => workspace.f32(at[j]!, m).set(band.subarray(i, i + m)));
    const { kernels } = workspace;
    kernels.gaussianScores(table, bands.length, weights, classes.length, scratch, scores, size, m);
    kernels.likeliest(scores, classes.length, size, to, m);
    const labels = workspace.u8(to, m);
    if (rejectAbove !== null) {
      const all = workspace.f32(scores, classes.length * size);
      for (let c = 0; c < m; c++) {
        const k = labels[c]! - 1;
        if (k < CLASS_NODATA - 1 && 2 * (constants[k]! - all[k * size + c]!) > rejectAbove) {
          labels[c] = 0;
        }
      }
    }
    out.set(labels, i);
  }
}
