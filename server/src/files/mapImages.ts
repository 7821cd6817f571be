import { MEASURE_BAND } from "@hindglance/core/doubt/plan";
import { node, sourceNode } from "@hindglance/core/graph/node";
import { findImage } from "../db/images";
import { madeFromOfMap } from "../products/madeFrom";
import { imageBytes } from "./image";
import type { FileKind, FileSource } from "./kind";
import { COG_MEDIA } from "./names";

const itemsOf = ({ map }: FileSource, what: string) => ({
  NAME: map.name,
  DESCRIPTION: what,
  PROVENANCE: JSON.stringify(map.provenance),
});

/** An image that was stored beside a map. */
async function* storedBytes(source: FileSource, imageId: string, what: string) {
  const image = await source.db.withClient((client) => findImage(client, imageId));
  if (!image) {
    throw new Error(`Image ${imageId} is not stored`);
  }
  const items = itemsOf(source, what);
  yield* imageBytes(source, { node: sourceNode(imageId), info: image.info, items });
}

const gatedOf = async ({ db, sources, map }: FileSource) =>
  (await madeFromOfMap({ db, sources }, map))?.gated ?? null;

/** Before, after and measure of a map as they were compared; nothing where cells were not counted. */
export const measure: FileKind = {
  extension: "measure.tif",
  media: COG_MEDIA,
  title: "measure",
  isPacked: true,
  lacks: async (source) =>
    (await gatedOf(source))
      ? null
      : "What this map was made from is not known any more: write it again for a file of its measure",
  async *bytes(source) {
    const bands = Array.from({ length: MEASURE_BAND + 1 }, (_v, k) => k);
    const spec = node("bands.select", { bands }, (await gatedOf(source))!);
    const info = await source.evaluator.info(spec);
    const items = itemsOf(source, "Before, after and measure as compared");
    yield* imageBytes(source, { node: spec, info, items });
  },
};

/** How likely each cell is of the class that the map says. */
export const probability: FileKind = {
  extension: "probability.tif",
  media: COG_MEDIA,
  title: "probability",
  isPacked: true,
  bytes: (source) =>
    storedBytes(source, source.map.doubt!.imageId, "Probability of the class of each cell, 0 to 1"),
};

/** Depth of the water over each cell. */
export const depth: FileKind = {
  extension: "depth.tif",
  media: COG_MEDIA,
  title: "depth",
  isPacked: true,
  bytes: (source) =>
    storedBytes(source, source.map.depth!.imageId, "Depth of the water over each cell, metres"),
};
