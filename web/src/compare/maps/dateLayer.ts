import { useMemo } from "react";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import type DataTile from "ol/source/DataTile";
import type { ClassInfo } from "@hindglance/core/graph/image";
import type { NodeView } from "../../api/types";
import { useSame } from "../../lib/useSame";
import {
  type Stretch,
  classLayer,
  greyLayer,
  mutedClassLayer,
  rampLayer,
  rgbLayer,
} from "../../map/layers";
import { rampById } from "../../map/ramps";
import { tilesOf } from "../../map/tiles";

/**
 * How one date is drawn: one band on a ramp, three (counted from 1) as red, green and blue, or classes in
 * their colours or in dark shades of them.
 */
export type DateLook =
  | { kind: "band"; ramp: string; stretch: Stretch }
  | { kind: "classes"; classes: ClassInfo[]; isMuted: boolean }
  | {
      kind: "picture";
      bands: number[];
      stretches: Stretch[];
    };

function dateLayer(source: DataTile, look: DateLook): WebGLTileLayer {
  if (look.kind === "picture") {
    return rgbLayer(source, look.bands, look.stretches);
  }
  if (look.kind === "classes") {
    return look.isMuted
      ? mutedClassLayer(source, look.classes)
      : classLayer(source, look.classes, 1);
  }
  return look.ramp === "grey"
    ? greyLayer(source, look.stretch)
    : rampLayer(source, look.stretch, rampById(look.ramp));
}

/** The layer of one date; a new one only when what is drawn changes. */
export function useDateLayer({ node, how }: { node: NodeView; how: DateLook }): WebGLTileLayer {
  const look = useSame(how);
  const source = tilesOf(node);
  return useMemo(() => dateLayer(source, look), [source, look]);
}
