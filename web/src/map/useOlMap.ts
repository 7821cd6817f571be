import { type RefObject, useEffect, useEffectEvent, useRef } from "react";
import OlMap from "ol/Map";
import Overlay from "ol/Overlay";
import { defaults as interactions } from "ol/interaction/defaults";

/** What a map tells its owner; places are in the coordinates of the view. */
export interface MapHandlers {
  onPointer?: ((at: [number, number] | null) => void) | undefined;
  /** @param isMore whether it is clicked besides what was clicked before: with Shift or Ctrl */
  onClick?: ((at: [number, number], isMore: boolean) => void) | undefined;
  onMap?: ((map: OlMap) => void) | undefined;
}

const place = (coordinate: number[]): [number, number] => [coordinate[0]!, coordinate[1]!];

/** Whether a click came with Shift, Ctrl or ⌘. */
const isWithMore = (event: unknown): boolean =>
  event instanceof MouseEvent && (event.shiftKey || event.ctrlKey || event.metaKey);

/** Says in `data-loading` whether tiles are on their way; from the start, until the first picture is whole. */
function tellLoading(map: OlMap, element: HTMLElement): void {
  const say = (loading: boolean) => {
    element.dataset.loading = String(loading);
  };
  say(true);
  map.once("rendercomplete", () => say(false));
  map.on("loadstart", () => say(true));
  map.on("loadend", () => say(false));
}

/** Makes the cross that shows where the cursor of the other map of a pair is. */
function crossOn(map: OlMap): Overlay {
  const element = document.createElement("div");
  element.className = "twin-cursor";
  const cross = new Overlay({ element, positioning: "center-center", stopEvent: false });
  map.addOverlay(cross);
  return cross;
}

/** A map without layers in a box, for as long as the box is there. */
export function useOlMap(
  box: RefObject<HTMLDivElement | null>,
  handlers: MapHandlers,
): { map: RefObject<OlMap | null>; cross: RefObject<Overlay | null> } {
  const map = useRef<OlMap | null>(null);
  const cross = useRef<Overlay | null>(null);
  const pointed = useEffectEvent((at: [number, number] | null) => handlers.onPointer?.(at));
  const clicked = useEffectEvent((at: [number, number], isMore: boolean) =>
    handlers.onClick?.(at, isMore),
  );
  const made = useEffectEvent((ready: OlMap) => handlers.onMap?.(ready));
  useEffect(() => {
    const element = box.current!;
    const olMap = new OlMap({
      target: element,
      controls: [],
      interactions: interactions({ altShiftDragRotate: false, pinchRotate: false }),
      keyboardEventTarget: element,
    });
    const viewport = olMap.getViewport()!;
    const leave = () => pointed(null);
    olMap.on("pointermove", (event) => pointed(place(event.coordinate)));
    olMap.on("click", ({ coordinate, originalEvent }) =>
      clicked(place(coordinate), isWithMore(originalEvent)),
    );
    viewport.addEventListener("pointerleave", leave);
    tellLoading(olMap, element);
    cross.current = crossOn(olMap);
    map.current = olMap;
    made(olMap);
    return () => {
      viewport.removeEventListener("pointerleave", leave);
      olMap.setTarget(undefined);
      olMap.setLayers([]);
      olMap.dispose();
      map.current = null;
    };
  }, [box]);
  return { map, cross };
}
