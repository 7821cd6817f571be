import { UTF8_CPG, WGS84_PRJ, writeShapefile } from "@hindglance/formats/features/writeShapefile";
import type { FileKind } from "./kind";
import { patchFeatures, patchTable } from "./patches";
import { withScratch } from "./scratch";
import { zipped } from "./zip";

async function* textBytes(text: string): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(Buffer.from(text));
}

/** Patches as a Shapefile, zipped with its system and its letters. */
export const shapefile: FileKind = {
  extension: "shp.zip",
  media: "application/zip",
  title: "Shapefile",
  isPacked: true,
  bytes: (source) =>
    withScratch(async function* (open) {
      const sinks = { shp: await open("shp"), shx: await open("shx"), dbf: await open("dbf") };
      await writeShapefile(patchTable(source).fields, patchFeatures(source), sinks);
      const entries = [
        ...Object.entries(sinks).map(([part, file]) => ({ part, bytes: file.bytes() })),
        { part: "prj", bytes: textBytes(WGS84_PRJ) },
        { part: "cpg", bytes: textBytes(UTF8_CPG) },
      ];
      yield* zipped(
        entries.map(({ part, bytes }) => ({ name: `patches.${part}`, bytes })),
        new Date(source.map.provenance.writtenAt),
      );
    }),
};
