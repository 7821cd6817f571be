import GeoJSON from "ol/format/GeoJSON";
import Graticule from "ol/layer/Graticule";
import VectorLayer from "ol/layer/Vector";
import { toLonLat } from "ol/proj";
import VectorSource from "ol/source/Vector";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import { feature } from "topojson-client";
import type { GeometryCollection, Topology } from "topojson-specification";
import land from "world-atlas/land-50m.json";
import { type Box, type Ring, inOnePiece } from "./box";

/** Web Mercator: shapes keep their angles, on the study map and on the world. */
const PROJECTION = { dataProjection: "EPSG:4326", featureProjection: "EPSG:3857" };

// The package describes its file as plain JSON; it is a topology with one object.
// eslint-disable-next-line @typescript-eslint/no-unsafe-type-assertion
const topology = land as unknown as Topology<{ land: GeometryCollection }>;
const lands = new GeoJSON().readFeatures(feature(topology, topology.objects.land), PROJECTION);

/** The land of the Earth. */
export const landLayer = (): VectorLayer =>
  new VectorLayer({
    source: new VectorSource({ features: lands }),
    style: new Style({
      fill: new Fill({ color: "#2b3734" }),
      stroke: new Stroke({ color: "#52625d", width: 0.7 }),
    }),
  });

/** How an outline is drawn. */
export interface Line {
  color: string;
  width: number;
  dash?: number[] | undefined;
  fill?: string | undefined;
}

const polygon = (ring: Ring) => ({
  type: "Feature",
  properties: {},
  geometry: { type: "Polygon", coordinates: [inOnePiece(ring)] },
});

/** Outlines in longitude and latitude. */
export const ringLayer = (rings: readonly Ring[], { color, width, dash, fill }: Line) =>
  new VectorLayer({
    source: new VectorSource({
      features: new GeoJSON().readFeatures(
        { type: "FeatureCollection", features: rings.map(polygon) },
        PROJECTION,
      ),
    }),
    style: new Style({
      stroke: new Stroke({ color, width, lineDash: dash }),
      ...(fill ? { fill: new Fill({ color: fill }) } : {}),
    }),
  });

const label = (textAlign: CanvasTextAlign) =>
  new Text({
    font: '11px "Hanken Grotesk Variable", sans-serif',
    fill: new Fill({ color: "#aeb8b4" }),
    textBaseline: "bottom",
    textAlign,
    offsetX: textAlign === "end" ? -6 : 0,
    offsetY: -4,
  });

/** Lines of longitude and latitude with their degrees. */
export const degreesLayer = (): Graticule =>
  new Graticule({
    strokeStyle: new Stroke({ color: "rgba(255,255,255,.13)", width: 1 }),
    showLabels: true,
    wrapX: false,
    lonLabelStyle: label("center"),
    latLabelStyle: label("end"),
  });

/** Degrees from the middle of the mark on the small map to its edge. */
const MARK = 4;

/** A square about the middle of a box, for a small map. */
export function placeLayer(box: Box): VectorLayer {
  const [x = 0, y = 0] = toLonLat([(box[0] + box[2]) / 2, (box[1] + box[3]) / 2]);
  const [west, east] = [x - MARK, x + MARK];
  const [south, north] = [y - MARK, y + MARK];
  const square: Ring = [
    [west, south],
    [east, south],
    [east, north],
    [west, north],
    [west, south],
  ];
  return ringLayer([square], { color: "#ffffff", width: 1.6 });
}
