import { useMemo, useState } from "react";
import type OlMap from "ol/Map";
import { toLonLat } from "ol/proj";
import type { Crs } from "@hindglance/core/geodesy/crs";
import type { AreaGeometry, Scene, Study } from "../../api/types";
import { dayYear, degrees } from "../../lib/format";
import { useSame } from "../../lib/useSame";
import { MapPane } from "../../map/MapPane";
import { useDraw } from "../../map/useDraw";
import { useOverlayLayers } from "../../map/useOutline";
import type { Place } from "../../pins/values";
import type { Found } from "../archive/archive";
import type { PlaceMark } from "../picture/useSceneLayers";
import { type Box, boxOf, inOnePiece, isBeyond, viewOn, worldView } from "./box";
import { usePlacesLayers } from "./usePlacesLayers";
import { landLayer, placeLayer } from "./worldLayers";

interface Props {
  study: Study;
  scenes: Scene[];
  picked: Scene | null;
  found: readonly Found[];
  /** Item of the archive that the cursor is on in the list. */
  pointed: string | null;
  drawing: boolean;
  marks: readonly PlaceMark[];
  onDrawn(geometry: AreaGeometry): void;
  onStopDrawing(): void;
  onSpot(place: Place): void;
}

/** The system of this map, which the map library knows by its code. */
const MERCATOR: Crs = {
  code: "EPSG:3857",
  name: "Web Mercator",
  proj4: "+proj=webmerc +datum=WGS84",
};

const onEarth = (at: [number, number]): Place => {
  const [lon = 0, lat = 0] = toLonLat(at);
  return [lon, lat];
};

/**
 * Where the scenes lie: their footprints around the study area, and the place on a small map of the
 * world.
 */
export function PlacesMap({ study, scenes, picked, found, pointed, drawing, marks, ...on }: Props) {
  const [at, setAt] = useState<Place | null>(null);
  const [map, setMap] = useState<OlMap | null>(null);
  useDraw(map, drawing, "EPSG:3857", on.onDrawn, on.onStopDrawing);
  const area = useMemo(
    () => study.studyArea?.coordinates.map((polygon) => polygon[0]!) ?? [],
    [study.studyArea],
  );
  const { compare } = study;
  const overlays = useOverlayLayers(study, { grid: { crs: MERCATOR } });
  const layers = usePlacesLayers({
    ...{ compare, scenes, picked, found, pointed, area, marks, overlays },
  });
  const rings = [...scenes, ...found].flatMap(({ footprint }) => (footprint ? [footprint] : []));
  const box = useSame(boxOf([...rings, ...area].map(inOnePiece)));
  const view = useMemo(() => viewOn(box), [box]);
  return (
    <MapPane
      view={view}
      layers={layers}
      label="Footprints of the scenes"
      onPointer={setAt}
      onClick={(place) => {
        if (!drawing) {
          on.onSpot(onEarth(place));
        }
      }}
      onMap={setMap}
    >
      <Heading scenes={scenes} picked={picked} found={found} />
      {at && (
        <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] text-white">
          {degrees(...onEarth(at))}
        </div>
      )}
      {box && <WorldMap box={box} />}
    </MapPane>
  );
}

function Heading({ scenes, picked, found }: Pick<Props, "scenes" | "picked" | "found">) {
  const count = scenes.filter((scene) => scene.footprint).length;
  const results = found.filter((item) => item.footprint).length;
  const beyond = scenes.filter(({ footprint }) => footprint && isBeyond(footprint)).length;
  return (
    <div className="pointer-events-none absolute left-3 top-3 rounded-field bg-night/85 px-2.5 py-1 text-label text-[#d5dbd8]">
      <b className="mr-2 text-[12px] text-white">Footprints</b>
      {count} {count === 1 ? "scene" : "scenes"}
      {picked?.acquiredAt ? `, ${dayYear(picked.acquiredAt)} in bold` : ""}
      {beyond > 0 && <span className="ml-2">{beyond} nearer to a pole than this map reaches</span>}
      {results > 0 && <span className="ml-2 text-[#e8c25a]">{results} found</span>}
    </div>
  );
}

/** The place on a small map of the world. */
function WorldMap({ box }: { box: Box }) {
  const view = useMemo(() => worldView(box), [box]);
  const layers = useMemo(() => [landLayer(), placeLayer(box)], [box]);
  return (
    <div className="absolute bottom-3 right-3 h-[120px] w-[200px] overflow-hidden rounded-card border border-[#52625d] bg-night">
      <MapPane view={view} layers={layers} label="The place on the world" />
    </div>
  );
}
