import type { AreaStyle } from "@hindglance/formats/features/styledLayer";
import { writeKml } from "@hindglance/formats/features/writeKml";
import type { FileKind, FileSource } from "./kind";
import { patchFeatures, patchTable } from "./patches";
import { zipped } from "./zip";

/** Classes of a map as they are drawn, by name. */
const stylesOf = ({ info }: FileSource): Map<string, AreaStyle> =>
  new Map(
    info.classes?.map(({ label, name, color }) => [name, { id: `class${label}`, name, color }]),
  );

async function* kmlBytes(source: FileSource): AsyncGenerator<Uint8Array> {
  const { map } = source;
  const { fields } = patchTable(source);
  const styles = stylesOf(source);
  const classAt = fields.findIndex(({ name }) => name === "class");
  const { before, after } = map.provenance;
  const kml = writeKml(
    {
      ...{ name: map.name, fields, styles: [...styles.values()] },
      description: `${map.provenance.study}: ${before.name} and ${after.name}, written ${map.provenance.writtenAt}`,
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
