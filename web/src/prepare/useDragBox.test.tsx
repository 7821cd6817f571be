/** @jest-environment jsdom */
import { renderHook } from "@testing-library/react";
import OlMap from "ol/Map";
import DragBox from "ol/interaction/DragBox";
import { fromExtent } from "ol/geom/Polygon";
import { utm } from "@hindglance/core/geodesy/crs";
import { northUp } from "@hindglance/core/grid/grid";
import { giveSizes } from "../testing/page";
import { boxIn, useDragBox } from "./useDragBox";
import type { FieldBox } from "./useFields";
import type { MapBox } from "./useStepLook";

giveSizes(400, 300);

const fine = northUp(utm(27, true), 1000, 2000, 10, 10, 100, 80);
const coarse = northUp(utm(27, true), 1000, 2000, 20, 20, 50, 40);

describe("cells under a box", () => {
  test("are counted from the upper left corner", () => {
    expect(boxIn(fine, [1100, 1700, 1200, 1900])).toEqual({
      col: 10,
      row: 10,
      width: 10,
      height: 20,
    });
  });
  test("end with the image", () => {
    expect(boxIn(fine, [0, 1950, 1050, 5000])).toEqual({ col: 0, row: 0, width: 5, height: 5 });
  });
  test("are none where there are fewer than nine", () => {
    expect(boxIn(fine, [1100, 1880, 1120, 1990])).toBeNull();
    expect(boxIn(fine, [5000, 5000, 6000, 6000])).toBeNull();
  });
});

describe("a box that is dragged", () => {
  const begin = (first: "field" | "preview" | null) => {
    const map = new OlMap({ controls: [], interactions: [] });
    const taken: ({ input: FieldBox; output: FieldBox } | MapBox | null)[] = [];
    const take = (box: (typeof taken)[number]) => taken.push(box);
    const hook = renderHook(
      ({ marking }: { marking: "field" | "preview" | null }) =>
        useDragBox(map, { marking, takeField: take, takePreview: take }, fine, coarse),
      { initialProps: { marking: first } },
    );
    const boxes = () =>
      map
        .getInteractions()
        .getArray()
        .filter((interaction) => interaction instanceof DragBox);
    const drag = (...extent: [number, number, number, number]) => {
      const box = boxes()[0]!;
      jest.spyOn(box, "getGeometry").mockReturnValue(fromExtent(extent));
      box.dispatchEvent("boxend");
    };
    return { ...hook, taken, boxes, drag };
  };
  test("is a field of both sides, each in its own cells", () => {
    const { drag, taken } = begin("field");
    drag(1100, 1700, 1200, 1900);
    expect(taken).toEqual([
      {
        input: { col: 10, row: 10, width: 10, height: 20 },
        output: { col: 5, row: 5, width: 5, height: 10 },
      },
    ]);
  });
  test("is no field where one side has too few cells", () => {
    const { drag, taken } = begin("field");
    drag(1100, 1860, 1140, 1900);
    expect(taken).toEqual([null]);
  });
  test("is a part of the map for a preview", () => {
    const { drag, taken } = begin("preview");
    drag(1, 2, 3, 4);
    expect(taken).toEqual([[1, 2, 3, 4]]);
  });
  test("can only be dragged while something is marked", () => {
    const { boxes, rerender } = begin(null);
    expect(boxes()).toEqual([]);
    rerender({ marking: "field" });
    expect(boxes()).toHaveLength(1);
    rerender({ marking: null });
    expect(boxes()).toEqual([]);
  });
});
