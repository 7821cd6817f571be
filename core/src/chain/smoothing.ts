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
        `Speckle in Prepare takes the mean of ${cells} × ${cells} cells: banks are blurred by half as many, and narrow water is lost. Look at both dates before it.`,
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

/** Cells along the window of the widest mean that a date's chain takes; null where it takes none. */
export function meanCells(node: NodeSpec): number | null {
  const found: number[] = [];
  walk(node, ({ step, params }) => {
    if (step === "radar.mean") {
      found.push(Number(params.windowCells));
    }
  });
  return found.length ? Math.max(...found) : null;
}

/** The same image without the means that its chain takes over a window: its banks are not blurred. */
export function beforeMeans(node: NodeSpec): NodeSpec {
  const inputs = node.inputs.map(beforeMeans);
  return node.step === "radar.mean" ? inputs[0]! : { ...node, inputs };
}
