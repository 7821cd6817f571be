import type { Crs } from "../geodesy/crs";

/** The frame of one product's lines and samples. No two products share one. */
export const sensorFrame = (product: string): Crs => ({
  code: `SENSOR:${product}`,
  proj4: `SENSOR:${product}`,
  name: "sensor geometry",
});
/** Frame of a picture that has no position yet: columns and rows. */
export const pictureFrame = (id: string): Crs => ({
  code: `PICTURE:${id}`,
  proj4: `PICTURE:${id}`,
  name: "no position",
});

/** Whether a frame is that of a picture without position. */
export const isPictureFrame = (crs: Crs): boolean => crs.code.startsWith("PICTURE:");
/**
 * Whether an image does not lie on the map: it is in its sensor's lines and samples, or a picture
 * without position.
 */
export const isSensorFrame = (crs: Crs): boolean =>
  crs.code.startsWith("SENSOR:") || isPictureFrame(crs);
