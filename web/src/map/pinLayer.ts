import Feature from "ol/Feature";
import Point from "ol/geom/Point";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import RegularShape from "ol/style/RegularShape";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import Text from "ol/style/Text";
import type { PinState } from "../pins/values";

export interface Mark {
  at: [number, number];
  name: string;
  state: PinState | "spot";
}
const white = new Stroke({ color: "#ffffff", width: 1.6 });
/**
 * Told apart by shape as well as by colour: met is a disc, missed a cross in a square, the rest a
 * ring.
 */
const image = (s: Mark["state"]) => {
  if (s === "missed") {
    return new RegularShape({
      points: 4,
      radius: 8,
      angle: Math.PI / 4,
      fill: new Fill({ color: "#a4342b" }),
      stroke: white,
    });
  }
  if (s === "spot") {
    return new RegularShape({
      points: 4,
      radius: 9,
      radius2: 0,
      stroke: new Stroke({ color: "#ffffff", width: 2 }),
    });
  }
  return new CircleStyle({
    radius: 6,
    fill: new Fill({ color: s === "met" ? "#1f6658" : "rgba(18,24,26,.7)" }),
    stroke: white,
  });
};

/** Pins and the spot that is looked at, in the coordinates of the map. */
export const pinLayer = (marks: readonly Mark[]) =>
  new VectorLayer({
    source: new VectorSource({
      features: marks.map((mark) => {
        const feature = new Feature(new Point(mark.at));
        feature.setStyle(
          new Style({
            image: image(mark.state),
            text: mark.name
              ? new Text({
                  text: mark.name,
                  offsetX: 11,
                  textAlign: "left",
                  font: '600 11.5px "Hanken Grotesk Variable", sans-serif',
                  fill: new Fill({ color: "#ffffff" }),
                  stroke: new Stroke({ color: "#12181a", width: 3 }),
                })
              : undefined,
          }),
        );
        return feature;
      }),
    }),
  });
