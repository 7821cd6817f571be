import { useMemo } from "react";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import type { NodeView } from "../api/types";
import { type Stretch, classLayer, greyLayer, rampLayer, rgbLayer, sourceOf } from "../map/layers";
import { bandsOfLook, inCommon, stretchesOf } from "../map/look";
import { NodeCells } from "../map/nodeCells";
import { rampById, rampFor } from "../map/ramps";
import { useFields } from "../prepare/useFields";

/**
 * A date as a person finds their way in it: natural colours where it has them, else its first band.
 * Makes as many layers of it as are wanted; null until its stretch is known.
 */
export function usePicture(node: NodeView): {
  cells: NodeCells;
  layer: (() => WebGLTileLayer) | null;
} {
  const cells = useMemo(() => new NodeCells(node), [node]);
  const source = useMemo(() => sourceOf(cells), [cells]);
  const coloured = ["red", "green", "blue"].map((n) =>
    node.info.bands.findIndex((band) => band.name === n),
  );
  const bands = useMemo(
    () => (coloured.every((k) => k >= 0) ? coloured : bandsOfLook(node.info.bands, "natural")),
    [node],
  );
  const fields = useFields(node.info.type === "class8" ? null : node.hash, null, bands);
  const s = stretchesOf(fields);
  const key = JSON.stringify(s);
  const layer = useMemo(() => {
    if (node.info.type === "class8") {
      return () => classLayer(source, node.info.classes ?? [], 1);
    }
    const stretches = JSON.parse(key) as Stretch[] | null;
    if (!stretches) {
      return null;
    }
    if (bands.length === 3) {
      return () =>
        rgbLayer(
          source,
          bands.map((k) => k + 1) as [number, number, number],
          inCommon(stretches) as [Stretch, Stretch, Stretch],
        );
    }
    const ramp = rampFor(node.info.bands[bands[0]!]!);
    return () =>
      ramp === "grey"
        ? greyLayer(source, stretches[0]!, bands[0]! + 1)
        : rampLayer(source, stretches[0]!, rampById(ramp), bands[0]! + 1);
  }, [source, node, key, bands]);
  return { cells, layer };
}
