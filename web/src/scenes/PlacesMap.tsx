import { useMemo, useRef, useState } from "react";
import type OlMap from "ol/Map";
import GeoJSON from "ol/format/GeoJSON";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import Graticule from "ol/layer/Graticule";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import View from "ol/View";
import { fromLonLat, toLonLat } from "ol/proj";
import { feature } from "topojson-client";
import type { GeometryCollection, Topology } from "topojson-specification";
import land from "world-atlas/land-50m.json";
import type { Scene, Study } from "../api/types";
import { dayYear, degrees } from "../lib/format";
import type { Found } from "./archive";
import { MapPane } from "../map/MapPane";
import { type Mark, pinLayer } from "../map/pinLayer";
import { useDraw } from "../map/useDraw";
import type { Place } from "../pins/values";
import type { PlaceMark } from "./ScenePicture";

type Ring = [number, number][];
/** Web Mercator: shapes keep their angles, on the study map and on the world. */
const PROJECTION = { dataProjection: "EPSG:4326", featureProjection: "EPSG:3857" };
const lands = new GeoJSON().readFeatures(
  feature(
    land as unknown as Topology<{ land: GeometryCollection }>,
    (land as unknown as Topology<{ land: GeometryCollection }>).objects.land,
  ),
  PROJECTION,
);
const landLayer = () =>
  new VectorLayer({
    source: new VectorSource({ features: lands }),
    style: new Style({
      fill: new Fill({ color: "#2b3734" }),
      stroke: new Stroke({ color: "#52625d", width: 0.7 }),
    }),
  });
const outline = (rings: Ring[], color: string, width: number, dash?: number[], fill?: string) =>
  new VectorLayer({
    source: new VectorSource({
      features: new GeoJSON().readFeatures(
        {
          type: "FeatureCollection",
          features: rings.map((ring) => ({
            type: "Feature",
            properties: {},
            geometry: { type: "Polygon", coordinates: [ring] },
          })),
        },
        PROJECTION,
      ),
    }),
    style: new Style({
      stroke: new Stroke({ color, width, lineDash: dash }),
      ...(fill ? { fill: new Fill({ color: fill }) } : {}),
    }),
  });

const label = (textAlign: CanvasTextAlign = "center") =>
  new Text({
    font: '11px "Hanken Grotesk Variable", sans-serif',
    fill: new Fill({ color: "#aeb8b4" }),
    textBaseline: "bottom",
    textAlign,
    offsetX: textAlign === "end" ? -6 : 0,
    offsetY: -4,
  });

/**
 * Where the scenes lie: their footprints around the study area, and the place on a small map of the
 * world.
 */
export function PlacesMap({
  study,
  scenes,
  picked,
  found,
  pointed,
  drawing,
  marks,
  onDrawn,
  onStopDrawing,
  onSpot,
}: {
  drawing: boolean;
  marks: readonly PlaceMark[];
  onDrawn(geometry: object): void;
  onStopDrawing(): void;
  onSpot(place: Place): void;
  study: Study;
  scenes: Scene[];
  picked: Scene | null;
  found: readonly Found[];
  pointed: string | null;
}) {
  const [at, setAt] = useState<[number, number] | null>(null);
  const map = useRef<OlMap | null>(null);
  useDraw(map, drawing, "EPSG:3857", onDrawn, onStopDrawing);
  const rings = useMemo(
    () =>
      scenes
        .filter((scene) => scene.footprint)
        .map((scene) => ({ scene, ring: scene.footprint as Ring })),
    [scenes],
  );
  const area = useMemo(
    () => study.studyArea?.coordinates.map((coordinate) => coordinate[0]!) ?? [],
    [study.studyArea],
  );
  const results = useMemo(() => found.filter((eachFound) => eachFound.footprint), [found]);
  const box = boxOf([
    ...rings.map((ring) => ring.ring),
    ...area,
    ...results.map((result) => result.footprint!),
  ]);
  const key = JSON.stringify(box);
  const view = useMemo(() => {
    const b = JSON.parse(key) as ReturnType<typeof boxOf>;
    const w = Math.max(b[2] - b[0], 2000);
    const h = Math.max(b[3] - b[1], 2000);
    return new View({
      center: [(b[0] + b[2]) / 2, (b[1] + b[3]) / 2],
      resolution: Math.max(w / 740, h / 470),
      enableRotation: false,
      minResolution: 1,
      maxResolution: 40_000,
    });
  }, [key]);
  const world = useMemo(() => {
    const b = JSON.parse(key) as ReturnType<typeof boxOf>;
    return new View({
      center: [(b[0] + b[2]) / 2, Math.max(-8e6, Math.min(8e6, (b[1] + b[3]) / 2))],
      resolution: 62_000,
      minResolution: 62_000,
      maxResolution: 62_000,
      enableRotation: false,
    });
  }, [key]);
  const { beforeId, afterId } = study.compare ?? { beforeId: null, afterId: null };
  const pickedId = picked?.id ?? null;
  const layers = useMemo(
    () => [
      landLayer(),
      new Graticule({
        strokeStyle: new Stroke({ color: "rgba(255,255,255,.13)", width: 1 }),
        showLabels: true,
        wrapX: false,
        lonLabelStyle: label(),
        latLabelStyle: label("end"),
      }),
      ...rings.map(({ scene, ring }) =>
        outline(
          [ring],
          scene.id === beforeId ? "#7fa3da" : scene.id === afterId ? "#e08a61" : "#b9c2be",
          scene.id === pickedId ? 3 : 1.4,
          scene.kind === "elevation" ? [3, 4] : undefined,
          scene.id === pickedId ? "rgba(255,255,255,.08)" : undefined,
        ),
      ),
      ...results.map((result) =>
        outline(
          [result.footprint!],
          "#e8c25a",
          result.id === pointed ? 3 : 1.2,
          result.have ? undefined : [6, 3],
          result.id === pointed ? "rgba(232,194,90,.14)" : undefined,
        ),
      ),
      ...(area.length ? [outline(area, "#ffffff", 1.5, [6, 4])] : []),
      pinLayer(
        marks.map((mark): Mark => ({
          at: fromLonLat(mark.place) as [number, number],
          name: mark.name,
          state: mark.state,
        })),
      ),
    ],
    [marks, rings, area, beforeId, afterId, pickedId, results, pointed],
  );
  const small = useMemo(() => {
    const b = JSON.parse(key) as ReturnType<typeof boxOf>;
    const [x, y] = toLonLat([(b[0] + b[2]) / 2, (b[1] + b[3]) / 2]) as [number, number];
    const delta = 4;
    return [
      landLayer(),
      outline(
        [
          [
            [x - delta, y - delta],
            [x + delta, y - delta],
            [x + delta, y + delta],
            [x - delta, y + delta],
            [x - delta, y - delta],
          ],
        ],
        "#ffffff",
        1.6,
      ),
    ];
  }, [key]);
  return (
    <MapPane
      view={view}
      layers={layers}
      label="Footprints of the scenes"
      onPointer={setAt}
      onClick={(c) => {
        if (!drawing) {
          onSpot(toLonLat(c) as Place);
        }
      }}
      onMap={(m) => {
        map.current = m;
      }}
    >
      <div className="pointer-events-none absolute left-3 top-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
        <b className="mr-2 text-[12px] text-white">Footprints</b>
        {rings.length} {rings.length === 1 ? "scene" : "scenes"}
        {picked?.acquiredAt ? `, ${dayYear(picked.acquiredAt)} in bold` : ""}
        {results.length > 0 && <span className="ml-2 text-[#e8c25a]">{results.length} found</span>}
      </div>
      {at && (
        <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] text-white">
          {degrees(...(toLonLat(at) as [number, number]))}
        </div>
      )}
      <div className="absolute bottom-3 right-3 h-[120px] w-[200px] overflow-hidden rounded-card border border-[#52625d] bg-night">
        <MapPane view={world} layers={small} label="The place on the world" />
      </div>
    </MapPane>
  );
}

function boxOf(rings: Ring[]): [number, number, number, number] {
  const corners = rings.flat().map((ring) => fromLonLat(ring));
  return corners.length
    ? [
        Math.min(...corners.map((corner) => corner[0]!)),
        Math.min(...corners.map((corner) => corner[1]!)),
        Math.max(...corners.map((corner) => corner[0]!)),
        Math.max(...corners.map((corner) => corner[1]!)),
      ]
    : [-2e7, -8e6, 2e7, 1.2e7];
}
