import { act } from "@testing-library/react";
import OlMap from "ol/Map";
import MapBrowserEvent from "ol/MapBrowserEvent";
import type { NodeView } from "../api/types";
import { answerOf } from "./page";
import { type NodeCells, cellsOf } from "../map/nodeCells";

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

/** Loads the only tile of a level with its cells, band after band; gives the cells of the node. */
export async function loadedAt(
  level: number,
  node: NodeView,
  cells: readonly number[],
): Promise<NodeCells> {
  const tile = node.info.type === "float32" ? Float32Array.from(cells) : Uint8Array.from(cells);
  const { fetch } = globalThis;
  globalThis.fetch = async () => answerOf(tile.buffer);
  const own = cellsOf(node);
  await own.tile(level, 0, 0);
  globalThis.fetch = fetch;
  return own;
}

/** Loads a node of one tile whose bands are each one number everywhere; gives its cells. */
export function loaded(node: NodeView, values: readonly number[]): Promise<NodeCells> {
  const { width, height } = node.info.grid;
  const cells = values.flatMap((value) => new Array<number>(width * height).fill(value));
  return loadedAt(0, node, cells);
}
