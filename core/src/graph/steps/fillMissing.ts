import { InputError } from "../../errors";
import { realCells } from "../../raster/block";
import type { Step, StepState } from "../step";
import { cellByCell, none } from "./common";

/** What an overview shows of every band. */
interface Seen extends StepState {
  /** By band: sum and number of its values. */
  sums: Float64Array;
  counts: Float64Array;
  /** Cells where some band has a value. */
  cells: number;
}

const isNumber = (value: number): boolean => value === value;

/**
 * Bands whose cells without a value take the mean of the band, where another band has one; a cell
 * without any value stays nodata. The report says how much each band lacks.
 */
export const fillMissingStep: Step<Record<string, never>, Seen> = {
  kind: "classify.fillMissing",
  version: 1,
  title: "Missing inputs",
  help: "Where one input has no value and another has, it takes its own mean.",
  inputs: { min: 1, max: 1 },
  params: none,
  overview: true,
  describe([info]) {
    if (info!.type !== "float32") {
      throw new InputError("Inputs of classes are real-valued", "inputs");
    }
    return info!;
  },
  gather: {
    async strip(ask, window) {
      const bands = (await ask.read(0, window)).bands.map(realCells);
      const sums = new Float64Array(bands.length);
      const counts = new Float64Array(bands.length);
      let cells = 0;
      for (let i = 0; i < window.width * window.height; i++) {
        let isSeen = false;
        for (const [b, band] of bands.entries()) {
          const value = band[i]!;
          if (isNumber(value)) {
            sums[b]! += value;
            counts[b]!++;
            isSeen = true;
          }
        }
        cells += isSeen ? 1 : 0;
      }
      return { sums, counts, cells };
    },
    merge(parts) {
      const sum = (of: "sums" | "counts") =>
        parts.reduce(
          (total, part) => total.map((value, b) => value + part[of][b]!),
          new Float64Array(parts[0]!.sums.length),
        );
      return {
        sums: sum("sums"),
        counts: sum("counts"),
        cells: parts.reduce((total, part) => total + part.cells, 0),
      };
    },
  },
  report({ state, base }) {
    return state
      ? {
          lines: base[0]!.bands.map(({ name }, b) => ({
            name,
            value: String(state.cells ? 1 - state.counts[b]! / state.cells : 0),
          })),
          warnings: [],
        }
      : null;
  },
  reach: cellByCell,
  compute([block], out, { state }) {
    const { sums, counts } = state!;
    const from = block!.bands.map(realCells);
    const isSeen = new Uint8Array(from[0]!.length);
    for (const band of from) {
      for (let i = 0; i < band.length; i++) {
        isSeen[i]! |= isNumber(band[i]!) ? 1 : 0;
      }
    }
    from.forEach((band, b) => {
      const to = realCells(out.bands[b]!);
      const mean = counts[b]! > 0 ? sums[b]! / counts[b]! : NaN;
      for (let i = 0; i < band.length; i++) {
        to[i] = isNumber(band[i]!) || !isSeen[i] ? band[i]! : mean;
      }
    });
  },
};
