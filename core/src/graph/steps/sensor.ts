import { InputError } from "../../errors";
import { isSensorFrame } from "../../grid/frames";
import { RangeDoppler, type SensorModel } from "../../radar/sensor";
import type { ImageInfo } from "../image";

const geometries = new WeakMap<SensorModel, RangeDoppler>();
/**
 * Geometry of an image in its sensor's frame. @throws InputError when it lies on the map already
 */
export function geometryOf(title: string, info: ImageInfo): RangeDoppler {
  if (!info.sensor || !isSensorFrame(info.grid.crs)) {
    throw new InputError(
      `${title} works in sensor geometry; this image lies on the map already`,
      "inputs",
    );
  }
  let rangeDoppler = geometries.get(info.sensor);
  if (!rangeDoppler) {
    rangeDoppler = new RangeDoppler(info.sensor);
    geometries.set(info.sensor, rangeDoppler);
  }
  return rangeDoppler;
}

/** Heights that an elevation image can hold; where they are not known, all of the Earth's. */
export const heightsOf = (info: ImageInfo | undefined): [number, number] =>
  info?.bands[0]?.range ?? [-450, 8900];
