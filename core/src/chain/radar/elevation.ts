import type { ImageInfo } from "../../graph/image";
import { type NodeSpec, node, sourceNode } from "../../graph/node";
import type { Field } from "../../form/fields";

/** The elevation that a chain works with. */
export interface Elevation {
  imageId: string;
  info: ImageInfo;
}

/**
 * Stored elevation as heights above the ellipsoid; heights of which it is not known are taken to be
 * that already.
 */
export function ellipsoidalNode(imageId: string, info: ImageInfo): NodeSpec {
  const vertical = info.bands[0]?.vertical ?? "ellipsoid";
  return vertical === "ellipsoid"
    ? sourceNode(imageId)
    : node("terrain.ellipsoidal", {}, sourceNode(imageId));
}

/** Heights of an elevation above the ellipsoid; null without one. */
export const heightsFor = (elevation: Elevation | null): NodeSpec | null =>
  elevation && ellipsoidalNode(elevation.imageId, elevation.info);

/** What stands for heights where the elevation ends. */
export const beyondElevation: Field = {
  kind: "choice",
  at: "outside",
  label: "Beyond the elevation",
  options: [
    { value: "ellipsoid", name: "Height 0" },
    { value: "nodata", name: "Nodata" },
  ],
};
