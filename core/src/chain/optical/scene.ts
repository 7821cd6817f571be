import type { ImageInfo } from "../../graph/image";
import type { OpticalRow } from "./family";

/** Whether a scene still holds the numbers of its file. */
export const inNumbers = (info: ImageInfo): boolean =>
  info.bands.some((band) => band.role === "dn");
/** Whether a scene has a quality band. */
export const hasQuality = (info: ImageInfo): boolean =>
  info.bands.some((band) => band.role === "quality");
/** Whether a scene came as reflectance of the surface. */
export const isSurface = (info: ImageInfo): boolean => info.optical?.level === 2;

/** Without a quality band cloud is told on reflectance, which then comes before Mask. */
export const reflectanceFirst = ({ scene: { info }, settings }: OpticalRow): boolean =>
  settings.mask.on &&
  settings.mask.cloud &&
  settings.reflectance.on &&
  inNumbers(info) &&
  !hasQuality(info);
