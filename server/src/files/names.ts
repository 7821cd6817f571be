import { plainName } from "../products/plainName";

/** Media type of images that are taken away. */
export const COG_MEDIA = "image/tiff; application=geotiff; profile=cloud-optimized";

/** Name of a file of a map. */
export const fileNameOf = ({ name }: { name: string }, extension: string): string =>
  `${plainName(name) || "change_map"}.${extension}`;
