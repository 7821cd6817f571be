import { useEffect, useMemo, useState } from "react";
import type OlMap from "ol/Map";
import { fromExtent } from "ol/geom/Polygon";
import { ontoGrid } from "@hindglance/core/grid/globe";
import { type Grid, toMap } from "@hindglance/core/grid/grid";
import type { Place } from "@hindglance/contract/accuracy";
import type { ChangeMap, Scene, Study } from "../api/types";
import { CompareMaps } from "../compare/maps/CompareMaps";
import { boxLayer } from "../map/areaLayer";
import { DateChips } from "../review/PatchChips";
import { PlaceSeries } from "../review/PatchSeries";
import type { DatesOfMap, useLookOfMap } from "../review/useDates";

/** Cells to each side of a place that the map shows when it comes to it, and a chip. */
const MAP_CELLS = 24;
const CHIP_CELLS = 8;
/** A wider square around the cell, by which it is found. */
const RIM_CELLS = 4;
/** Keeps a place to the right of the curtain and above its handle, pixels as OpenLayers takes them. */
const BESIDE_CURTAIN = [0, 0, 180, 220];

/** The cell of a grid that a place lies in the middle of, in the map's coordinates. */
function cellAt(grid: Grid, { lon, lat }: Place): [number, number, number, number] {
  const [x, y] = ontoGrid(grid)(lon, lat);
  const [x0, dx, , y0, , dy] = grid.transform;
  const col = Math.floor((x - x0) / dx);
  const row = Math.floor((y - y0) / dy);
  const [left, top] = toMap(grid, col, row);
  const [right, bottom] = toMap(grid, col + 1, row + 1);
  return [
    Math.min(left, right),
    Math.min(top, bottom),
    Math.max(left, right),
    Math.max(top, bottom),
  ];
}

/** A box with so many cells more on every side. */
function around(
  [west, south, east, north]: [number, number, number, number],
  cells: number,
): [number, number, number, number] {
  const [dx, dy] = [cells * (east - west), cells * (north - south)];
  return [west - dx, south - dy, east + dx, north + dy];
}

interface Props {
  study: Study;
  map: ChangeMap;
  place: Place | null;
  before: Scene;
  after: Scene;
  dates: DatesOfMap;
  look: ReturnType<typeof useLookOfMap>;
}

/** Both dates around a place, and nothing of what the map says. */
export function PlacePicture({ study, map, place, before, after, dates, look }: Props) {
  const [olMap, setOlMap] = useState<OlMap | null>(null);
  const { grid } = map.info;
  const box = useMemo(() => (place ? cellAt(grid, place) : null), [grid, place]);
  const extra = useMemo(
    () => (box ? [boxLayer(box), boxLayer(around(box, RIM_CELLS))] : []),
    [box],
  );
  const [x, y] = box ?? [NaN, NaN];
  useEffect(() => {
    if (olMap && box) {
      olMap.getView().cancelAnimations();
      olMap.getView().fit(around(box, MAP_CELLS), { padding: BESIDE_CURTAIN });
    }
    // Once for each place: looking around stays possible.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [olMap, x, y]);
  if (!dates.nodes) {
    return <p className="p-6 text-[#c9d0cd]">Loading the dates …</p>;
  }
  return (
    <CompareMaps
      isBlind
      {...{ study, before, after, extra }}
      {...look}
      nodes={dates.nodes}
      setup={map.setup}
      classesReady={false}
      groups={null}
      onMap={setOlMap}
    />
  );
}

/** A place on both dates at one stretch, and on all dates. */
export function PlaceLook({ study, map, place, before, after, dates, look }: Props) {
  const { grid } = map.info;
  const box = useMemo(() => (place ? cellAt(grid, place) : null), [grid, place]);
  const ground = useMemo(
    () => box && { geometry: fromExtent(box), extent: around(box, CHIP_CELLS) },
    [box],
  );
  if (!dates.nodes || !place) {
    return null;
  }
  const shared = { before, after, bandName: look.bandName };
  return (
    <>
      <DateChips
        {...shared}
        nodes={dates.nodes}
        stretch={look.stretch}
        ground={ground}
        label="The place on both dates"
      />
      <PlaceSeries
        {...shared}
        {...{ study, map }}
        place={[place.lon, place.lat]}
        where="at the place"
      />
    </>
  );
}
