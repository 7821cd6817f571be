/** @jest-environment jsdom */
import { act, renderHook } from "@testing-library/react";
import MapEvent from "ol/MapEvent";
import OlMap from "ol/Map";
import View from "ol/View";
import { LONLAT } from "@hindglance/core/geodesy/crs";
import { usePart } from "./usePart";
import "../testing/page";

const grid = {
  crs: LONLAT,
  transform: [0.01, 0, 0, 0, -0.01, 10] as const,
  width: 100,
  height: 100,
};

/** A map that says of each picture that it is drawn, as one in a page does. */
function restingMap(): OlMap {
  const map = new OlMap({
    view: new View({ projection: "EPSG:4326", center: [0.5, 9.5], resolution: 0.01 }),
  });
  map.setSize([100, 50]);
  jest.spyOn(map, "render").mockImplementation(() => {
    map.dispatchEvent(new MapEvent("postrender", map));
  });
  return map;
}

test("the part that a map shows is known of one that rests already, and after each move", () => {
  const map = restingMap();
  const { result } = renderHook(() => usePart(map, grid));
  expect(result.current).toEqual({ box: [0, 9.25, 1, 9.75], toleranceDeg: 0.01 });
  map.getView().setCenter([0.6, 9.5]);
  expect(result.current!.box[0]).toBe(0);
  act(() => {
    map.dispatchEvent(new MapEvent("moveend", map));
  });
  expect(result.current!.box).toEqual([0.1, 9.25, 1.1, 9.75]);
});

test("nothing is known without a map, or of one without a view", () => {
  expect(renderHook(() => usePart(null, grid)).result.current).toBeNull();
  const blind = restingMap();
  blind.setView(new View());
  expect(renderHook(() => usePart(blind, grid)).result.current).toBeNull();
});
