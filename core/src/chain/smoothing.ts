import { type NodeSpec, walk } from "../graph/node";

/** A row of a radar chain that takes a date's sharp banks away. */
export interface Blur {
  row: "speckle" | "acrossDates";
  /** What it is, as one of several. */
  said: string;
}

/** A window whose every cell counts alike, or two dates that smooth each other. */
function blurOf({ step, params, inputs }: NodeSpec): Blur | null {
  const cells = Number(params.windowCells);
  switch (step) {
    case "radar.mean":
      return { row: "speckle", said: `mean of ${cells} × ${cells} cells` };
    case "radar.median":
      return { row: "speckle", said: `median of ${cells} × ${cells} cells` };
    case "radar.acrossDates":
      return inputs.length === 2 ? { row: "acrossDates", said: "across two dates" } : null;
    default:
      return null;
  }
}

/** What blurs banks in the chain of a date, each once. Filters that keep edges do not. */
export function blursIn(node: NodeSpec): Blur[] {
  const found = new Map<string, Blur>();
  walk(node, (one) => {
    const blur = blurOf(one);
    if (blur) {
      found.set(blur.said, blur);
    }
  });
  return [...found.values()];
}

/** The same image without what blurs banks in its chain; equal to it where nothing does. */
export function sharpened(node: NodeSpec): NodeSpec {
  const inputs = node.inputs.map(sharpened);
  const blur = blurOf(node);
  if (!blur) {
    return { ...node, inputs };
  }
  return inputs[blur.row === "acrossDates" ? Number(node.params.index) : 0]!;
}

const BLUR_WORDS: Record<Blur["row"], (said: string) => string> = {
  speckle: (said) =>
    `Speckle in Prepare takes the ${said}: banks are blurred by half as many, and narrow water is lost.`,
  acrossDates: () =>
    "Across dates had two dates only: each lends the other its banks. With more dates, or without this step, they are sharper.",
};

/** What the smoothing of a date's chain does to edges, for whoever maps them. */
export const smoothingWarnings = (node: NodeSpec): string[] =>
  blursIn(node).map(({ row, said }) => BLUR_WORDS[row](said));
