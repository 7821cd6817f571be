import { type ReactNode, type RefObject, useEffect, useRef } from "react";
import type OlMap from "ol/Map";
import type View from "ol/View";
import type BaseLayer from "ol/layer/Base";
import { ScaleLine } from "ol/control";
import { type Clip, useClips } from "./useClips";
import { type MapHandlers, useOlMap } from "./useOlMap";

interface Props extends MapHandlers {
  view: View;
  layers: BaseLayer[];
  label: string;
  scale?: boolean;
  /** Only to look at: takes no focus and has no name. */
  still?: boolean;
  /** Share of the width left of which the 'left' layers are drawn. */
  curtain?: number | null;
  clips?: Clip[];
  /** Where the cursor is on the other map of a pair. */
  twin?: [number, number] | null;
  children?: ReactNode;
}

function useScale(map: RefObject<OlMap | null>, wanted: boolean): void {
  useEffect(() => {
    const shown = map.current;
    if (!wanted || !shown) {
      return;
    }
    const line = new ScaleLine({ className: "map-scale", minWidth: 80 });
    shown.addControl(line);
    return () => {
      shown.removeControl(line);
    };
  }, [map, wanted]);
}

/** Puts layers on a map; those that are on it stay, with all that they have drawn. */
function hangUp(map: OlMap, layers: readonly BaseLayer[]): void {
  const shown = map.getLayers();
  for (const layer of [...shown.getArray()]) {
    if (!layers.includes(layer)) {
      shown.remove(layer);
    }
  }
  layers.forEach((layer, place) => {
    if (shown.item(place) !== layer) {
      shown.remove(layer);
      shown.insertAt(place, layer);
    }
  });
}

/** One map. Layers and view belong to the caller; this only hangs them up. */
export function MapPane({ view, layers, label, scale = false, still, children, ...rest }: Props) {
  const { curtain = null, clips, twin } = rest;
  const box = useRef<HTMLDivElement>(null);
  const { map, cross } = useOlMap(box, rest);
  useEffect(() => {
    map.current?.setView(view);
  }, [map, view]);
  useEffect(() => {
    if (map.current) {
      hangUp(map.current, layers);
    }
  }, [map, layers]);
  useEffect(() => {
    const shown = map.current;
    return () => {
      shown?.setLayers([]);
    };
  }, [map]);
  useEffect(() => {
    cross.current?.setPosition(twin ?? undefined);
  }, [cross, twin]);
  useScale(map, scale);
  useClips(map, clips, curtain);
  return (
    <div className="relative h-full w-full">
      <div
        ref={box}
        {...(still ? {} : { tabIndex: 0, role: "application", "aria-label": label })}
        className="h-full w-full"
      />
      <div className="map-loading" aria-hidden>
        Computing the picture …
      </div>
      {children}
    </div>
  );
}
