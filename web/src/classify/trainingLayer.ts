import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { ClassifySettings } from "@hindglance/core/classify/settings";
import { type Ground, featuresOn } from "../map/ground";
import { areasOf } from "./changes";

const RIM = new Style({ stroke: new Stroke({ color: "rgba(18,24,26,.8)", width: 4 }) });

/** Lines in the colour of the class on a dark rim; the area that is picked is wider and filled. */
const styleOf = (color: string, isPicked: boolean): Style[] => [
  RIM,
  new Style({
    stroke: new Stroke({ color: isPicked ? "#ffffff" : color, width: isPicked ? 3 : 2 }),
    fill: new Fill({ color: isPicked ? "rgba(255,255,255,.25)" : "rgba(255,255,255,.01)" }),
  }),
];

/** Name of the property that holds the id of an area. */
export const AREA_ID = "area";

/** Training areas of a date over its picture. */
export function trainingLayer(
  settings: ClassifySettings,
  sceneId: string,
  { ground, picked }: { ground: Ground; picked: string | null },
): VectorLayer {
  const features = featuresOn(
    ground,
    areasOf(settings, sceneId).map(([id, { label, polygons }]) => ({
      properties: { [AREA_ID]: id, label },
      geometry: { type: "MultiPolygon", coordinates: polygons },
    })),
  );
  const colours = new Map(settings.legend.map(({ label, color }) => [label, color]));
  return new VectorLayer({
    source: new VectorSource({ features }),
    style: (feature) =>
      styleOf(
        colours.get(Number(feature.get("label"))) ?? "#ffffff",
        feature.get(AREA_ID) === picked,
      ),
  });
}
