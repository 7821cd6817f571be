import { useMemo } from "react";
import { useQuery } from "@tanstack/react-query";
import { compareRoutes } from "@hindglance/contract/compare";
import { comparingOf } from "@hindglance/core/change/comparing";
import { mergeHistograms, quantile } from "@hindglance/core/raster/histogram";
import { call } from "../api/call";
import { useSides } from "../api/hooks";
import type {
  ChangeMap,
  CompareHistograms,
  CompareNodes,
  NodeView,
  Scene,
  Study,
} from "../api/types";
import { changeEnd, measureName } from "../compare/measures";
import { useMapNode } from "../tally/useMapNode";
import { sideOfScene } from "../compare/pair";
import { DECIBEL, plainUnit, withMeasure } from "../compare/units";

/** Ends of the grey levels of both dates: where nearly all of their cells lie. */
function stretchOf(histograms: CompareHistograms | null, isValue: boolean) {
  const both = histograms && mergeHistograms(histograms.before, histograms.after);
  const lo = both ? quantile(both, 0.01) : NaN;
  const hi = both ? quantile(both, 0.995) : NaN;
  if (Number.isFinite(lo)) {
    return { lo, hi: Math.max(lo + 1e-3, hi) };
  }
  return isValue ? { lo: 0, hi: 1 } : { lo: -24, hi: -2 };
}

/** Both dates with the classes of a map on them: of one that was edited they are its own. */
function classesOf(
  { edited }: ChangeMap,
  nodes: CompareNodes | null,
  own: NodeView | undefined,
): CompareNodes | null {
  if (!nodes || !edited) {
    return nodes;
  }
  return own ? { ...nodes, classes: own } : null;
}

/** Both dates as they are compared now, for a map that was written from them. */
export function useDates(study: Study, map: ChangeMap, before: Scene | null, after: Scene | null) {
  const sides = useSides(study.id).data;
  const isReady = [before, after].every((scene) => sides && sideOfScene(scene, sides)?.node);
  const body =
    isReady && before && after
      ? { beforeId: before.id, afterId: after.id, setup: map.setup }
      : null;
  const version = sides?.map((side) => side.hash);
  const asked = { enabled: !!body, staleTime: Infinity, retry: false };
  const nodes = useQuery({
    ...asked,
    queryKey: ["reviewNodes", map.id, version],
    queryFn: () => call(compareRoutes.nodes, { params: { id: study.id }, body: body! }),
  });
  const histograms = useQuery({
    ...asked,
    queryKey: ["reviewHistograms", map.id, version],
    queryFn: () => call(compareRoutes.histograms, { params: { id: study.id }, body: body! }),
  });
  const own = useMapNode(map, !!map.edited).data;
  return {
    nodes: useMemo(() => classesOf(map, nodes.data ?? null, own), [map, nodes.data, own]),
    histograms: histograms.data ?? null,
    error: nodes.error ?? histograms.error,
    /** Whether a date is not there any more, or not prepared. */
    gone: !!sides && !isReady,
    /** Whether the dates are made in another way than when the map was written. */
    moved: !!nodes.data && nodes.data.classes.hash !== map.nodeHash,
    side: sideOfScene(before, sides),
  };
}

/** Both dates of a map. */
export type DatesOfMap = ReturnType<typeof useDates>;

/** How the numbers of a map are written and drawn: units, names, grey levels. */
export function useLookOfMap(map: ChangeMap, { side, histograms }: DatesOfMap) {
  const { setup, provenance } = map;
  const band = side?.info?.bands[setup.band];
  const isValue = provenance.unit !== "dB" || (!!band && comparingOf(band) === "value");
  const bandName = provenance.before.band ?? "";
  return {
    unit: withMeasure(isValue ? plainUnit(provenance.unit ?? "") : DECIBEL, setup.measure),
    bandName,
    measureName: measureName(setup.measure, bandName, isValue),
    stretch: useMemo(() => stretchOf(histograms, isValue), [histograms, isValue]),
    changeEnd: changeEnd(histograms),
  };
}
