import { COLLECTION_END, collectionHead } from "@hindglance/formats/tables/geojson";
import type { Patch } from "../db/changeMaps";
import type { FileKind, FileSource } from "./kind";
import { patchTable, patchesOf } from "./patches";

/** A patch as a GeoJSON feature; its outline is text already and stays as it is. */
function featureText(patch: Patch, properties: Record<string, unknown>): string {
  const bbox = [patch.west, patch.south, patch.east, patch.north].map(
    (value) => Math.round(value * 1e7) / 1e7,
  );
  const head = JSON.stringify({ type: "Feature", id: patch.number, properties, bbox });
  return `${head.slice(0, -1)},"geometry":${patch.geometry}}`;
}

/** Texts of patches of a map as features, with its columns as properties. */
export function patchFeatureText(source: Pick<FileSource, "map" | "info">) {
  const { fields, valuesOf } = patchTable(source);
  return (patch: Patch): string => {
    const values = valuesOf(patch);
    return featureText(patch, Object.fromEntries(fields.map(({ name }, k) => [name, values[k]])));
  };
}

/** Patches in longitude and latitude (RFC 7946), with where the map comes from as a foreign member. */
export const geojson: FileKind = {
  extension: "geojson",
  media: "application/geo+json",
  title: "GeoJSON",
  isPacked: false,
  async *bytes(source) {
    const { map } = source;
    const textOf = patchFeatureText(source);
    yield Buffer.from(collectionHead({ name: map.name, provenance: map.provenance }));
    let isFirst = true;
    for await (const patches of patchesOf(source)) {
      const text = patches.map(textOf).join(",\n");
      yield Buffer.from(`${isFirst ? "\n" : ",\n"}${text}`);
      isFirst = false;
    }
    yield Buffer.from(COLLECTION_END);
  },
};
