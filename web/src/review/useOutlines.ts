import { useCallback, useEffect, useMemo, useState } from "react";
import { useQuery } from "@tanstack/react-query";
import type OlMap from "ol/Map";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import { Fill, Stroke, Style } from "ol/style";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import type { PatchShape } from "@hindglance/contract/changeMaps";
import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Standing } from "@hindglance/core/review/standing";
import { call } from "../api/call";
import type { ChangeMap, PatchRow } from "../api/types";
import { useSame } from "../lib/useSame";
import { outlineFeatures, putOutlines } from "../map/putOutlines";
import { showBounds } from "../map/showBounds";
import { type Part, usePart } from "../map/usePart";
import type { PatchQuery } from "./patches";
import { STANDING_LOOKS } from "./standings";
import { useOutlineOf } from "./useOutlineOf";

/** Outlines on the map at a time: the largest of the part in view. */
const OUTLINES = 1500;

/** Patches of the part in view; the picked one too, which may be smaller than the largest there. */
function useShapes(
  map: ChangeMap,
  ask: PatchQuery,
  part: Part | null,
  picked: number | null,
): PatchShape[] {
  const which = { ...ask, sort: "area", down: true } as const;
  const found = useQuery({
    queryKey: ["outlines", map.id, which, part],
    queryFn: () =>
      call(changeMapRoutes.outlines, {
        params: { id: map.id },
        query: { ...which, ...part, limit: OUTLINES },
      }),
    enabled: part !== null,
    staleTime: Infinity,
    placeholderData: (former) => former,
  }).data;
  const isApart = picked !== null && !found?.some(({ number }) => number === picked);
  const own = useOutlineOf(map, picked, isApart);
  return useMemo(() => [...(found ?? []), ...(isApart && own ? [own] : [])], [found, isApart, own]);
}

// A fill that is hardly there lets a click anywhere in a patch pick it.
const FILL = new Fill({ color: "rgba(0,0,0,0.01)" });
const rim = (color: string, width: number, lineDash?: number[]): Style =>
  new Style({
    fill: FILL,
    stroke: new Stroke({ color, width, ...(lineDash ? { lineDash } : {}) }),
  });
/** Rims by standing, so opaque: what was judged is thicker, what is false is dashed. */
const rimsOf = (alpha: string): Record<Standing, Style> => ({
  open: rim(`#ffffff${alpha}`, 1),
  real: rim(`${STANDING_LOOKS.real.color}${alpha}`, 1.8),
  false: rim(`${STANDING_LOOKS.false.color}${alpha}`, 1.4, [3, 4]),
  disputed: rim(`${STANDING_LOOKS.disputed.color}${alpha}`, 1.8),
});
const RIMS = rimsOf("c8");
/** Beside a picked patch the others step back. */
const DIM_RIMS = rimsOf("70");
const CHOSEN = [
  new Style({ stroke: new Stroke({ color: "#12181a", width: 5 }) }),
  new Style({ fill: FILL, stroke: new Stroke({ color: "#ffffff", width: 2.2 }) }),
];

/** The outlines as a layer, the picked one thicker. */
function useOutlineLayer(shapes: PatchShape[], picked: number | null, crs: Crs) {
  const [source] = useState(() => new VectorSource());
  const [layer] = useState(() => new VectorLayer({ source, zIndex: 5 }));
  useEffect(() => {
    putOutlines(source, outlineFeatures(shapes, crs));
  }, [source, shapes, crs]);
  useEffect(() => {
    const byStanding = picked === null ? RIMS : DIM_RIMS;
    const rims = new Map(shapes.map(({ number, standing }) => [number, byStanding[standing]]));
    layer.setStyle((feature) => {
      const number = Number(feature.getId());
      return number === picked ? CHOSEN : rims.get(number);
    });
  }, [layer, picked, shapes]);
  return { layer, source };
}

/** Outlines of the patches in view, the picked one thicker; and the patch under a place. */
export function useOutlines(map: ChangeMap, ask: PatchQuery, picked: number | null) {
  const [olMap, setOlMap] = useState<OlMap | null>(null);
  const grid = useSame(map.info.grid);
  const part = usePart(olMap, grid);
  const shapes = useShapes(map, ask, part, picked);
  const { layer, source } = useOutlineLayer(shapes, picked, grid.crs);
  const at = (place: [number, number]): PatchRow | null => {
    const id = source.getFeaturesAtCoordinate(place)[0]?.getId();
    return shapes.find(({ number }) => number === id) ?? null;
  };
  /** Brings a patch into view, with room around it. */
  const show = useCallback(
    (patch: PatchRow) => {
      if (olMap) {
        showBounds(olMap, patch, grid);
      }
    },
    [olMap, grid],
  );
  return { extra: useMemo(() => [layer], [layer]), olMap, setOlMap, at, show };
}
