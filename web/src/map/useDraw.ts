import { useEffect, useEffectEvent } from "react";
import LineString from "ol/geom/LineString";
import Polygon from "ol/geom/Polygon";
import Draw, { createBox } from "ol/interaction/Draw";
import type OlMap from "ol/Map";
import type { ProjectionLike } from "ol/proj";
import type { AreaGeometry } from "../api/types";

const corner = ([lon = NaN, lat = NaN]: number[]): [number, number] => [lon, lat];

/** How an outline is drawn: corner by corner, from one corner to the other, or along the pointer's way. */
export type Drawing = "polygon" | "rectangle" | "freehand";

const drawOf = (how: Drawing | "line"): Draw => {
  if (how === "rectangle") {
    return new Draw({ type: "Circle", geometryFunction: createBox() });
  }
  return how === "line"
    ? new Draw({ type: "LineString" })
    : new Draw({ type: "Polygon", freehand: how === "freehand" });
};

/** Calls back when Escape is pressed, as long as it is on. */
export function useEscape(isOn: boolean, onStop: () => void): void {
  const stop = useEffectEvent(onStop);
  useEffect(() => {
    if (!isOn) {
      return;
    }
    const esc = (e: KeyboardEvent) => {
      if (e.key === "Escape") {
        stop();
      }
    };
    window.addEventListener("keydown", esc);
    return () => window.removeEventListener("keydown", esc);
  }, [isOn]);
}

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
  const onShape = (shape: Polygon) => {
    const onEarth = shape.clone().transform(projection, "EPSG:4326");
    const rings = onEarth.getCoordinates().map((ring) => ring.map(corner));
    onDrawn({ type: "MultiPolygon", coordinates: [rings] });
  };
  useDrawing(map, drawing, onShape, onStop);
}

/** As `useDraw`, in the map's coordinates. */
export function useDrawOnMap(
  map: OlMap | null,
  drawing: Drawing | false,
  onDrawn: (rings: [number, number][][]) => void,
  onStop: () => void,
): void {
  const onShape = (shape: Polygon) =>
    onDrawn(shape.getCoordinates().map((ring) => ring.map(corner)));
  useDrawing(map, drawing, onShape, onStop);
}

function useDrawing(
  map: OlMap | null,
  drawing: Drawing | boolean,
  onShape: (shape: Polygon) => void,
  onStop: () => void,
): void {
  const drawn = useEffectEvent(onShape);
  useEscape(!!drawing && !!map, onStop);
  useEffect(() => {
    if (!drawing || !map) {
      return;
    }
    const draw = drawOf(drawing === true ? "polygon" : drawing);
    draw.on("drawend", (e) => {
      const polygon = e.feature.getGeometry();
      if (polygon instanceof Polygon) {
        drawn(polygon);
      }
    });
    map.addInteraction(draw);
    return () => {
      map.removeInteraction(draw);
    };
  }, [map, drawing]);
}

/**
 * Lets people draw a line on a map, in the map's coordinates.
 * @param isOn whether one is drawn
 */
export function useDrawLine(
  map: OlMap | null,
  isOn: boolean,
  onDrawn: (line: [number, number][]) => void,
): void {
  const drawn = useEffectEvent(onDrawn);
  useEffect(() => {
    if (!isOn || !map) {
      return;
    }
    const draw = drawOf("line");
    draw.on("drawend", (e) => {
      const line = e.feature.getGeometry();
      if (line instanceof LineString) {
        drawn(line.getCoordinates().map(corner));
      }
    });
    map.addInteraction(draw);
    return () => {
      map.removeInteraction(draw);
    };
  }, [map, isOn]);
}
