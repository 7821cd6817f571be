import type { NodeView } from "../api/types";
import { isSensorFrame } from "@hindglance/core/grid/frames";

/**
 * A node as the map draws it: lines of sensor geometry run downwards, so that the map's up is minus
 * the line.
 */
export function displayed(nodeView: NodeView): NodeView {
  const grid = nodeView.info.grid;
  const transform = grid.transform;
  return isSensorFrame(grid.crs) && transform[5] > 0
    ? {
        ...nodeView,
        info: {
          ...nodeView.info,
          grid: {
            ...grid,
            transform: [transform[0], transform[1], 0, -transform[3], 0, -transform[5]],
          },
        },
      }
    : nodeView;
}
