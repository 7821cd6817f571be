import { useMemo } from "react";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import type { NodeView } from "../api/types";
import { useSame } from "../lib/useSame";
import { useFields } from "../prepare/useFields";
import { greyLayer, mutedClassLayer, rgbLayer } from "./layers";
import { inCommon, stretchesOf } from "./look";
import { tilesOf } from "./tiles";

/**
 * An image as a layer: three bands as red, green and blue on one stretch, or one in grey, or classes in
 * dark shades; null until it and the ends of its stretch are known.
 * @param wanted places of the bands, from nought; none while the image is not known
 */
export function useImageLayer(
  node: NodeView | undefined,
  wanted: readonly number[],
): WebGLTileLayer | null {
  const bands = useSame(wanted);
  const isClasses = node?.info.type === "class8";
  const fields = useFields(isClasses ? null : (node?.hash ?? null), null, bands);
  const stretches = useSame(bands.length ? stretchesOf(fields) : null);
  return useMemo(() => {
    if (isClasses) {
      return mutedClassLayer(tilesOf(node), node.info.classes ?? []);
    }
    if (!node || !stretches) {
      return null;
    }
    const source = tilesOf(node);
    const places = bands.map((band) => band + 1);
    return places.length === 3
      ? rgbLayer(source, places, inCommon(stretches))
      : greyLayer(source, stretches[0]!, places[0]);
  }, [node, isClasses, bands, stretches]);
}
