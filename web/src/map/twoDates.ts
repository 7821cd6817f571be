import type WebGLTileLayer from "ol/layer/WebGLTile";
import type DataTile from "ol/source/DataTile";
import { NOTHING, isEmpty, scaled } from "./expressions";
import { type Stretch, tileLayer } from "./layers";

/**
 * Two dates in one picture: before is blue, after is clay, as everywhere. Where both are alike it
 * is grey; what became dark shows the
 * blue of before, what became bright the clay of after. Bands 1 and 2 are before and after.
 */
export function blendLayer(source: DataTile, stretch: Stretch): WebGLTileLayer {
  const b = scaled(1);
  const a = scaled(2);
  const mix = (k: number) => ["+", ["*", a, k], ["*", b, 1 - k]];
  return tileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi },
      color: [
        "case",
        ["any", isEmpty(1), isEmpty(2)],
        NOTHING,
        ["array", mix(0.95), mix(0.5), mix(0.08), 1],
      ],
    },
  });
}

/** Ways to put two dates into one picture. */
export const TWO_DATE = ["clay", "redCyan", "withChange"] as const;
export type TwoDate = (typeof TWO_DATE)[number];
/**
 * Both dates as colours of one picture. `redCyan`: before is red, after is green and blue, so that
 * what became less is red and what became more is cyan. `withChange`: before, after and the size of
 * the change as red, green and blue. Bands 1 to 3 are before, after and measure. @param change end
 * of the measure's range, the same on both sides of nought
 */
export function twoDateLayer(
  source: DataTile,
  stretch: Stretch,
  how: TwoDate,
  change: number,
): WebGLTileLayer {
  if (how === "clay") {
    return blendLayer(source, stretch);
  }
  const b = scaled(1);
  const a = scaled(2);
  const third =
    how === "redCyan" ? a : ["clamp", ["/", ["abs", ["band", 3]], ["var", "change"]], 0, 1];
  return tileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi, change },
      color: [
        "case",
        ["any", isEmpty(1), isEmpty(2), ...(how === "withChange" ? [isEmpty(3)] : [])],
        NOTHING,
        ["array", b, a, third, 1],
      ],
    },
  });
}
