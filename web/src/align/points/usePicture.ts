import { useMemo } from "react";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import type DataTile from "ol/source/DataTile";
import type { NodeView } from "../../api/types";
import { useSame } from "../../lib/useSame";
import { type Stretch, classLayer, greyLayer, rampLayer, rgbLayer } from "../../map/layers";
import { bandsOfLook, inCommon, stretchesOf } from "../../map/look";
import { type NodeCells, cellsOf } from "../../map/nodeCells";
import { rampById, rampFor } from "../../map/ramps";
import { tilesOf } from "../../map/tiles";
import { useFields } from "../../prepare/useFields";

/** Bands that a picture without wavelengths may name its colours by. */
const COLOURS = ["red", "green", "blue"];

function bandsShown({ bands }: NodeView["info"]): number[] {
  const named = COLOURS.map((name) => bands.findIndex((band) => band.name === name));
  return named.every((k) => k >= 0) ? named : bandsOfLook(bands, "natural");
}

function layerOf(
  { info }: NodeView,
  source: DataTile,
  bands: readonly number[],
  stretches: readonly Stretch[],
): WebGLTileLayer {
  if (bands.length === 3) {
    return rgbLayer(
      source,
      bands.map((k) => k + 1),
      inCommon(stretches),
    );
  }
  const band = bands[0]!;
  const stretch = stretches[0]!;
  const ramp = rampFor(info.bands[band]!);
  return ramp === "grey"
    ? greyLayer(source, stretch, band + 1)
    : rampLayer(source, stretch, rampById(ramp), band + 1);
}

/**
 * A date as a person finds their way in it: natural colours where it has them, else its first band.
 * Makes as many layers of it as are wanted; null until its stretch is known.
 */
export function usePicture(node: NodeView): {
  cells: NodeCells;
  layer: (() => WebGLTileLayer) | null;
} {
  const source = tilesOf(node);
  const isClasses = node.info.type === "class8";
  const bands = useMemo(() => bandsShown(node.info), [node]);
  const stretches = useSame(stretchesOf(useFields(isClasses ? null : node.hash, null, bands)));
  const layer = useMemo(() => {
    if (isClasses) {
      return () => classLayer(source, node.info.classes ?? [], 1);
    }
    return stretches && (() => layerOf(node, source, bands, stretches));
  }, [source, node, isClasses, stretches, bands]);
  return { cells: cellsOf(node), layer };
}
