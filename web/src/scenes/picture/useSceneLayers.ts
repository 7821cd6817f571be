import { useMemo } from "react";
import type BaseLayer from "ol/layer/Base";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import type DataTile from "ol/source/DataTile";
import { ontoGrid } from "@hindglance/core/grid/globe";
import type { Grid } from "@hindglance/core/grid/grid";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { RangeDoppler, type SensorModel } from "@hindglance/core/radar/sensor";
import type { NodeView, Scene, Study } from "../../api/types";
import { useSame } from "../../lib/useSame";
import { type Stretch, breaksLayer, classLayer, rampLayer, rgbLayer } from "../../map/layers";
import { type Mark, pinLayer } from "../../map/pinLayer";
import { type Breaks, type Ramp, breakColours } from "../../map/ramps";
import { placeOfLine } from "../../map/sensorLines";
import { tilesOf } from "../../map/tiles";
import { useOutline } from "../../map/useOutline";
import type { Place } from "../../pins/values";
import { type Display, rampOf } from "../display";

/**
 * A pin or the spot that is looked at; height in metres above the ellipsoid, for pictures in sensor
 * geometry.
 */
export interface PlaceMark {
  place: Place;
  height: number;
  name: string;
  state: Mark["state"];
}

/** All that a picture of values is drawn by. */
interface Look {
  mode: Display["mode"];
  bands: number[];
  gamma: number;
  stretches: Stretch[];
  ramp: Ramp;
  breaks: Breaks | null;
}

function valuesLayer(source: DataTile, look: Look): WebGLTileLayer {
  const { mode, stretches, gamma, ramp, breaks } = look;
  const places = look.bands.map((band) => band + 1);
  if (mode === "three") {
    return rgbLayer(source, places, stretches, gamma);
  }
  return breaks
    ? breaksLayer(source, breaks.at, breakColours(breaks, ramp), places[0])
    : rampLayer(source, stretches[0]!, ramp, places[0], gamma);
}

/**
 * Where a mark is drawn. Lines of sensor geometry run downwards on the map; on a picture without
 * position no place can be found.
 */
function markPlaces(sensor: SensorModel | undefined, grid: Grid): (mark: PlaceMark) => Place {
  if (!isSensorFrame(grid.crs)) {
    const onMap = ontoGrid(grid);
    return (mark) => onMap(...mark.place);
  }
  if (!sensor) {
    return () => [NaN, NaN];
  }
  const geometry = new RangeDoppler(sensor);
  return ({ place, height }) => placeOfLine(geometry.locateGeodetic(...place, height));
}

interface Parts {
  study: Study;
  scene: Scene;
  /** The scene as it is stored. */
  node: NodeView;
  /** The same as the map draws it. */
  shown: NodeView;
  display: Display;
  stretches: Stretch[];
  marks: readonly PlaceMark[];
}

/** The picture of a scene, the study area over it, and marks on top. */
export function useSceneLayers(parts: Parts): BaseLayer[] {
  const { study, scene, node, shown, display, stretches, marks } = parts;
  const source = tilesOf(shown);
  const { mode, gamma, breaks } = display;
  const look = useSame<Look>({
    ...{ mode, gamma, breaks, stretches },
    bands: display.bands,
    ramp: rampOf(scene, display),
  });
  const isClasses = scene.info!.type === "class8";
  const classes = useSame(node.info.classes ?? []);
  const picture = useMemo(
    () => (isClasses ? classLayer(source, classes, 1) : valuesLayer(source, look)),
    [source, isClasses, classes, look],
  );
  const outline = useOutline(study, node.info);
  const { sensor } = scene.info!;
  const { grid } = node.info;
  const pins = useMemo(() => {
    const placeOf = markPlaces(sensor, grid);
    const placed = marks.map((mark): Mark => ({
      at: placeOf(mark),
      name: mark.name,
      state: mark.state,
    }));
    return pinLayer(placed.filter((mark) => mark.at.every(Number.isFinite)));
  }, [marks, sensor, grid]);
  return useMemo(() => [picture, ...outline, pins], [picture, outline, pins]);
}
