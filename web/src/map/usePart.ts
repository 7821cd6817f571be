import { useEffect, useState } from "react";
import type OlMap from "ol/Map";
import { ontoGlobeAround } from "@hindglance/core/grid/globe";
import type { Grid } from "@hindglance/core/grid/grid";

/** The part of the Earth that a map shows, and the size of one of its pixels, in degrees. */
export interface Part {
  box: [west: number, south: number, east: number, north: number];
  toleranceDeg: number;
}

const aroundAll = (points: readonly (readonly number[])[]): Part["box"] => {
  const xs = points.map(([x]) => x!);
  const ys = points.map(([, y]) => y!);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
};

/** Decimals of a degree that outlines are asked by: a metre. */
const rounded = (degrees: number): number => Number(degrees.toFixed(5));

function partOf(map: OlMap, grid: Grid): Part | null {
  const size = map.getSize();
  if (!size || !map.getView().isDef()) {
    return null;
  }
  const [x0, y0, x1, y1] = map.getView().calculateExtent(size);
  const toLonLat = ontoGlobeAround(grid);
  const steps = [0, 0.5, 1];
  const [west, south, east, north] = aroundAll(
    steps.flatMap((across) =>
      steps.map((up) => toLonLat(x0! + across * (x1! - x0!), y0! + up * (y1! - y0!))),
    ),
  );
  return {
    box: [rounded(west), rounded(south), rounded(east), rounded(north)],
    toleranceDeg: Number(((north - south) / size[1]!).toPrecision(2)),
  };
}

/** The part that a map shows, each time it has come to rest. */
export function usePart(map: OlMap | null, grid: Grid): Part | null {
  const [part, setPart] = useState<Part | null>(null);
  useEffect(() => {
    if (!map) {
      return;
    }
    const moved = () => setPart(partOf(map, grid));
    map.on("moveend", moved);
    // A map that rests already says nothing until it is moved.
    map.once("postrender", moved);
    map.render();
    return () => {
      map.un("moveend", moved);
      map.un("postrender", moved);
    };
  }, [map, grid]);
  return part;
}
