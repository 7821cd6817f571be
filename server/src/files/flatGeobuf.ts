import { writeFlatGeobuf } from "@hindglance/formats/features/writeFlatGeobuf";
import type { FileKind } from "./kind";
import { mapDescription, patchFeatures, patchTable } from "./patches";
import { withScratch } from "./scratch";

/** Patches as FlatGeobuf, with the index by which those of a box are found. */
export const flatGeobuf: FileKind = {
  extension: "fgb",
  media: "application/vnd.flatgeobuf",
  title: "FlatGeobuf",
  isPacked: false,
  bytes: (source) =>
    withScratch(async function* (open) {
      const { fields } = patchTable(source);
      const options = { name: source.map.name, description: mapDescription(source), fields };
      yield* writeFlatGeobuf(options, patchFeatures(source), await open("features"));
    }),
};
