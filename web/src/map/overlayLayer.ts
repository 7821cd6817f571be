import type OlFeature from "ol/Feature";
import type { Geometry } from "ol/geom";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import Stroke from "ol/style/Stroke";
import Style, { type StyleFunction } from "ol/style/Style";
import Text from "ol/style/Text";
import type { OverlayFeatures } from "@hindglance/contract/scenes";
import { type Ground, featuresOn } from "./ground";

/** How an overlay is drawn. */
export interface OverlayLook {
  color: string;
  /** Property that is written beside each feature; null for none. */
  labelField: string | null;
}

const DARK = "rgba(18,24,26,.7)";

const labelOf = (text: string) =>
  new Text({
    text,
    font: '12px "Hanken Grotesk Variable", sans-serif',
    fill: new Fill({ color: "#ffffff" }),
    stroke: new Stroke({ color: DARK, width: 3 }),
    offsetY: -12,
    overflow: true,
  });

/** Lines on a dark rim, points as discs, and what is written beside them. */
function styleOf({ color, labelField }: OverlayLook): StyleFunction {
  const rim = new Style({ stroke: new Stroke({ color: DARK, width: 3.5 }) });
  const line = new Stroke({ color, width: 1.6 });
  const image = new CircleStyle({
    radius: 4.5,
    fill: new Fill({ color }),
    stroke: new Stroke({ color: DARK, width: 1.5 }),
  });
  const plain = new Style({ stroke: line, image });
  return (feature) => {
    const value: unknown = labelField === null ? null : feature.get(labelField);
    const text = typeof value === "string" || typeof value === "number" ? String(value) : "";
    return text ? [rim, new Style({ stroke: line, image, text: labelOf(text) })] : [rim, plain];
  };
}

/** Features in longitude and latitude over a map, as a reference. */
export function overlayLayer(
  content: OverlayFeatures,
  look: OverlayLook,
  ground: Ground,
): VectorLayer<VectorSource<OlFeature<Geometry>>> {
  return new VectorLayer({
    source: new VectorSource({ features: featuresOn(ground, content.features) }),
    style: styleOf(look),
    // Labels give way to each other.
    declutter: true,
  });
}
