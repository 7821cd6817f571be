import { type GaussianClass, mahalanobisSquared } from "./gaussian";

/** How far a cell lies from each class; the class that it is nearest to is the one that it gets. */
export type Distances = (values: ArrayLike<number>, out: Float64Array) => void;

/** Euclid's distance from the mean of each class, in the units of the inputs. */
export const fromMeans =
  (means: readonly Float64Array[]): Distances =>
  (values, out) => {
    means.forEach((mean, k) => {
      let sum = 0;
      for (let b = 0; b < mean.length; b++) {
        sum += (values[b]! - mean[b]!) ** 2;
      }
      out[k] = Math.sqrt(sum);
    });
  };

/** Mahalanobis' distance from each class: in deviations of the class along the way to the cell. */
export const byOwnSpread =
  (classes: readonly GaussianClass[]): Distances =>
  (values, out) => {
    classes.forEach((one, k) => {
      out[k] = Math.sqrt(mahalanobisSquared(one, values));
    });
  };

/**
 * Angle between a cell's spectrum and the mean of each class, in degrees: how bright a cell is does
 * not count. NaN for a cell, or a mean, of noughts.
 * Source: Kruse et al. 1993.
 */
export function byAngle(means: readonly Float64Array[]): Distances {
  const lengths = means.map((mean) => Math.hypot(...mean));
  return (values, out) => {
    means.forEach((mean, k) => {
      let [product, square] = [0, 0];
      for (let b = 0; b < mean.length; b++) {
        product += values[b]! * mean[b]!;
        square += values[b]! ** 2;
      }
      const cosine = product / (Math.sqrt(square) * lengths[k]!);
      out[k] = (Math.acos(Math.max(-1, Math.min(1, cosine))) * 180) / Math.PI;
    });
  };
}
