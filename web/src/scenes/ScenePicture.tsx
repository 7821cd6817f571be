import { pinRoutes } from "@hindglance/contract/pins";
import { call } from "../api/call";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Histogram } from "@hindglance/core/raster/histogram";
import type OlMap from "ol/Map";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { RangeDoppler } from "@hindglance/core/radar/sensor";
import { sayError } from "../api/client";
import type { NodeView, Scene, Study } from "../api/types";
import { dayYear, degrees, number } from "../lib/format";
import { outlineLayer } from "../map/areaLayer";
import { displayed } from "../map/displayed";
import { breaksLayer, classLayer, rampLayer, rgbLayer, sourceOf, viewOf } from "../map/layers";
import { MapPane } from "../map/MapPane";
import { NodeCells } from "../map/nodeCells";
import { type Mark, pinLayer } from "../map/pinLayer";
import { projectionOf } from "../map/projection";
import { useDraw } from "../map/useDraw";
import type { Place } from "../pins/values";
import { useUi } from "../state/ui";
import { type Display, rampOf, stretchOf } from "./display";
import { RampLegend } from "../map/Legend";
import { breakColours } from "../map/ramps";
import { viewHistogram } from "../map/viewHistogram";
import { isSensorFrame } from "@hindglance/core/grid/frames";

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

/**
 * One scene as it lies: on the map, or in its sensor's lines and samples. A click asks for the
 * values of the place.
 */
export function ScenePicture({
  scene,
  node,
  display,
  study,
  drawing,
  marks,
  onDrawn,
  onStopDrawing,
  onSpot,
}: {
  scene: Scene;
  node: NodeView;
  display: Display;
  study: Study;
  drawing: boolean;
  marks: readonly PlaceMark[];
  onDrawn(geometry: object): void;
  onStopDrawing(): void;
  onSpot(place: Place): void;
}) {
  const shown = useMemo(() => displayed(node), [node]);
  const frame = isSensorFrame(node.info.grid.crs);
  const cells = useMemo(() => new NodeCells(shown), [shown]);
  const source = useMemo(() => sourceOf(cells), [cells]);
  const view = useMemo(() => viewOf(shown.info.grid), [shown]);
  const [at, setAt] = useState<[number, number] | null>(null);
  const map = useRef<OlMap | null>(null);
  const sensor = scene.info!.sensor;
  const single = display.mode === "single" && scene.info!.type === "float32";
  const ramp = rampOf(scene, display);
  const onScreen = useViewHistograms(
    map,
    cells,
    display.by === "view" ? display.bands.join() : null,
    node.hash,
  );
  const stretches = display.bands.map((b, k) =>
    stretchOf(scene, b, display.stretch, undefined, onScreen?.[k] ?? null),
  ) as [ReturnType<typeof stretchOf>, ReturnType<typeof stretchOf>, ReturnType<typeof stretchOf>];
  const style = JSON.stringify([display, stretches]);
  const picture = useMemo(() => {
    const s = stretches;
    const first = display.bands[0] + 1;
    if (scene.info!.type === "class8") {
      return classLayer(source, node.info.classes ?? [], 1);
    }
    if (display.mode === "three") {
      return rgbLayer(
        source,
        display.bands.map((b) => b + 1) as [number, number, number],
        s,
        display.gamma,
      );
    }
    if (display.breaks) {
      return breaksLayer(source, display.breaks.at, breakColours(display.breaks, ramp), first);
    }
    return rampLayer(source, s[0], ramp, first, display.gamma);

    // What is drawn follows from the settings and ends, which `style` holds.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [scene, source, node, style]);
  const rd = useMemo(() => (frame && sensor ? new RangeDoppler(sensor) : null), [frame, sensor]);
  const layers = useMemo(() => {
    // Lines of sensor geometry run downwards on the map.
    const onMap = (placeMark: PlaceMark): [number, number] => {
      if (!rd) {
        return transformer(LONLAT, node.info.grid.crs)(...placeMark.place);
      }
      const position = rd.locateGeodetic(...placeMark.place, placeMark.height);
      return [position.sample + 0.5, -(position.line + 0.5)];
    };
    return [
      picture,
      ...(study.studyArea && !frame ? [outlineLayer([study.studyArea], node.info.grid.crs)] : []),
      pinLayer(
        marks
          .map((mark): Mark => ({ at: onMap(mark), name: mark.name, state: mark.state }))
          .filter((mark) => mark.at.every(Number.isFinite)),
      ),
    ];
  }, [picture, marks, node, frame, rd, study.studyArea]);
  useDraw(map, drawing, projectionOf(node.info.grid.crs), onDrawn, onStopDrawing);
  const pick = ([x, y]: [number, number]) => {
    if (drawing) {
      return;
    }
    if (frame && !sensor) {
      return;
    }
    if (!frame) {
      onSpot(transformer(node.info.grid.crs, LONLAT)(x, y));
    } else {
      void call(pinRoutes.place, {
        params: { id: scene.id },
        body: { line: -y - 0.5, sample: x - 0.5 },
      }).then(
        (part) => onSpot([part.lon, part.lat]),
        (e) => useUi.getState().say(sayError(e), "wrong"),
      );
    }
  };
  const value = at && cells.valueAt(...at);
  const place = at && !frame && transformer(node.info.grid.crs, LONLAT)(...at);
  return (
    <MapPane
      view={view}
      layers={layers}
      label={`Map of ${scene.name}`}
      scale={!frame}
      onPointer={setAt}
      onClick={pick}
      onMap={(m) => {
        map.current = m;
      }}
    >
      <div className="pointer-events-none absolute left-3 top-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
        <b className="mr-2 text-[12px] text-white">{scene.name}</b>
        {scene.acquiredAt ? dayYear(scene.acquiredAt) : ""}
      </div>
      {single && (display.breaks || ramp.id !== "grey") && (
        <div className="pointer-events-none absolute bottom-11 right-3">
          <RampLegend
            name={node.info.bands[display.bands[0]]?.name ?? ""}
            unit={node.info.bands[display.bands[0]]?.unit ?? ""}
            ramp={ramp}
            stretch={stretches[0]}
            breaks={display.breaks}
          />
        </div>
      )}
      {frame && (
        <div className="pointer-events-none absolute right-3 top-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
          {sensor
            ? `sensor geometry, may be mirrored · ${scene.detail.pass === "ascending" ? "south is up" : "east is left"}`
            : "no position yet · columns and rows"}
        </div>
      )}
      {at && (place || frame) && (
        <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] text-white">
          <div>
            {place
              ? degrees(...place)
              : sensor
                ? `line ${number(Math.floor(-at[1]))}, sample ${number(Math.floor(at[0]))}`
                : `column ${number(Math.floor(at[0]))}, row ${number(Math.floor(-at[1]))}`}
          </div>
          {value &&
            node.info.bands.map((band, i) => (
              <div key={i}>
                <span className="text-[#aeb8b4]">{band.polarisation ?? band.name}</span>{" "}
                {scene.info!.type === "class8"
                  ? (node.info.classes?.find((classInfo) => classInfo.label === value.values[i])
                      ?.name ?? "no class")
                  : Number.isFinite(value.values[i]!)
                    ? `${number(value.values[i]!, band.role === "reflectance" ? 3 : band.role === "quality" ? 0 : 1)} ${band.unit}`
                    : "nodata"}
                {value.level > 0 && (
                  <span className="text-[#aeb8b4]">
                    {" "}
                    · mean of {number(4 ** value.level)} cells
                  </span>
                )}
              </div>
            ))}
        </div>
      )}
    </MapPane>
  );
}

/**
 * Histograms of what is on screen of some bands, made anew when the map has come to rest; null
 * while they are not asked for.
 */
function useViewHistograms(
  map: React.RefObject<OlMap | null>,
  cells: NodeCells,
  bands: string | null,
  key: string,
): (Histogram | null)[] | null {
  const [found, set] = useState<(Histogram | null)[] | null>(null);
  useEffect(() => {
    const current = map.current;
    if (bands === null || !current) {
      set(null);
      return;
    }
    let last = "";
    const look = () => {
      const view = current.getView();
      const size = current.getSize();
      const r = view.getResolution();
      if (!size || !r) {
        return;
      }
      const next = bands
        .split(",")
        .map((b) => viewHistogram(cells, view.calculateExtent(size), r, Number(b)));
      const text = JSON.stringify(
        next.map((histogram) => histogram && [histogram.min, histogram.max, histogram.counts]),
      );
      if (text !== last) {
        last = text;
        set(next);
      }
    };
    look();
    current.on("rendercomplete", look);
    return () => {
      current.un("rendercomplete", look);
    };
  }, [map, cells, bands, key]);
  return found;
}
