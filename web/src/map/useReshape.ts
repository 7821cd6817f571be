import { useEffect, useEffectEvent, useRef } from "react";
import Collection from "ol/Collection";
import { containsCoordinate } from "ol/extent";
import Feature from "ol/Feature";
import MultiPoint from "ol/geom/MultiPoint";
import MultiPolygon from "ol/geom/MultiPolygon";
import Point from "ol/geom/Point";
import Modify from "ol/interaction/Modify";
import VectorLayer from "ol/layer/Vector";
import type OlMap from "ol/Map";
import VectorSource from "ol/source/Vector";
import Circle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import { DragShape } from "./DragShape";
import { cornerAmid, movedCorner, nextCorner, placeOf, withoutCorner } from "./corners";

type Coordinates = [number, number][][][];

const WHITE = "#ffffff";
const INK = "rgba(18,24,26,.8)";
const RIM = new Style({ stroke: new Stroke({ color: INK, width: 5 }) });
const BODY = new Style({
  stroke: new Stroke({ color: WHITE, width: 2 }),
  fill: new Fill({ color: "rgba(255,255,255,.25)" }),
});
const THIN = new Style({ stroke: new Stroke({ color: WHITE, width: 1 }) });
/** Corners of a shape that is drawn with a rim and a fill. */
const MOST_RIMMED = 3000;
const cornerCount = (shape: MultiPolygon): number => shape.getFlatCoordinates().length / 2;
/** Corners in view of more than so many hide what they are corners of. */
const MOST_CORNERS = 300;
const dot = (radius: number, color: string): Circle =>
  new Circle({
    radius,
    fill: new Fill({ color }),
    stroke: new Stroke({ color: INK, width: 1 }),
  });

const placesOf = (shape: MultiPolygon): Coordinates =>
  shape
    .getCoordinates()
    .map((rings) =>
      rings.map((ring) => ring.map(([x, y]): [number, number] => [x ?? NaN, y ?? NaN])),
    );

/** Corners of a shape in the part of a map that is seen, where they are few enough. */
function cornersIn(map: OlMap, shape: MultiPolygon): MultiPoint {
  const seen = map.getView().calculateExtent(map.getSize());
  const corners = shape
    .getCoordinates()
    .flat(2)
    .filter((at) => containsCoordinate(seen, at));
  return new MultiPoint(corners.length <= MOST_CORNERS ? corners : []);
}

/** How long keys rest before what they changed is told, milliseconds: several are one change. */
const REST_MS = 350;

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
  /** Whether a change is on its way: nothing can be moved meanwhile. */
  isHeld?: boolean;
  onChanged(polygons: Coordinates): void;
}

/** A shape on a map, above its layers, and the corner of it that keys move. */
class ShapeOnMap {
  readonly feature: Feature<MultiPolygon>;
  private readonly layer: VectorLayer;
  /** Which corner keys move, counted over all rings; null: they move the whole. */
  private corner: number | null = null;

  constructor(
    map: OlMap,
    readonly shape: MultiPolygon,
    private readonly step: number,
  ) {
    this.feature = new Feature(shape);
    const corners = new Style({
      image: dot(4, WHITE),
      geometry: () => cornersIn(map, shape),
    });
    const picked = new Style({ image: dot(6, "#d99a1c"), geometry: () => this.cornerPoint() });
    this.layer = new VectorLayer({
      source: new VectorSource({ features: [this.feature] }),
      // A rim around very many corners costs more than it shows.
      style: [...(cornerCount(shape) > MOST_RIMMED ? [THIN] : [RIM, BODY]), corners, picked],
      zIndex: 10,
    });
    // On the map, and not among its layers, which belong to the page.
    this.layer.setMap(map);
  }

  private cornerPoint(): Point | undefined {
    const at = this.corner === null ? null : placeOf(placesOf(this.shape), this.corner);
    return at ? new Point(at) : undefined;
  }

  /** What a key does; whether it changed the shape, null where it is none of its keys. */
  press(key: string): boolean | null {
    const by = ARROWS[key];
    if (by) {
      return this.move(by[0] * this.step, by[1] * this.step);
    }
    switch (key) {
      case ",":
      case ".":
        this.corner = nextCorner(placesOf(this.shape), this.corner, key === "." ? 1 : -1);
        this.layer.changed();
        return false;
      case "+":
      case "Insert":
        return this.change(cornerAmid);
      case "Delete":
      case "Backspace":
        return this.change(withoutCorner);
      default:
        return null;
    }
  }

  private move(across: number, up: number): boolean {
    if (this.corner === null) {
      this.shape.translate(across, up);
      return true;
    }
    const moved = movedCorner(placesOf(this.shape), this.corner, [across, up]);
    this.shape.setCoordinates(moved);
    return true;
  }

  private change(to: (shape: Coordinates, corner: number) => Coordinates | null): boolean | null {
    const changed = this.corner === null ? null : to(placesOf(this.shape), this.corner);
    if (!changed) {
      return null;
    }
    this.shape.setCoordinates(changed);
    return true;
  }

  /** The corner that keys move, so that it stays the same when the shape comes anew. */
  get picked(): number | null {
    return this.corner;
  }
  set picked(corner: number | null) {
    this.corner = corner;
    this.layer.changed();
  }

  remove(): void {
    this.layer.setMap(null);
  }
}

/**
 * Lets people move a shape on a map, by dragging it or by the arrow keys while the map has the focus,
 * and drag its corners; a place on a side that is dragged becomes a corner, and one that is clicked with
 * Alt, or that the pointer is on when Delete is pressed, goes. Full stop and comma pick a corner for the
 * keys: arrows move it, plus makes one beside it, Delete takes it away.
 */
export function useReshape(
  map: OlMap | null,
  { polygons, step, isHeld = false, onChanged }: Reshape,
): void {
  const changed = useEffectEvent(onChanged);
  const interactions = useRef<(Modify | DragShape)[]>([]);
  const corner = useRef<number | null>(null);
  const isReshaping = polygons !== null;
  useEffect(() => {
    if (!isReshaping) {
      corner.current = null;
    }
  }, [isReshaping]);
  useEffect(() => {
    interactions.current.forEach((one) => one.setActive(!isHeld));
  }, [isHeld, polygons]);
  const isWaiting = useEffectEvent(() => isHeld);
  useEffect(() => {
    if (!map || !polygons) {
      return;
    }
    const shown = new ShapeOnMap(map, new MultiPolygon(polygons), step);
    shown.picked = corner.current;
    const features = new Collection([shown.feature]);
    const tell = () => changed(placesOf(shown.shape));
    const translate = new DragShape(shown.feature, tell);
    const modify = new Modify({ features });
    modify.on("modifyend", tell);
    // The one that is added last is asked first: a corner is dragged before the whole.
    map.addInteraction(translate);
    map.addInteraction(modify);
    interactions.current = [translate, modify];
    let rest: ReturnType<typeof setTimeout> | undefined;
    const tellRested = () => {
      rest = undefined;
      tell();
    };
    const take = (e: KeyboardEvent) => {
      if (e.target !== map.getTargetElement()) {
        return;
      }
      const done = isWaiting() ? false : shown.press(e.key);
      corner.current = shown.picked;
      // A corner that is taken away under the pointer tells so itself.
      if (done === null && !(e.key === "Delete" && modify.removePoint())) {
        return;
      }
      e.preventDefault();
      e.stopPropagation();
      if (done) {
        clearTimeout(rest);
        rest = setTimeout(tellRested, REST_MS);
      }
    };
    window.addEventListener("keydown", take, { capture: true });
    return () => {
      if (rest !== undefined) {
        clearTimeout(rest);
        tell();
      }
      window.removeEventListener("keydown", take, { capture: true });
      map.removeInteraction(modify);
      map.removeInteraction(translate);
      interactions.current = [];
      shown.remove();
    };
  }, [map, polygons, step]);
}
