import { useMemo } from "react";
import type { NodeView } from "@hindglance/contract/nodes";
import { type Stretch, classLayer, greyLayer, rampLayer, rgbLayer } from "../map/layers";
import { tilesOf } from "../map/tiles";
import { cellsOf } from "../map/nodeCells";
import { rampById, rampFor } from "../map/ramps";
import type { SidePicture } from "./usePictures";

/** A stretch for bands of which the figures are not known yet. */
const UNKNOWN: Stretch = { lo: 0, hi: 1 };

function layerOf(
  { info }: NodeView,
  source: ReturnType<typeof tilesOf>,
  { bands, stretches }: SidePicture,
) {
  if (info.type === "class8") {
    return classLayer(source, info.classes ?? [], 1);
  }
  // Bands of a tile are counted from one.
  const [first = 1, second, third] = bands.map((at) => Math.min(at, info.bands.length - 1) + 1);
  const [stretch = UNKNOWN, stretch2 = UNKNOWN, stretch3 = UNKNOWN] = stretches ?? [];
  if (second && third) {
    return rgbLayer(source, [first, second, third], [stretch, stretch2, stretch3]);
  }
  const ramp = rampFor(info.bands[first - 1]!);
  return ramp === "grey"
    ? greyLayer(source, stretch, first)
    : rampLayer(source, stretch, rampById(ramp), first);
}

/** Cells of a node, and the layer that draws them. */
export function useSideLayer(node: NodeView, picture: SidePicture) {
  const source = tilesOf(node);
  const layer = useMemo(() => layerOf(node, source, picture), [node, source, picture]);
  return { cells: cellsOf(node), layer };
}
