/** @jest-environment jsdom */
import { act, fireEvent, render } from "@testing-library/react";
import OlMap from "ol/Map";
import View from "ol/View";
import { useReshape } from "./useReshape";
import "../testing/page";

const SQUARE: [number, number][][][] = [
  [
    [
      [0, 0],
      [0, 10],
      [10, 10],
      [10, 0],
      [0, 0],
    ],
  ],
];

interface Props {
  map: OlMap;
  polygons: typeof SQUARE | null;
  isHeld?: boolean;
  onChanged(polygons: typeof SQUARE): void;
}
function Reshaped(props: Props) {
  useReshape(props.map, { ...props, step: 2 });
  return null;
}

let map: OlMap;
let box: HTMLElement;
const changed = jest.fn<void, [typeof SQUARE]>();
beforeEach(() => {
  jest.useFakeTimers();
  changed.mockClear();
  box = document.createElement("div");
  document.body.append(box);
  map = new OlMap({ target: box, view: new View({ center: [500, 500], resolution: 1 }) });
});
afterEach(() => {
  map.setTarget(undefined);
  box.remove();
  jest.useRealTimers();
});
const press = (key: string) => fireEvent.keyDown(box, { key });
const rest = () => act(() => jest.advanceTimersByTime(400));
const lastRing = () => changed.mock.lastCall![0][0]![0]!;

test("arrows move the whole by steps; several keys are one change", () => {
  render(<Reshaped map={map} polygons={SQUARE} onChanged={changed} />);
  press("ArrowRight");
  press("ArrowRight");
  press("ArrowUp");
  expect(changed).not.toHaveBeenCalled();
  rest();
  expect(changed).toHaveBeenCalledTimes(1);
  expect(lastRing()[0]).toEqual([4, 2]);
});

test("a corner that is picked by full stop is moved, gets one beside it, and goes", () => {
  render(<Reshaped map={map} polygons={SQUARE} onChanged={changed} />);
  press(".");
  press(".");
  press("ArrowLeft");
  rest();
  expect(lastRing()).toEqual([
    [0, 0],
    [-2, 10],
    [10, 10],
    [10, 0],
    [0, 0],
  ]);
  press("+");
  rest();
  expect(lastRing()[2]).toEqual([4, 10]);
  press("Delete");
  rest();
  expect(lastRing()).toHaveLength(5);
  expect(lastRing()[1]).toEqual([4, 10]);
});

test("what keys changed is told when the shape goes away before they rest", () => {
  const { rerender } = render(<Reshaped map={map} polygons={SQUARE} onChanged={changed} />);
  press("ArrowDown");
  rerender(<Reshaped map={map} polygons={null} onChanged={changed} />);
  expect(changed).toHaveBeenCalledTimes(1);
  expect(lastRing()[0]).toEqual([0, -2]);
});

test("while a change is on its way keys move nothing, neither shape nor map", () => {
  render(<Reshaped map={map} polygons={SQUARE} isHeld onChanged={changed} />);
  expect(press("ArrowLeft")).toBe(false);
  rest();
  expect(changed).not.toHaveBeenCalled();
});

test("keys that are meant for something else are left to it", () => {
  render(<Reshaped map={map} polygons={SQUARE} onChanged={changed} />);
  expect(press("q")).toBe(true);
  expect(fireEvent.keyDown(document.body, { key: "ArrowLeft" })).toBe(true);
  rest();
  expect(changed).not.toHaveBeenCalled();
});
