// Inner loops in AssemblyScript, compiled to WebAssembly SIMD by scripts/kernels.mjs. Callers pass
// addresses in linear memory; the
// functions in core/src that wrap them carry shapes, units and sources.
export { decibels, logRatios } from "./decibel";
export { leeStrip } from "./lee";
export { refinedLeeStrip, REFINED_SCRATCH } from "./refinedLee";
export { labelByRules } from "./rules";
export { nearestGroups } from "./groups";
export { gaussianScores, likeliest } from "./gaussian";
export { addTree, binValues } from "./forest";
export { descendBoxes, gatherCells, keepUndecided } from "./boxes";
export { bestBin, bestBinScratch, countClasses, leavesOf, partRows } from "./grow";

/** First address that the caller may use. */
export function heapBase(): usize {
  return __heap_base;
}

export {
  calibrateRow,
  facetRow,
  rangePositions,
  sampleBilinear,
  sampleCubic,
  median3,
} from "./terrain";
export { hiddenLines } from "./hidden";
export { medianScratch, medianTile } from "./median";
export { smallChanges, smallChangesScratch } from "./smallChanges";
