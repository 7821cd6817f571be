import Feature from "ol/Feature";
import LineString from "ol/geom/LineString";
import MultiPoint from "ol/geom/MultiPoint";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";

export interface Arrow {
  at: [number, number];
  to: [number, number];
  kept: boolean;
}
const style = (colour: string, dash?: number[]) => [
  new Style({ stroke: new Stroke({ color: "rgba(18,24,26,.6)", width: 3.5 }) }),
  new Style({ stroke: new Stroke({ color: colour, width: 1.6, lineDash: dash }) }),
  new Style({
    geometry: (feature) => {
      const line = feature.getGeometry();
      return line instanceof LineString ? new MultiPoint([line.getFirstCoordinate()]) : undefined;
    },
    image: new CircleStyle({ radius: 2.4, fill: new Fill({ color: colour }) }),
  }),
];
/**
 * Lines from a place to where it points, a dot at their beginning; those that are left out are
 * dashed.
 */
export const arrowLayer = (arrows: readonly Arrow[]): VectorLayer =>
  new VectorLayer({
    source: new VectorSource({
      features: arrows.map((arrow) => {
        const feature = new Feature(new LineString([arrow.at, arrow.to]));
        feature.setStyle(arrow.kept ? style("#ffffff") : style("#d99a1c", [4, 4]));
        return feature;
      }),
    }),
  });
