import { useEffect, useMemo, useState } from "react";
import type OlMap from "ol/Map";
import View from "ol/View";
import type BaseLayer from "ol/layer/Base";
import type { NodeView, Study } from "../../api/types";
import { useSame } from "../../lib/useSame";
import { MapPane } from "../../map/MapPane";
import { extentOf, viewOf } from "../../map/mapView";
import { type Mark, pinLayer } from "../../map/pinLayer";
import { projectionOf } from "../../map/projection";
import { cx } from "../../ui/cx";
import type { AlignRow } from "../align";
import type { Spot } from "../useMarking";
import { usePicture } from "./usePicture";
import type { Side } from "./usePoints";

interface Props {
  side: Side;
  row: AlignRow;
  node: NodeView;
  study: Study;
  title: string;
  label: string;
  marks: Mark[];
  /** Where the cursor is, or the same place if it is on the other side. */
  at: Spot | null;
  /** Whether the cursor is here. */
  live: boolean;
  onPointer(spot: Spot | null): void;
  onClick(spot: Spot, resolution: number): void;
  /** Whether half a point waits for this side. */
  waits: boolean;
  say(spot: Spot): string;
}

/** The magnifier shows so many times what the map does. */
const MAGNIFY = 4;
/** Room about a picture that is seen whole: its heading and the places under it. */
const PADDING = [44, 8, 44, 8];

/** The whole picture is seen at first, in half of the room that a map usually has. */
function seeWhole(map: OlMap, view: View, node: NodeView): void {
  const fit = () => {
    const size = map.getSize();
    if (size) {
      view.fit(extentOf(node.info.grid), { size, padding: PADDING });
    }
  };
  if (map.getSize()) {
    fit();
  } else {
    map.once("change:size", fit);
  }
}

/** Views of the map and its magnifier, which follows the place that is looked at. */
function useViews(node: NodeView, area: Study["studyArea"], at: Spot | null) {
  const view = useMemo(() => viewOf(node.info.grid, null, area), [node, area]);
  const glass = useMemo(
    () =>
      new View({
        projection: projectionOf(node.info.grid.crs),
        center: view.getCenter(),
        resolution: (view.getResolution() ?? 1) / MAGNIFY,
      }),
    [node, view],
  );
  useEffect(() => {
    if (at) {
      glass.setCenter(at);
      glass.setResolution((view.getResolution() ?? 1) / MAGNIFY);
    }
  }, [at, glass, view]);
  return { view, glass };
}

/** The picture with its marks, for one map. */
function useLayers(layer: (() => BaseLayer) | null, marks: Mark[]): BaseLayer[] {
  const picture = useMemo(() => (layer ? [layer()] : []), [layer]);
  const same = useSame(marks);
  const pins = useMemo(() => pinLayer(same), [same]);
  return useMemo(() => [...picture, pins], [picture, pins]);
}

/** One of the two pictures, with its marks and a magnifier. */
export function Pane({ side, row, node, study, marks, at, live, ...rest }: Props) {
  const { layer } = usePicture(node);
  const isFrame = row.picture && side === "left";
  const [area] = useState(isFrame ? null : study.studyArea);
  const { view, glass } = useViews(node, area, at);
  const layers = useLayers(layer, marks);
  const glassLayers = useLayers(layer, marks);
  return (
    <div
      className={cx("relative h-full min-w-0 flex-1", side === "left" && "border-r-2 border-paper")}
    >
      <MapPane
        view={view}
        layers={layers}
        label={rest.label}
        scale={!isFrame}
        twin={at && !live ? at : null}
        onPointer={rest.onPointer}
        onClick={(spot) => rest.onClick(spot, view.getResolution() ?? 1)}
        onMap={(map) => {
          if (!area) {
            seeWhole(map, view, node);
          }
        }}
      >
        <div className="pointer-events-none absolute left-3 top-3 max-w-[75%] truncate rounded-field bg-night/85 px-2.5 py-1 text-[11px] text-[#d5dbd8]">
          <b className="mr-2 text-[12px] text-white">{rest.title}</b>
          {row.name}
        </div>
        {rest.waits && (
          <div className="pointer-events-none absolute left-1/2 top-12 -translate-x-1/2 whitespace-nowrap rounded-field bg-warn px-2.5 py-1 text-[12px] font-semibold text-night">
            Now click the same place here
          </div>
        )}
        <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] leading-[17px] text-white">
          {at ? rest.say(at) : <span className="text-[#c9d0cd]">Click a place to mark it</span>}
        </div>
      </MapPane>
      {at && <Magnifier view={glass} layers={glassLayers} />}
    </div>
  );
}

const Magnifier = ({ view, layers }: { view: View; layers: BaseLayer[] }) => (
  <div
    className="pointer-events-none absolute bottom-14 right-3 h-[150px] w-[150px] overflow-hidden rounded-card border-2 border-white/80 bg-night"
    aria-hidden
  >
    <MapPane view={view} layers={layers} label="Magnifier" still />
    <span className="absolute left-1/2 top-0 h-full w-px -translate-x-1/2 bg-white mix-blend-difference" />
    <span className="absolute left-0 top-1/2 h-px w-full -translate-y-1/2 bg-white mix-blend-difference" />
  </div>
);
