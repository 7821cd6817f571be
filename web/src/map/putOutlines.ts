import Feature from "ol/Feature";
import { containsCoordinate } from "ol/extent";
import GeoJSON from "ol/format/GeoJSON";
import type VectorSource from "ol/source/Vector";
import type { Crs } from "@hindglance/core/geodesy/crs";
import { projectionOf } from "./projection";

interface Shape {
  number: number;
  geometry: object;
}

/** Outlines of patches in the coordinates of a map; each has its number as its id. */
export function outlineFeatures(shapes: readonly Shape[], crs: Crs): Feature[] {
  const featureProjection = projectionOf(crs);
  const format = new GeoJSON({ dataProjection: "EPSG:4326", featureProjection });
  return shapes.map(({ geometry, number }) => {
    const feature = new Feature(format.readGeometry(geometry) ?? undefined);
    feature.setId(number);
    return feature;
  });
}

/** Puts outlines on a map in place of those that are there. */
export function putOutlines(source: VectorSource, features: Feature[]): void {
  source.clear(true);
  source.addFeatures(features);
}

/** Number of the last outline that a place lies in; null where it lies in none. */
export function outlineAt(features: readonly Feature[], place: [number, number]): number | null {
  const hit = features.findLast((feature) => {
    const geometry = feature.getGeometry();
    return (
      geometry !== undefined &&
      containsCoordinate(geometry.getExtent(), place) &&
      geometry.intersectsCoordinate(place)
    );
  });
  return hit ? Number(hit.getId()) : null;
}
