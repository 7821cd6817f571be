import Feature from "ol/Feature";
import GeoJSON from "ol/format/GeoJSON";
import { fromExtent } from "ol/geom/Polygon";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import { Stroke, Style } from "ol/style";
import type { Crs } from "@hindglance/core/geodesy/crs";
import { projectionOf } from "./projection";

/**
 * Outline of the study area (or other lon/lat geometries) over imagery: a light line on a dark one,
 * seen on any ground.
 */
export function outlineLayer(geometries: object[], crs: Crs, dashed = true): VectorLayer {
  const format = new GeoJSON({ dataProjection: "EPSG:4326", featureProjection: projectionOf(crs) });
  const features = geometries.map(
    (geometry) => new Feature(format.readGeometry(geometry) ?? undefined),
  );
  return rimLayer(features, dashed);
}
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
