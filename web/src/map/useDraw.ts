import { type RefObject, useEffect, useRef } from "react";
import GeoJSON from "ol/format/GeoJSON";
import Draw from "ol/interaction/Draw";
import type OlMap from "ol/Map";
import type { ProjectionLike } from "ol/proj";

/** Lets people draw an outline on a map: gives it in longitude and latitude; Escape stops. */
export function useDraw(
  map: RefObject<OlMap | null>,
  drawing: boolean,
  projection: ProjectionLike,
  onDrawn: (geometry: object) => void,
  onStop: () => void,
): void {
  const drawn = useRef(onDrawn);
  const stop = useRef(onStop);
  drawn.current = onDrawn;
  stop.current = onStop;
  useEffect(() => {
    const current = map.current;
    if (!drawing || !current) {
      return;
    }
    const draw = new Draw({ type: "Polygon" });
    draw.on("drawend", (e) => {
      const geometry = new GeoJSON().writeGeometryObject(e.feature.getGeometry()!, {
        dataProjection: "EPSG:4326",
        featureProjection: projection,
      }) as unknown as { coordinates: [number, number][][] };
      drawn.current({ type: "MultiPolygon", coordinates: [geometry.coordinates] });
    });
    current.addInteraction(draw);
    const esc = (e: KeyboardEvent) => {
      if (e.key === "Escape") {
        stop.current();
      }
    };
    window.addEventListener("keydown", esc);
    return () => {
      current.removeInteraction(draw);
      window.removeEventListener("keydown", esc);
    };
  }, [map, drawing, projection]);
}
