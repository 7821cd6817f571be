import Feature from "ol/Feature";
import { fromExtent } from "ol/geom/Polygon";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import { Stroke, Style } from "ol/style";
import type { Geometry } from "@hindglance/core/vector/features";
import { type Ground, featuresOn } from "./ground";

/**
 * Outline of the study area, or another geometry in longitude and latitude, over imagery: a light
 * line on a dark one, seen on any ground.
 */
export const outlineLayer = (geometry: Geometry, ground: Ground): VectorLayer =>
  rimLayer(featuresOn(ground, [{ properties: {}, geometry }]), true);

const rimLayer = (features: Feature[], dashed: boolean): VectorLayer =>
  new VectorLayer({
    source: new VectorSource({ features }),
    style: [
      new Style({ stroke: new Stroke({ color: "rgba(18,24,26,.55)", width: 3 }) }),
      new Style({
        stroke: new Stroke({ color: "#ffffff", width: 1.2, lineDash: dashed ? [6, 4] : undefined }),
      }),
    ],
  });
/** A box in the map's own coordinates. */
export const boxLayer = (box: [number, number, number, number]): VectorLayer =>
  rimLayer([new Feature(fromExtent(box))], false);
