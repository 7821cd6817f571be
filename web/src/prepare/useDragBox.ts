import { useEffect } from "react";
import DragBox from "ol/interaction/DragBox";
import type OlMap from "ol/Map";
import { type Grid, toCell } from "@hindglance/core/grid/grid";
import type { FieldBox } from "./useFields";
import type { MapBox, StepLook } from "./useStepLook";

/** Cells a side that a marked field holds at least and at most. */
const LEAST_CELLS = 3;
const MOST_CELLS = 2000;

/** Cells of a grid under a box on the map; null where it holds fewer than nine. */
export function boxIn(grid: Grid, [x0, y0, x1, y1]: MapBox): FieldBox | null {
  const [left, top] = toCell(grid, x0, y1);
  const [right, bottom] = toCell(grid, x1, y0);
  const col = Math.max(0, Math.round(Math.min(left, right)));
  const row = Math.max(0, Math.round(Math.min(top, bottom)));
  const width = Math.min(grid.width, Math.round(Math.max(left, right))) - col;
  const height = Math.min(grid.height, Math.round(Math.max(top, bottom))) - row;
  return width >= LEAST_CELLS && height >= LEAST_CELLS
    ? { col, row, width: Math.min(MOST_CELLS, width), height: Math.min(MOST_CELLS, height) }
    : null;
}

/** While something is being marked, a dragged box is taken: as a field of both sides, or a part. */
export function useDragBox(
  map: OlMap | null,
  { marking, takeField, takePreview }: Pick<StepLook, "marking" | "takeField" | "takePreview">,
  inputGrid: Grid,
  outputGrid: Grid,
): void {
  useEffect(() => {
    if (!marking || !map) {
      return;
    }
    const dragBox = new DragBox({ className: "field-box" });
    dragBox.on("boxend", () => {
      const [left, bottom, right, top] = dragBox.getGeometry().getExtent();
      const box: MapBox = [left!, bottom!, right!, top!];
      if (marking === "preview") {
        takePreview(box);
        return;
      }
      const input = boxIn(inputGrid, box);
      const output = boxIn(outputGrid, box);
      takeField(input && output ? { input, output } : null);
    });
    map.addInteraction(dragBox);
    return () => {
      map.removeInteraction(dragBox);
    };
  }, [marking, map, inputGrid, outputGrid, takeField, takePreview]);
}
