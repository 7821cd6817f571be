import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { ClassifySettings } from "@hindglance/core/classify/settings";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { type Ground, featuresOn } from "../map/ground";
import { areasOf } from "./changes";

const WHITE = "#ffffff";
const RIM = new Style({ stroke: new Stroke({ color: "rgba(18,24,26,.8)", width: 4 }) });

/** Lines in a colour on a dark rim, dashed around what is tested on; the area that is picked is wider and filled. */
const styleOf = (color: string, isPicked: boolean, isTest: boolean): Style[] => [
  RIM,
  new Style({
    stroke: new Stroke({
      color: isPicked ? WHITE : color,
      width: isPicked ? 3 : 2,
      ...(isTest ? { lineDash: [4, 4], lineCap: "butt" } : {}),
    }),
    fill: new Fill({ color: isPicked ? "rgba(255,255,255,.25)" : "rgba(255,255,255,.01)" }),
  }),
];

/** Name of the property that holds the id of an area. */
export const AREA_ID = "area";

/** Ground that would become an area, in the colour of its class. */
export function grownLayer(polygons: MultiPolygon, color: string, ground: Ground): VectorLayer {
  const geometry = { type: "MultiPolygon" as const, coordinates: polygons };
  return new VectorLayer({
    source: new VectorSource({ features: featuresOn(ground, [{ properties: {}, geometry }]) }),
    style: [
      RIM,
      new Style({
        stroke: new Stroke({ color: WHITE, width: 2, lineDash: [5, 4] }),
        fill: new Fill({ color: `${color}80` }),
      }),
    ],
  });
}

interface Drawn {
  ground: Ground;
  picked: string | null;
  /** An area that is drawn elsewhere. */
  without: string | null;
  isWhite: boolean;
}

/**
 * Training areas of a date over its picture, in the colours of their classes; over classes, where
 * those could not be told from the ground, in white.
 */
export function trainingLayer(
  settings: ClassifySettings,
  sceneId: string,
  { ground, picked, without, isWhite }: Drawn,
): VectorLayer {
  const features = featuresOn(
    ground,
    areasOf(settings, sceneId)
      .filter(([id]) => id !== without)
      .map(([id, { label, isTest, polygons }]) => ({
        properties: { [AREA_ID]: id, label, isTest: !!isTest },
        geometry: { type: "MultiPolygon", coordinates: polygons },
      })),
  );
  const colours = new Map(settings.legend.map(({ label, color }) => [label, color]));
  return new VectorLayer({
    source: new VectorSource({ features }),
    style: (feature) => {
      const own = colours.get(Number(feature.get("label"))) ?? WHITE;
      const isPicked = feature.get(AREA_ID) === picked;
      return styleOf(isWhite ? WHITE : own, isPicked, feature.get("isTest") === true);
    },
  });
}
