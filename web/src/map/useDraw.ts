import { useEffect, useEffectEvent } from "react";
import Polygon from "ol/geom/Polygon";
import Draw from "ol/interaction/Draw";
import type OlMap from "ol/Map";
import type { ProjectionLike } from "ol/proj";
import type { AreaGeometry } from "../api/types";

const corner = ([lon = NaN, lat = NaN]: number[]): [number, number] => [lon, lat];

/** Lets people draw an outline on a map: gives it in longitude and latitude; Escape stops. */
export function useDraw(
  map: OlMap | null,
  drawing: boolean,
  projection: ProjectionLike,
  onDrawn: (geometry: AreaGeometry) => void,
  onStop: () => void,
): void {
  const drawn = useEffectEvent(onDrawn);
  const stop = useEffectEvent(onStop);
  useEffect(() => {
    if (!drawing || !map) {
      return;
    }
    const draw = new Draw({ type: "Polygon" });
    draw.on("drawend", (e) => {
      const polygon = e.feature.getGeometry();
      if (polygon instanceof Polygon) {
        const onEarth = polygon.clone().transform(projection, "EPSG:4326");
        const rings = onEarth.getCoordinates().map((ring) => ring.map(corner));
        drawn({ type: "MultiPolygon", coordinates: [rings] });
      }
    });
    map.addInteraction(draw);
    const esc = (e: KeyboardEvent) => {
      if (e.key === "Escape") {
        stop();
      }
    };
    window.addEventListener("keydown", esc);
    return () => {
      map.removeInteraction(draw);
      window.removeEventListener("keydown", esc);
    };
  }, [map, drawing, projection]);
}
