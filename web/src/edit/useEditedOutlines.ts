import { useEffect, useMemo, useState } from "react";
import { useQuery } from "@tanstack/react-query";
import type OlMap from "ol/Map";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import { Fill, Stroke, Style } from "ol/style";
import { type EditedShape, editRoutes } from "@hindglance/contract/edits";
import { call } from "../api/call";
import type { ChangeMap } from "../api/types";
import { useSame } from "../lib/useSame";
import { outlineAt, outlineFeatures, putOutlines } from "../map/putOutlines";
import { usePart } from "../map/usePart";

/** Outlines on the map at a time: the largest of the part in view. */
const OUTLINES = 2000;

const FILL = new Fill({ color: "rgba(0,0,0,0.01)" });
const rim = (color: string, width: number): Style =>
  new Style({ fill: FILL, stroke: new Stroke({ color, width }) });
const WRITTEN = rim("#ffffffb0", 1);
const EDITED = rim("#7ff0d0", 1.8);
const PICKED = [
  new Style({ stroke: new Stroke({ color: "#12181a", width: 5 }) }),
  new Style({ fill: FILL, stroke: new Stroke({ color: "#ffffff", width: 2.4 }) }),
];

const NONE: EditedShape[] = [];

/**
 * Outlines of the patches in view as edits leave them, on a map; and the patch under a place.
 * @param without a patch that is drawn elsewhere
 */
export function useEditedOutlines(
  map: ChangeMap,
  olMap: OlMap | null,
  picked: readonly number[],
  without: number | null,
) {
  const grid = useSame(map.info.grid);
  const part = usePart(olMap, grid);
  const { data: found, isFetching } = useQuery({
    queryKey: ["editedOutlines", map.id, part],
    queryFn: () =>
      call(editRoutes.outlines, {
        params: { id: map.id },
        query: { ...part!, limit: OUTLINES },
      }),
    enabled: part !== null,
    placeholderData: (former) => former,
  });
  const shapes = found?.patches ?? NONE;
  const [source] = useState(() => new VectorSource());
  const [layer] = useState(() => new VectorLayer({ source, zIndex: 5 }));
  const features = useMemo(() => outlineFeatures(shapes, grid.crs), [shapes, grid]);
  useEffect(() => {
    putOutlines(source, features);
  }, [source, features]);
  const chosen = useSame(picked);
  useEffect(() => {
    const rims = new Map(shapes.map(({ number, edited }) => [number, edited ? EDITED : WRITTEN]));
    layer.setStyle((feature) => {
      const number = Number(feature.getId());
      if (number === without) {
        return undefined;
      }
      return chosen.includes(number) ? PICKED : rims.get(number);
    });
  }, [layer, shapes, chosen, without]);
  return {
    layers: useMemo(() => [layer], [layer]),
    /** Whether outlines are on their way: those that are drawn may be gone. */
    isOld: isFetching || part === null,
    /** Patches in view, and how many of them are drawn. */
    count: found?.count ?? 0,
    drawn: shapes.length,
    /** The patch under a place of the map; the smallest where several are. */
    at: (place: [number, number]): number | null => outlineAt(features, place),
    find: (number: number): EditedShape | null =>
      shapes.find((shape) => shape.number === number) ?? null,
  };
}
