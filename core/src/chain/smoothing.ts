import { type NodeSpec, walk } from "../graph/node";

/** Cells of a mean from which on banks are blurred enough to say so. */
const WIDE_CELLS = 5;

/**
 * What the smoothing of a date's chain does to edges, for whoever maps them. A mean over a window
 * blurs banks; smoothing across two dates alone lends each the other's.
 */
export function smoothingWarnings(node: NodeSpec): string[] {
  const out = new Set<string>();
  walk(node, ({ step, params, inputs }) => {
    const cells = Number(params.windowCells);
    if (step === "radar.mean" && cells >= WIDE_CELLS) {
      out.add(
        `Speckle in Prepare takes the mean of ${cells} × ${cells} cells: banks are blurred by half as many, and narrow water is lost. Refined Lee here keeps them.`,
      );
    }
    if (step === "radar.acrossDates" && inputs.length === 2) {
      out.add(
        "Across dates had two dates only: each lends the other its banks. With more dates, or without this step, they are sharper.",
      );
    }
  });
  return [...out];
}
