import { useEffect, useMemo } from "react";
import Feature from "ol/Feature";
import View from "ol/View";
import GeoJSON from "ol/format/GeoJSON";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import { type Extent, buffer } from "ol/extent";
import type { Geometry } from "ol/geom";
import { Stroke, Style } from "ol/style";
import type { Grid } from "@hindglance/core/grid/grid";
import type { ChangeMap, CompareNodes, PatchRow, Scene } from "../api/types";
import { useDateLayer } from "../compare/maps/dateLayer";
import { type DateLooks, useDateLooks } from "../compare/maps/useDateLooks";
import { day } from "../lib/format";
import { MapPane } from "../map/MapPane";
import type { Stretch } from "../map/layers";
import { projectionOf } from "../map/projection";
import { useOutlineOf } from "./useOutlineOf";

/** Size of a chip, pixels. */
const CHIP = { width: 152, height: 96 };
/** Room about a patch, as a share of its longer side, and at least so many cells. */
const ROOM = 0.35;
const ROOM_CELLS = 6;

const LINE = [
  new Style({ stroke: new Stroke({ color: "rgba(18,24,26,.8)", width: 3 }) }),
  new Style({ stroke: new Stroke({ color: "#ffffff", width: 1.4 }) }),
];

/** The outline of a patch in the coordinates of a grid, and the part of the map around it. */
function useGround(map: ChangeMap, patch: PatchRow, grid: Grid): ChipGround | null {
  const outline = useOutlineOf(map, patch.number);
  return useMemo(() => {
    if (!outline) {
      return null;
    }
    const format = new GeoJSON({
      dataProjection: "EPSG:4326",
      featureProjection: projectionOf(grid.crs),
    });
    const geometry = format.readGeometry(outline.geometry);
    if (!geometry) {
      return null;
    }
    const [x0, y0, x1, y1] = geometry.getExtent();
    const room = Math.max(ROOM * Math.max(x1! - x0!, y1! - y0!), ROOM_CELLS * grid.transform[1]);
    return { geometry, extent: buffer(geometry.getExtent(), room) };
  }, [outline, grid]);
}

interface Props {
  map: ChangeMap;
  patch: PatchRow;
  nodes: CompareNodes;
  before: Scene;
  after: Scene;
  bandName: string;
  stretch: Stretch;
}

/** The picked patch on both dates, at the same stretch. */
export function PatchChips({ map, patch, ...shown }: Props) {
  const ground = useGround(map, patch, shown.nodes.before.info.grid);
  return <DateChips {...shown} ground={ground} label="The patch on both dates" />;
}

/** What chips show: a shape on the map, and the part of the map around it. */
export interface ChipGround {
  geometry: Geometry;
  extent: Extent;
}

interface DateProps extends Omit<Props, "map" | "patch"> {
  /** Null until it is known. */
  ground: ChipGround | null;
  label: string;
}

/** A part of the map on both dates, at the same stretch. */
export function DateChips({ nodes, before, after, bandName, stretch, ground, label }: DateProps) {
  const looks = useDateLooks(nodes, bandName, stretch);
  const shared = { ground, grid: nodes.before.info.grid };
  return (
    <div className="mt-2 flex justify-between" aria-label={label} role="group">
      <Chip look={looks.before} name={`Before · ${day(before.acquiredAt!)}`} {...shared} />
      <Chip look={looks.after} name={`After · ${day(after.acquiredAt!)}`} {...shared} />
    </div>
  );
}

interface ChipProps {
  look: DateLooks["before"];
  name: string;
  ground: ChipGround | null;
  grid: Grid;
}

/** One date around the patch. */
function Chip({ look, name, ground, grid }: ChipProps) {
  const date = useDateLayer(look);
  const rim = useMemo(() => {
    const features = ground ? [new Feature(ground.geometry)] : [];
    return new VectorLayer({ source: new VectorSource({ features }), style: LINE });
  }, [ground]);
  const layers = useMemo(() => [date, rim], [date, rim]);
  const view = useMemo(
    () => new View({ projection: projectionOf(grid.crs), constrainResolution: false }),
    [grid],
  );
  useEffect(() => {
    if (ground) {
      view.fit(ground.extent, { size: [CHIP.width, CHIP.height] });
    }
  }, [view, ground]);
  return (
    <figure className="on-night relative overflow-hidden rounded-field bg-night" style={CHIP}>
      <div className="pointer-events-none h-full">
        {ground && <MapPane still view={view} layers={layers} label={name} />}
      </div>
      <figcaption
        className={`absolute left-1.5 top-1.5 rounded px-1.5 py-px text-[11px] font-semibold text-white ${
          name.startsWith("Before") ? "bg-before" : "bg-after"
        }`}
      >
        {name}
      </figcaption>
    </figure>
  );
}
