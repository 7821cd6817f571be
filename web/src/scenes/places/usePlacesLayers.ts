import { useMemo } from "react";
import type BaseLayer from "ol/layer/Base";
import { fromLonLat } from "ol/proj";
import type { Scene, Study } from "../../api/types";
import { type Mark, pinLayer } from "../../map/pinLayer";
import type { Found } from "../archive/archive";
import type { PlaceMark } from "../picture/useSceneLayers";
import type { Ring } from "./box";
import { type Line, degreesLayer, landLayer, ringLayer } from "./worldLayers";

const BEFORE = "#7fa3da";
const AFTER = "#e08a61";
const NEITHER = "#b9c2be";
const FOUND = "#e8c25a";

function colourOf(id: string, compare: Study["compare"]): string {
  if (id === compare?.beforeId) {
    return BEFORE;
  }
  return id === compare?.afterId ? AFTER : NEITHER;
}

const lineOf = (scene: Scene, isPicked: boolean, compare: Study["compare"]): Line => ({
  color: colourOf(scene.id, compare),
  width: isPicked ? 3 : 1.4,
  dash: scene.kind === "elevation" ? [3, 4] : undefined,
  fill: isPicked ? "rgba(255,255,255,.08)" : undefined,
});

const foundLine = (found: Found, isPointed: boolean): Line => ({
  color: FOUND,
  width: isPointed ? 3 : 1.2,
  dash: found.have ? undefined : [6, 3],
  fill: isPointed ? "rgba(232,194,90,.14)" : undefined,
});

function markOf({ place, name, state }: PlaceMark): Mark {
  const [x = NaN, y = NaN] = fromLonLat(place);
  return { at: [x, y], name, state };
}

interface Parts {
  compare: Study["compare"];
  scenes: Scene[];
  picked: Scene | null;
  found: readonly Found[];
  pointed: string | null;
  /** Outlines of the study area. */
  area: Ring[];
  marks: readonly PlaceMark[];
  /** What lies over every map. */
  overlays: readonly BaseLayer[];
}

/** The land, footprints of scenes and of what was found, the study area, and marks on top. */
export function usePlacesLayers(parts: Parts): BaseLayer[] {
  const { compare, scenes, picked, found, pointed, area, marks, overlays } = parts;
  const pickedId = picked?.id ?? null;
  return useMemo(
    () => [
      landLayer(),
      degreesLayer(),
      ...scenes.flatMap((scene) =>
        scene.footprint
          ? [ringLayer([scene.footprint], lineOf(scene, scene.id === pickedId, compare))]
          : [],
      ),
      ...found.flatMap((item) =>
        item.footprint ? [ringLayer([item.footprint], foundLine(item, item.id === pointed))] : [],
      ),
      ...overlays,
      ...(area.length ? [ringLayer(area, { color: "#ffffff", width: 1.5, dash: [6, 4] })] : []),
      pinLayer(marks.map(markOf)),
    ],
    [marks, scenes, area, compare, pickedId, found, pointed, overlays],
  );
}
