import { act } from "@testing-library/react";
import OlMap from "ol/Map";
import MapBrowserEvent from "ol/MapBrowserEvent";

/** Remembers the maps that a page makes, so that a test can find the one in a box. */
export function mapsOfPage(): { on(box: HTMLElement): OlMap } {
  const all: OlMap[] = [];
  const { setView } = OlMap.prototype;
  jest.spyOn(OlMap.prototype, "setView").mockImplementation(function watched(
    this: OlMap,
    ...given: Parameters<typeof setView>
  ) {
    all.push(this);
    setView.apply(this, given);
  });
  return {
    on: (box) => all.find((map) => map.getTargetElement() === box)!,
  };
}

/** A click at a place of a map, in the coordinates of its view. */
export function clickMap(map: OlMap, at: [number, number]): void {
  // The test's page has no events of pointers; what the map reads of one is the place alone.
  const event = new MapBrowserEvent("click", map, new WheelEvent("click"));
  event.coordinate = at;
  act(() => {
    map.dispatchEvent(event);
  });
}
