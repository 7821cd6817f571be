import { useEffect, useMemo } from "react";
import type BaseLayer from "ol/layer/Base";
import type { OffsetPlace } from "@hindglance/core/align/alignment";
import { pathFunction } from "@hindglance/core/align/mapping";
import { quantile } from "@hindglance/core/raster/histogram";
import type { NodeView, Study } from "../../api/types";
import { useSame } from "../../lib/useSame";
import { arrowLayer } from "../../map/arrowLayer";
import { type Stretch, edgeLayer, greyLayer } from "../../map/layers";
import { joint, stretchesOf } from "../../map/look";
import { tilesOf } from "../../map/tiles";
import { blendLayer } from "../../map/twoDates";
import type { Clip } from "../../map/useClips";
import { useOutline } from "../../map/useOutline";
import { type Field, useField, useFields } from "../../prepare/useFields";
import { useUi } from "../../state/ui";
import type { CheckNodes } from "../align";

/** Arrows are so many times as long as what they stand for. */
export const ARROW_TIMES = 100;

const UNKNOWN: Stretch = { lo: 0, hi: 1 };
/** Beyond every value: nothing is drawn. */
const NOWHERE: Stretch = { lo: 1e8, hi: 1e9 };
const FIRST_BAND = [0];

const useStretch = (node: NodeView): Stretch | null =>
  stretchesOf(useFields(node.hash, null, FIRST_BAND))?.[0] ?? null;

/** Only the steepest edges are drawn. */
function edgeEnds(field: Field | null): Stretch {
  if (!field?.cells) {
    return NOWHERE;
  }
  const lo = quantile(field.histogram, 0.85);
  return { lo, hi: Math.max(quantile(field.histogram, 0.97), lo + 1e-9) };
}

/**
 * Both dates, each on its own stretch: here places are compared, not values. The blend needs one
 * stretch for both.
 */
function useDates(nodes: CheckNodes) {
  const reference = useStretch(nodes.reference);
  const date = useStretch(nodes.date);
  const both = reference && date ? joint([reference], [date])[0]! : UNKNOWN;
  const stretches = useSame({ reference: reference ?? UNKNOWN, date: date ?? UNKNOWN, both });
  const below = tilesOf(nodes.reference);
  const above = tilesOf(nodes.date);
  const mixed = tilesOf(nodes.both);
  return useMemo(
    () => ({
      reference: greyLayer(below, stretches.reference),
      alone: greyLayer(below, stretches.reference),
      date: greyLayer(above, stretches.date),
      blend: blendLayer(mixed, stretches.both),
    }),
    [below, above, mixed, stretches],
  );
}

function useEdges({ edges }: CheckNodes, wanted: boolean) {
  const reference = useField(wanted ? edges.reference.hash : null, null);
  const date = useField(wanted ? edges.date.hash : null, null);
  const ends = useSame({ reference: edgeEnds(reference), date: edgeEnds(date) });
  const below = tilesOf(edges.reference);
  const above = tilesOf(edges.date);
  return useMemo(
    () => [edgeLayer(below, ends.reference, "#5b8fdc"), edgeLayer(above, ends.date, "#e8763f")],
    [below, above, ends],
  );
}

/** What single windows lie off the fit. */
function useArrows(place: OffsetPlace | null) {
  return useMemo(() => {
    if (!place) {
      return null;
    }
    const fitted = pathFunction(place.path);
    return arrowLayer(
      place.matches.map(({ x, y, dx, dy, kept }) => {
        const [toX, toY] = fitted(x, y);
        const [offX, offY] = [x + dx - toX, y + dy - toY];
        return { at: [x, y], to: [x + ARROW_TIMES * offX, y + ARROW_TIMES * offY], kept };
      }),
    );
  }, [place]);
}

interface Parts {
  study: Study;
  nodes: CheckNodes;
  place: OffsetPlace | null;
  edges: boolean;
  arrows: boolean;
}

/** Layers of both maps, what of them shows, and which side of the curtain they belong to. */
export function useCheckLayers({ study, nodes, place, edges, arrows }: Parts): {
  main: BaseLayer[];
  left: BaseLayer[];
  clips: Clip[];
} {
  const view = useUi((state) => state.view);
  const glancing = useUi((state) => state.glancing);
  const dates = useDates(nodes);
  const rims = useEdges(nodes, edges);
  const pointing = useArrows(place);
  const outline = useOutline(study, nodes.reference.info);
  useEffect(() => {
    dates.reference.setVisible(glancing || view === "curtain");
    dates.date.setVisible(!glancing && view !== "blend");
    dates.blend.setVisible(!glancing && view === "blend");
    rims.forEach((rim) => rim.setVisible(edges && !glancing));
    pointing?.setVisible(arrows && !glancing);
  }, [dates, rims, pointing, edges, arrows, view, glancing]);
  return {
    main: useMemo(
      () => [
        dates.reference,
        dates.date,
        dates.blend,
        ...rims,
        ...outline,
        ...(pointing ? [pointing] : []),
      ],
      [dates, rims, outline, pointing],
    ),
    left: useMemo(() => [dates.alone], [dates]),
    clips: useMemo(
      () => [
        { layers: [dates.reference], side: "left" },
        { layers: [dates.date], side: "right" },
      ],
      [dates],
    ),
  };
}
