import { useMemo } from "react";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import type { CompareNodes } from "../../api/types";
import { useSame } from "../../lib/useSame";
import { type Stretch, classLayer, rampLayer } from "../../map/layers";
import { rampById, rampFor } from "../../map/ramps";
import { tilesOf } from "../../map/tiles";
import type { SecondShow } from "../second/ShowChoice";

/** Ends of grey by the unit of what is looked at: backscatter, else an index or reflectance. */
const ENDS: Record<string, Stretch> = { dB: { lo: -24, hi: -2 } };
const PLAIN: Stretch = { lo: -0.6, hi: 0.6 };

/** What of a second sensor lies over a comparison; null where nothing does. */
export function useSecondLayer(nodes: CompareNodes, show: SecondShow): WebGLTileLayer | null {
  const says = show === "says" ? nodes.confirmed : null;
  const saw = show === "saw" ? (nodes.second?.after ?? null) : null;
  const saySource = says && tilesOf(says);
  const sawSource = saw && tilesOf(saw);
  const classes = useSame(says?.info.classes ?? []);
  const stretch = useSame(ENDS[nodes.second?.unit ?? ""] ?? PLAIN);
  const band = saw?.info.bands[0];
  const ramp = band ? rampFor({ ...band, name: nodes.second!.name }) : "grey";
  return useMemo(() => {
    if (saySource) {
      return classLayer(saySource, classes, 1);
    }
    // Not in greys: what it did not see stays dark, and must not look like a low value.
    return sawSource && rampLayer(sawSource, stretch, rampById(ramp));
  }, [saySource, sawSource, classes, stretch, ramp]);
}
