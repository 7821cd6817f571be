import { labelRuns } from "@hindglance/core/patches/label";
import { RunsBuilder } from "@hindglance/core/patches/runs";

/**
 * Classes of the measure by its own rules: 1 came or brighter, 2 went or darker.
 * @param from the strength that counts
 */
export function classesOf(strength: Float32Array, from = 1): Uint8Array {
  const classes = new Uint8Array(strength.length);
  for (let i = 0; i < strength.length; i++) {
    if (strength[i]! >= from) {
      classes[i] = 1;
    } else if (strength[i]! <= -from) {
      classes[i] = 2;
    }
  }
  return classes;
}

/** Patches that a map has, with corners counted as neighbours. */
export function patchesIn(classes: Uint8Array, width: number): number {
  const height = classes.length / width;
  const builder = new RunsBuilder(width, height);
  for (let r = 0; r < height; r++) {
    builder.addRow(classes.subarray(r * width, (r + 1) * width));
  }
  const runs = builder.finish();
  const { patchOfRun } = labelRuns(runs, 8);
  return new Set(patchOfRun.filter((_, k) => runs.labels[k] !== 0)).size;
}
