import type { ImageInfo } from "@hindglance/core/graph/image";
import { type Of, hash, ofCore, shape, whole } from "./shapes";

/** Schema of a node as the page gets it: its address, and what it needs to draw it. */
export const nodeView = shape({
  hash,
  info: ofCore<ImageInfo>(),
  /** Halvings of the grid that there are tiles of, the full one counted. */
  levels: whole,
  /** Cells a side of a tile. */
  block: whole,
});
/** A node as the page gets it. */
export type NodeView = Of<typeof nodeView>;
