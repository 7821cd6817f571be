import { isSensorFrame } from "@hindglance/core/radar/sensor";
import type { NodeView } from "../api/types";

/**
 * A node as the map draws it: lines of sensor geometry run downwards, so that the map's up is minus
 * the line.
 */
export function displayed(n: NodeView): NodeView {
  const g = n.info.grid;
  const t = g.transform;
  return isSensorFrame(g.crs) && t[5] > 0
    ? { ...n, info: { ...n.info, grid: { ...g, transform: [t[0], t[1], 0, -t[3], 0, -t[5]] } } }
    : n;
}
