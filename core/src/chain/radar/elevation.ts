import type { ImageInfo } from "../../graph/image";
import { type NodeSpec, node, sourceNode } from "../../graph/node";
import type { Field } from "../../form/fields";
import type { Outside } from "../../terrain/outside";

/** The elevation that a chain works with. */
export interface Elevation {
  imageId: string;
  info: ImageInfo;
  /**
   * Share of the study grid that the scene shows and the elevation has heights of, 0 to 1; absent
   * where it is not known.
   */
  cover?: number | null;
  /** Why its heights may be counted from something else than is said. */
  datumDoubt?: string | null;
}

/** Under this share what is missing is told. */
const WHOLE = 0.995;

/** Whether so little is missing of a share that nothing needs to be said; nothing known is whole. */
export const isWhole = (cover: number | null | undefined): boolean =>
  cover == null || cover >= WHOLE;

const BEYOND: Record<Outside, string> = {
  seaLevel: "Beyond it the ground is taken to lie at sea level: hills there are off their place",
  ellipsoid:
    "Beyond it the ground is taken to lie on the ellipsoid: hills there are off their place",
  nodata: "Beyond it there is nodata",
};

/** What an elevation leaves out of a scene, in words; null where it leaves out nothing. */
export function coverWarning({ cover }: Elevation, outside: Outside): string | null {
  if (cover == null || isWhole(cover)) {
    return null;
  }
  const share = cover < 0.005 ? 0 : Math.max(1, Math.round(100 * cover));
  return share === 0
    ? `The elevation lies elsewhere: it covers nothing of what this date shows of the study grid. ${BEYOND[outside]}.`
    : `The elevation covers ${share} % of what this date shows of the study grid. ${BEYOND[outside]}.`;
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
    { value: "seaLevel", name: "Sea", hint: "Sea level by the geoid EGM96" },
    { value: "ellipsoid", name: "Ellipsoid", hint: "Height 0 above the ellipsoid" },
    { value: "nodata", name: "Nodata", hint: "What has no elevation is left out" },
  ],
};
