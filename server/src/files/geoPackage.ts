import { writeGeoPackage } from "@hindglance/formats/features/geoPackage/writeGeoPackage";
import type { FileKind } from "./kind";
import { classStyles, mapDescription, patchFeatures, patchTable } from "./patches";
import { withScratch } from "./scratch";

/** Patches as a GeoPackage with an index, the colours of the classes, and where they come from. */
export const geoPackage: FileKind = {
  extension: "gpkg",
  media: "application/geopackage+sqlite3",
  title: "GeoPackage",
  isPacked: false,
  bytes: (source) =>
    withScratch(async function* (open) {
      const { map } = source;
      const file = await open("out.gpkg");
      await writeGeoPackage(
        file.path,
        {
          ...{ name: map.name, description: mapDescription(source), styledBy: "class" },
          ...{ fields: patchTable(source).fields, styles: classStyles(source) },
          ...{ at: map.provenance.writtenAt, provenance: JSON.stringify(map.provenance) },
        },
        patchFeatures(source),
      );
      yield* file.bytes();
    }),
};
