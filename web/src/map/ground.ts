import type OlFeature from "ol/Feature";
import GeoJSON from "ol/format/GeoJSON";
import type { Geometry as OlGeometry } from "ol/geom";
import type { Crs, PointTransform } from "@hindglance/core/geodesy/crs";
import { partly } from "@hindglance/core/vector/partly";
import type { Feature } from "@hindglance/core/vector/features";
import { projectionOf } from "./projection";

/** How places in longitude and latitude come onto a map. */
export interface Ground {
  crs: Crs;
  /** Into the map's coordinates, where the map is in a sensor's lines; null for a map's own system. */
  onto: PointTransform | null;
}

const collection = (features: readonly Feature[]) => ({
  type: "FeatureCollection",
  features: features.map((feature) => ({ type: "Feature", ...feature })),
});

/** Features in longitude and latitude as the map draws them; those that it has no place for are left out. */
export function featuresOn(
  { crs, onto }: Ground,
  features: readonly Feature[],
): OlFeature<OlGeometry>[] {
  if (!onto) {
    const featureProjection = projectionOf(crs);
    const format = new GeoJSON({ dataProjection: "EPSG:4326", featureProjection });
    return format.readFeatures(collection(features));
  }
  const placed = features.flatMap(({ properties, geometry }) => {
    const part = geometry && partly(geometry, onto);
    return part ? [{ properties, geometry: part }] : [];
  });
  return new GeoJSON().readFeatures(collection(placed));
}
