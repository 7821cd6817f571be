import { sourceNode } from "@hindglance/core/graph/node";
import { imageBytes } from "./image";
import type { FileKind, FileSource } from "./kind";
import { COG_MEDIA } from "./names";

/** Colours by label, names of classes, and where the map comes from. */
function saidInside({ map, info }: FileSource) {
  const classes = info.classes ?? [];
  return {
    palette: { 0: "#efece4", ...Object.fromEntries(classes.map((one) => [one.label, one.color])) },
    items: {
      LEGEND: ["0=Unchanged", ...classes.map(({ label, name }) => `${label}=${name}`)].join("; "),
      NAME: map.name,
      PROVENANCE: JSON.stringify(map.provenance),
    },
  };
}

/** Classes of a map as a cloud-optimised GeoTIFF: labels of 8 bits, 255 where nothing is known. */
export const cog: FileKind = {
  extension: "tif",
  media: COG_MEDIA,
  title: "GeoTIFF",
  isPacked: true,
  bytes(source) {
    const { map, info } = source;
    const named = { ...info, bands: info.bands.map((band) => ({ ...band, name: "change class" })) };
    const image = { node: sourceNode(map.imageId), info: named, ...saidInside(source) };
    return imageBytes(source, image);
  },
};
