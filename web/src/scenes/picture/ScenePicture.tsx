import { useMemo, useState } from "react";
import type OlMap from "ol/Map";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { pinRoutes } from "@hindglance/contract/pins";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import type { AreaGeometry, NodeView, Scene, Study } from "../../api/types";
import { dayYear, number } from "../../lib/format";
import { displayed } from "../../map/displayed";
import { RampLegend } from "../../map/Legend";
import { MapPane } from "../../map/MapPane";
import { viewOf } from "../../map/mapView";
import { cellsOf } from "../../map/nodeCells";
import { projectionOf } from "../../map/projection";
import { useDraw } from "../../map/useDraw";
import { useOutlineHeight } from "../../map/useOutline";
import type { Place } from "../../pins/values";
import { useUi } from "../../state/ui";
import { type Display, rampOf, stretchOf } from "../display";
import { SceneReadOut } from "./SceneReadOut";
import { type PlaceMark, useSceneLayers } from "./useSceneLayers";
import { useViewHistograms } from "./useViewHistograms";

interface Props {
  scene: Scene;
  node: NodeView;
  display: Display;
  study: Study;
  drawing: boolean;
  marks: readonly PlaceMark[];
  onDrawn(geometry: AreaGeometry): void;
  onStopDrawing(): void;
  onSpot(place: Place): void;
}

/** Finds the place on the Earth of a spot of a picture, and gives it to `onSpot`. */
function lookAt(scene: Scene, node: NodeView, [x, y]: Place, onSpot: (place: Place) => void) {
  const { grid } = node.info;
  if (!isSensorFrame(grid.crs)) {
    onSpot(ontoGlobe(grid)(x, y));
  } else if (scene.info!.sensor) {
    const body = { line: -y - 0.5, sample: x - 0.5 };
    void call(pinRoutes.place, { params: { id: scene.id }, body }).then(
      ({ lon, lat }) => onSpot([lon, lat]),
      (error) => useUi.getState().say(sayError(error), "wrong"),
    );
  }
}

/**
 * One scene as it lies: on the map, or in its sensor's lines and samples. A click asks for the
 * values of the place.
 */
export function ScenePicture({ scene, node, display, study, drawing, marks, ...on }: Props) {
  const [map, setMap] = useState<OlMap | null>(null);
  const [at, setAt] = useState<Place | null>(null);
  const shown = useMemo(() => displayed(node), [node]);
  const view = useMemo(() => viewOf(shown.info.grid), [shown]);
  const cells = cellsOf(shown);
  const byView = display.by === "view" ? display.bands.join() : null;
  const onScreen = useViewHistograms(map, cells, byView);
  const stretches = display.bands.map((band, k) =>
    stretchOf(scene, band, display.stretch, undefined, onScreen?.[k] ?? null),
  );
  const layers = useSceneLayers({ study, scene, node, shown, display, stretches, marks });
  useDraw(map, drawing, projectionOf(node.info.grid.crs), on.onDrawn, on.onStopDrawing);
  const isFrame = isSensorFrame(node.info.grid.crs);
  return (
    <MapPane
      view={view}
      layers={layers}
      label={`Map of ${scene.name}`}
      scale={!isFrame}
      onPointer={setAt}
      onClick={(place) => {
        if (!drawing) {
          lookAt(scene, node, place, on.onSpot);
        }
      }}
      onMap={setMap}
    >
      <div className="pointer-events-none absolute left-3 top-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
        <b className="mr-2 text-[12px] text-white">{scene.name}</b>
        {scene.acquiredAt ? dayYear(scene.acquiredAt) : ""}
      </div>
      <Legend scene={scene} node={node} display={display} stretch={stretches[0]!} />
      {isFrame && <FrameNote scene={scene} study={study} />}
      {at && <SceneReadOut scene={scene} node={node} cells={cells} at={at} />}
    </MapPane>
  );
}

interface LegendProps extends Pick<Props, "scene" | "node" | "display"> {
  stretch: { lo: number; hi: number };
}

/** What the colours of a single band mean; nothing where it is grey. */
function Legend({ scene, node, display, stretch }: LegendProps) {
  const ramp = rampOf(scene, display);
  const isSingle = display.mode === "single" && scene.info!.type === "float32";
  if (!isSingle || (!display.breaks && ramp.id === "grey")) {
    return null;
  }
  const band = node.info.bands[display.bands[0]];
  return (
    <div className="pointer-events-none absolute bottom-11 right-3">
      <RampLegend
        name={band?.name ?? ""}
        unit={band?.unit ?? ""}
        ramp={ramp}
        stretch={stretch}
        breaks={display.breaks}
      />
    </div>
  );
}

/** Says how a picture lies that is not on the map. */
function FrameNote({ scene, study }: Pick<Props, "scene" | "study">) {
  const height = useOutlineHeight(study);
  const upwards = scene.detail.pass === "ascending" ? "south is up" : "east is left";
  return (
    <div className="pointer-events-none absolute right-3 top-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
      {scene.info!.sensor
        ? `sensor geometry, may be mirrored · ${upwards}`
        : "no position yet · columns and rows"}
      {scene.info!.sensor && height !== null && (
        <span className="block text-right">outlines drawn at {number(height, 0)} m</span>
      )}
    </div>
  );
}
