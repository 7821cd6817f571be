import { useMemo } from "react";
import type OlMap from "ol/Map";
import type { PointTransform } from "@hindglance/core/geodesy/crs";
import { cellArea, hasCells } from "@hindglance/core/classify/growArea";
import { ontoGlobe, ontoGrid } from "@hindglance/core/grid/globe";
import { type Grid, cellSize, squareNorthUp } from "@hindglance/core/grid/grid";
import { type MultiPolygon, transformPolygons } from "@hindglance/core/vector/polygons";
import { useSame } from "../lib/useSame";
import { projectionOf } from "../map/projection";
import { type Drawing, useDraw, useDrawLine, useEscape } from "../map/useDraw";
import { useMiddle } from "../map/useMiddle";
import { useNoDoubleClick } from "../map/useNoDoubleClick";
import { useReshape } from "../map/useReshape";
import { AREA_ID } from "./trainingLayer";
import type { Doing, DrawingOnScreen } from "./useDrawing";

const isOutline = (doing: Doing | null): doing is Drawing =>
  doing === "polygon" || doing === "rectangle" || doing === "freehand";

type Place = [number, number];

/** Polygons in other coordinates, corner by corner. */
const moved = (polygons: MultiPolygon, to: PointTransform): MultiPolygon =>
  transformPolygons(polygons, to, Infinity);

/**
 * What the pointer and the keys do on the map of a date.
 * @param grid of the date's picture, in which the map's coordinates are
 * @returns what a click does, and whether the middle of the map can be picked by the keyboard
 */
export function useActing(map: OlMap | null, grid: Grid, drawing: DrawingOnScreen) {
  const { doing, area, grow } = drawing;
  const stop = () => drawing.begin(null);
  const globe = useMemo(() => ontoGlobe(grid), [grid]);
  useDraw(
    map,
    isOutline(doing) && doing,
    projectionOf(grid.crs),
    ({ coordinates }) => drawing.add(coordinates),
    stop,
  );
  useEscape(doing !== null && !isOutline(doing), stop);
  useDrawLine(map, doing === "split", (line) =>
    drawing.split(
      line.map((place) => globe(...place)),
      (part) => hasCells(part, squareNorthUp(grid)),
    ),
  );
  const own = useSame(doing === "shape" && area ? area.polygons : null);
  const polygons = useMemo(() => own && moved(own, ontoGrid(grid)), [own, grid]);
  useReshape(map, {
    polygons,
    step: cellSize(squareNorthUp(grid))[0],
    onChanged: (shape) => drawing.reshape(moved(shape, globe)),
  });
  const takeAt = (at: Place) => {
    if (doing === "grow") {
      grow.from(globe(...at));
    } else {
      const polygonsOfCell = cellArea(squareNorthUp(grid), at);
      if (polygonsOfCell) {
        drawing.add(polygonsOfCell);
      }
    }
  };
  const takes = doing === "cell" || doing === "grow";
  useNoDoubleClick(map, takes);
  const showsMiddle = useMiddle(map, takes ? takeAt : null);
  const pickAt = (at: Place) => {
    const features = map?.getFeaturesAtPixel(map.getPixelFromCoordinate(at)) ?? [];
    const id: unknown = features.map((one): unknown => one.get(AREA_ID)).find(Boolean);
    drawing.setPicked(typeof id === "string" ? id : null);
  };
  const onClick = (at: Place) => {
    if (takes) {
      takeAt(at);
    } else if (!doing) {
      pickAt(at);
    }
  };
  return { onClick, showsMiddle };
}
