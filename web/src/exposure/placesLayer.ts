import Feature from "ol/Feature";
import Point from "ol/geom/Point";
import VectorLayer from "ol/layer/Vector";
import VectorSource from "ol/source/Vector";
import CircleStyle from "ol/style/Circle";
import Fill from "ol/style/Fill";
import RegularShape from "ol/style/RegularShape";
import Stroke from "ol/style/Stroke";
import Style from "ol/style/Style";
import type { Exposure } from "@hindglance/contract/exposure";
import type { PointTransform } from "@hindglance/core/geodesy/crs";

type Place = [lon: number, lat: number];

const WHITE = new Stroke({ color: "#ffffff", width: 1.6 });
const ASSET = new Style({
  image: new CircleStyle({ radius: 5, fill: new Fill({ color: "#12181a" }), stroke: WHITE }),
});
/** A cut is told from an asset by its shape too. */
const CUT = new Style({
  image: new RegularShape({
    points: 4,
    radius: 8,
    angle: Math.PI / 4,
    fill: new Fill({ color: "#d99a1c" }),
    stroke: WHITE,
  }),
});
const SHOWN = new Style({
  image: new CircleStyle({ radius: 12, stroke: new Stroke({ color: "#ffffff", width: 2.5 }) }),
  zIndex: 2,
});

const marksAt = (places: readonly Place[], onto: PointTransform, style: Style): Feature[] =>
  places.map((place) => {
    const feature = new Feature(new Point(onto(...place)));
    feature.setStyle(style);
    return feature;
  });

/** Assets that lie in a class, and roads that are cut, on a map; the one that is shown has a ring. */
export const placesLayer = (
  { listed, cuts }: Exposure,
  shown: Place | null,
  onto: PointTransform,
): VectorLayer =>
  new VectorLayer({
    zIndex: 6,
    source: new VectorSource({
      features: [
        ...marksAt(
          listed.filter(({ shape }) => shape !== "line").map(({ at }) => at),
          onto,
          ASSET,
        ),
        ...marksAt(
          cuts.map(({ at }) => at),
          onto,
          CUT,
        ),
        ...marksAt(shown ? [shown] : [], onto, SHOWN),
      ],
    }),
  });
