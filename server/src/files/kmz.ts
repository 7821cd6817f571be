import { writeKml } from "@hindglance/formats/features/writeKml";
import type { FileKind, FileSource } from "./kind";
import { classStyles, mapDescription, patchFeatures, patchTable } from "./patches";
import { zipped } from "./zip";

async function* kmlBytes(source: FileSource): AsyncGenerator<Uint8Array> {
  const { map } = source;
  const { fields } = patchTable(source);
  const styles = new Map(classStyles(source).map((style) => [style.name, style]));
  const classAt = fields.findIndex(({ name }) => name === "class");
  const kml = writeKml(
    {
      ...{ name: map.name, fields, styles: [...styles.values()] },
      description: mapDescription(source),
      styleOf: ({ values }) => styles.get(String(values[classAt])),
    },
    patchFeatures(source),
  );
  for await (const text of kml) {
    yield Buffer.from(text);
  }
}

/** Patches with the colours of their classes, as a zipped KML document. */
export const kmz: FileKind = {
  extension: "kmz",
  media: "application/vnd.google-earth.kmz",
  title: "KMZ",
  isPacked: true,
  bytes: (source) =>
    zipped(
      [{ name: "doc.kml", bytes: kmlBytes(source) }],
      new Date(source.map.provenance.writtenAt),
    ),
};
