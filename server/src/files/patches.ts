import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { AreaFeature, Field, Value } from "@hindglance/formats/features/features";
import type { AreaStyle } from "@hindglance/formats/features/styledLayer";
import { bytesIn } from "@hindglance/formats/features/features";
import { STANDINGS } from "@hindglance/core/review/standing";
import { type Patch, readPatches } from "../db/changeMaps";
import type { FileSource } from "./kind";

/** Patches that are read at a time. */
const BATCH = 500;

/** Patches of a map by number, some at a time; says how far they are. */
export async function* patchesOf(source: FileSource): AsyncGenerator<Patch[]> {
  const { map, db, signal, progress } = source;
  for (let from = 1; from <= map.patchCount; from += BATCH) {
    signal.throwIfAborted();
    yield await db.withClient((client) => readPatches(client, map.id, from, BATCH));
    progress(from / (map.patchCount + 1));
  }
}

const round = (value: number, decimals: number): number =>
  Math.round(value * 10 ** decimals) / 10 ** decimals;

interface Column {
  field: Field;
  of(patch: Patch): Value;
}

const number = (name: string, decimals: number, of: (patch: Patch) => number | null): Column => ({
  field: { name, type: "number", decimals },
  of: (patch) => {
    const value = of(patch);
    return value === null ? null : round(value, decimals);
  },
});
const text = (name: string, all: readonly string[], of: (patch: Patch) => string): Column => ({
  field: { name, type: "text", longest: Math.max(1, ...all.map(bytesIn)) },
  of,
});
const integer = (name: string, of: (patch: Patch) => number): Column => ({
  field: { name, type: "integer" },
  of,
});

const yesOrNo = (name: string, of: (patch: Patch) => boolean): Column => ({
  field: { name, type: "boolean" },
  of,
});

/** Columns of the patches of a map: those of edits and of water only where the map has them. */
function columnsOf({ map, info }: Pick<FileSource, "map" | "info">): Column[] {
  const names = new Map(info.classes?.map(({ label, name }) => [label, name]));
  return [
    text("class", [...names.values()], ({ label }) => names.get(label) ?? String(label)),
    integer("label", ({ label }) => label),
    integer("cells", ({ cells }) => cells),
    number("area_m2", 2, ({ areaM2 }) => areaM2),
    number("perimeter_m", 1, ({ perimeterM }) => perimeterM),
    number("mean_measure", 4, ({ measure }) => measure),
    number("mean_elevation_m", 1, ({ elevation }) => elevation),
    text("verdict", STANDINGS, ({ standing }) => standing),
    ...(map.edited ? [yesOrNo("edited", ({ edited }) => edited)] : []),
    number("doubt", 4, ({ certainty }) => (certainty === null ? null : 1 - certainty)),
    number("edge_share", 4, ({ edgeShare }) => edgeShare),
    ...(map.confirmed
      ? [
          number("second_seen", 4, ({ seenShare }) => seenShare),
          number("second_confirmed", 4, ({ confirmedShare }) => confirmedShare),
        ]
      : []),
    ...(map.depth
      ? [
          number("water_level_m", 2, ({ level }) => level),
          number("mean_depth_m", 2, ({ depth }) => depth),
        ]
      : []),
  ];
}

/** Columns of a map's patches, and a patch's values in them. */
export function patchTable(source: Pick<FileSource, "map" | "info">) {
  const columns = columnsOf(source);
  return {
    fields: columns.map(({ field }) => field),
    valuesOf: (patch: Patch): Value[] => columns.map(({ of }) => of(patch)),
  };
}

/** Classes of a map as they are drawn. */
export const classStyles = ({ info }: Pick<FileSource, "info">): AreaStyle[] =>
  (info.classes ?? []).map(({ label, name, color }) => ({ id: `class${label}`, name, color }));

/** What a map is, in a line. */
export const mapDescription = ({ map: { provenance } }: Pick<FileSource, "map">): string =>
  `${provenance.study}: ${provenance.before.name} and ${provenance.after.name}, written ${provenance.writtenAt}`;

/** Patches of a map as features, some at a time. */
export async function* patchFeatures(source: FileSource): AsyncGenerator<AreaFeature[]> {
  const { valuesOf } = patchTable(source);
  for await (const patches of patchesOf(source)) {
    yield patches.map((patch) => ({
      values: valuesOf(patch),
      polygons: multiPolygonFrom(JSON.parse(patch.geometry)),
    }));
  }
}
