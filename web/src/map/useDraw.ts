import { useEffect, useEffectEvent } from "react";
import Polygon from "ol/geom/Polygon";
import Draw, { createBox } from "ol/interaction/Draw";
import type OlMap from "ol/Map";
import type { ProjectionLike } from "ol/proj";
import type { AreaGeometry } from "../api/types";

const corner = ([lon = NaN, lat = NaN]: number[]): [number, number] => [lon, lat];

/** How an outline is drawn: corner by corner, from one corner to the other, or along the pointer's way. */
export type Drawing = "polygon" | "rectangle" | "freehand";

const drawOf = (how: Drawing): Draw => {
  if (how === "rectangle") {
    return new Draw({ type: "Circle", geometryFunction: createBox() });
  }
  return new Draw({ type: "Polygon", freehand: how === "freehand" });
};

/**
 * Lets people draw an outline on a map: gives it in longitude and latitude; Escape stops.
 * @param drawing how it is drawn; true: corner by corner; false: nothing is drawn
 */
export function useDraw(
  map: OlMap | null,
  drawing: Drawing | boolean,
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
    const draw = drawOf(drawing === true ? "polygon" : drawing);
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
