import Feature from "ol/Feature";
import GeoJSON from "ol/format/GeoJSON";
import type VectorSource from "ol/source/Vector";
import type { Crs } from "@hindglance/core/geodesy/crs";
import { projectionOf } from "./projection";

/** Puts outlines of patches on a map in place of those that are there; each has its number as its id. */
export function putOutlines(
  source: VectorSource,
  shapes: readonly { number: number; geometry: object }[],
  crs: Crs,
): void {
  const featureProjection = projectionOf(crs);
  const format = new GeoJSON({ dataProjection: "EPSG:4326", featureProjection });
  source.clear(true);
  source.addFeatures(
    shapes.map(({ geometry, number }) => {
      const feature = new Feature(format.readGeometry(geometry) ?? undefined);
      feature.setId(number);
      return feature;
    }),
  );
}
