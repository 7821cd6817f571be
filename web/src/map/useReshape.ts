import { useEffect, useEffectEvent } from "react";
import Collection from "ol/Collection";
import Feature from "ol/Feature";
import MultiPolygon from "ol/geom/MultiPolygon";
import Modify from "ol/interaction/Modify";
import Translate from "ol/interaction/Translate";
import VectorLayer from "ol/layer/Vector";
import type OlMap from "ol/Map";
import VectorSource from "ol/source/Vector";
import Circle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import MultiPoint from "ol/geom/MultiPoint";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";

type Coordinates = [number, number][][][];

const WHITE = "#ffffff";
const INK = "rgba(18,24,26,.8)";
const RIM = new Style({ stroke: new Stroke({ color: INK, width: 5 }) });
const BODY = new Style({
  stroke: new Stroke({ color: WHITE, width: 2 }),
  fill: new Fill({ color: "rgba(255,255,255,.25)" }),
});
/** Corners of more than so many hide what they are corners of. */
const MOST_CORNERS = 300;
const CORNERS = new Style({
  image: new Circle({
    radius: 4,
    fill: new Fill({ color: WHITE }),
    stroke: new Stroke({ color: INK, width: 1 }),
  }),
  geometry: (feature) => {
    const shape = feature.getGeometry();
    const corners = shape instanceof MultiPolygon ? shape.getCoordinates().flat(2) : [];
    return new MultiPoint(corners.length <= MOST_CORNERS ? corners : []);
  },
});

const placesOf = (shape: MultiPolygon): Coordinates =>
  shape
    .getCoordinates()
    .map((rings) =>
      rings.map((ring) => ring.map(([x = NaN, y = NaN]): [number, number] => [x, y])),
    );

/** How far an arrow key moves, in cells. */
const ARROWS: Record<string, [across: number, up: number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

interface Reshape {
  /** In the map's coordinates; null: nothing is reshaped. */
  polygons: Coordinates | null;
  /** How far an arrow key moves it, in the map's coordinates. */
  step: number;
  onChanged(polygons: Coordinates): void;
}

/** A shape on a map, above its layers. */
function shapeOn(map: OlMap, polygons: Coordinates) {
  const shape = new MultiPolygon(polygons);
  const feature = new Feature(shape);
  const layer = new VectorLayer({
    source: new VectorSource({ features: [feature] }),
    style: [RIM, BODY, CORNERS],
    zIndex: 10,
  });
  // On the map, and not among its layers, which belong to the page.
  layer.setMap(map);
  return { shape, feature, remove: () => layer.setMap(null) };
}

/**
 * Lets people move a shape on a map, by dragging it or by the arrow keys while the map has the focus,
 * and drag its corners; a place on a side that is dragged becomes a corner.
 */
export function useReshape(map: OlMap | null, { polygons, step, onChanged }: Reshape): void {
  const changed = useEffectEvent(onChanged);
  useEffect(() => {
    if (!map || !polygons) {
      return;
    }
    const { shape, feature, remove } = shapeOn(map, polygons);
    const features = new Collection([feature]);
    const tell = () => changed(placesOf(shape));
    const translate = new Translate({ features });
    const modify = new Modify({ features });
    translate.on("translateend", tell);
    modify.on("modifyend", tell);
    // The one that is added last is asked first: a corner is dragged before the whole.
    map.addInteraction(translate);
    map.addInteraction(modify);
    const key = (e: KeyboardEvent) => {
      const by = ARROWS[e.key];
      if (by && e.target === map.getTargetElement()) {
        e.preventDefault();
        e.stopPropagation();
        shape.translate(by[0] * step, by[1] * step);
        tell();
      }
    };
    window.addEventListener("keydown", key, { capture: true });
    return () => {
      window.removeEventListener("keydown", key, { capture: true });
      map.removeInteraction(modify);
      map.removeInteraction(translate);
      remove();
    };
  }, [map, polygons, step]);
}
