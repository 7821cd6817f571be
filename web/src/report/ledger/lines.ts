import type { LedgerEntry } from "@hindglance/contract/studies";
import { FAMILIES } from "@hindglance/core/chain/family";
import { isObject } from "@hindglance/core/values";

/** What the lines of the ledger are asked about: a map with what it was made from, or dates alone. */
export interface Made {
  /** Id of the map; null: dates are asked about. Maps that it was edited from are found by its line. */
  changeMap: string | null;
  /** Scenes by id, as long as the study has them. */
  scenes: readonly string[];
  /** Scenes and zones by the checksums of their files. */
  checksums: readonly string[];
}

interface Summed {
  sha256: string;
}

/** What a map is made from, as far as lines of the ledger name it. */
export interface MadeMap {
  id: string;
  provenance: {
    before: Summed;
    after: Summed;
    elevation: Summed | null;
    zones: Summed | null;
    cover?: Summed;
    covers?: { before: Summed; after: Summed };
    series?: { normal: Summed[]; watched: Summed[] };
    second?: { before: Summed | null; after: Summed };
    scenes?: { beforeId: string; afterId: string };
    prepared?: Partial<Record<"before" | "after", { orbit: Summed | null } | null>>;
  };
}

/** What is asked about a map: its own lines, and those of everything that it was made from. */
export function madeOfMap({ id, provenance }: MadeMap): Made {
  const { before, after, elevation, zones, cover, covers, series, second, scenes } = provenance;
  const { prepared } = provenance;
  const all = [
    ...[before, after, elevation, zones, cover, covers?.before, covers?.after],
    ...(series ? [...series.normal, ...series.watched] : []),
    ...[second?.before, second?.after],
    ...[prepared?.before?.orbit, prepared?.after?.orbit],
  ];
  return {
    changeMap: id,
    scenes: scenes ? [scenes.beforeId, scenes.afterId] : [],
    checksums: all.flatMap((one) => (one ? [one.sha256] : [])),
  };
}

/** What is asked about dates. */
export const madeOfDates = (
  ids: readonly string[],
  scenes: readonly { id: string; fileSha256: string }[],
): Made => ({
  changeMap: null,
  scenes: ids,
  checksums: scenes.filter(({ id }) => ids.includes(id)).map(({ fileSha256 }) => fileSha256),
});

/** Acts by which things come into a study that maps are made from. */
const INPUT =
  /^(Scenes? (imported|computed|joined|changed)|Classes named|Zones|Orbit|Fetched|Dates (prep|cl))/;
/** Acts by which one scene is made from others, and where their ids stand in what is known of it. */
const FROM: Record<string, string> = { "Scene computed": "from", "Scenes joined": "parts" };

/** Ids of the scenes that a line says a scene was made from. */
function sourcesIn({ what, detail }: LedgerEntry): string[] {
  const listed = detail[FROM[what] ?? ""];
  return (Array.isArray(listed) ? listed : []).flatMap((one: unknown) =>
    isObject(one) && typeof one.scene === "string" ? [one.scene] : [],
  );
}

/** Marks of everything that was asked about, and of what that was made from, and so on. */
function marksOf(entries: readonly LedgerEntry[], made: Made): Set<string> {
  const marks = new Set([...made.scenes, ...made.checksums]);
  const texts = entries.map(({ detail }) => JSON.stringify(detail));
  // A scene is made from what was there before it: from the last line to the first one pass is enough.
  for (let k = entries.length - 1; k >= 0; k--) {
    const { scene } = entries[k]!.detail;
    if (typeof scene !== "string") {
      continue;
    }
    if (marks.has(scene) || [...marks].some((mark) => texts[k]!.includes(`"sha256":"${mark}"`))) {
      marks.add(scene);
      sourcesIn(entries[k]!).forEach((source) => marks.add(source));
    }
  }
  return marks;
}

/** The line by which a map was written. */
const writtenIn = (entries: readonly LedgerEntry[], map: string): LedgerEntry | undefined =>
  entries.find(({ what, detail }) => /map written$/.test(what) && detail.changeMap === map);

/** A map and those that it was edited from, the first last. */
function chainOfMaps(entries: readonly LedgerEntry[], changeMap: string | null): string[] {
  const maps: string[] = [];
  for (let next = changeMap; next && !maps.includes(next);) {
    maps.push(next);
    const { from } = writtenIn(entries, next)?.detail ?? {};
    next = isObject(from) && typeof from.changeMap === "string" ? from.changeMap : null;
  }
  return maps;
}

/** Families of chains that scenes are prepared by, as far as lines tell what was taken in. */
function familiesOf(entries: readonly LedgerEntry[], marks: ReadonlySet<string>): string[] {
  const kinds = entries.flatMap(({ detail: { scene, kind } }) =>
    typeof scene === "string" && marks.has(scene) && typeof kind === "string" ? [kind] : [],
  );
  return FAMILIES.filter((family) => kinds.includes(family));
}

/** Places of the settings that held for scenes before a line. */
function settingsAt(
  entries: readonly LedgerEntry[],
  end: number,
  marks: ReadonlySet<string>,
): Set<number> {
  const lastOf = (what: string, fits: (detail: LedgerEntry["detail"]) => boolean) =>
    entries.findLastIndex((one, k) => k < end && one.what === what && fits(one.detail));
  // Legend and areas as they were when a date was classified by them.
  const taught = entries.flatMap(({ what, detail: { scenes } }, k) =>
    k < end &&
    what === "Dates classified" &&
    Array.isArray(scenes) &&
    scenes.some((id) => typeof id === "string" && marks.has(id))
      ? [entries.findLastIndex((one, place) => place < k && one.what === "Legend and areas set")]
      : [],
  );
  return new Set([
    ...taught,
    ...familiesOf(entries, marks).map((family) =>
      lastOf("Chain set", (detail) => detail.family === family),
    ),
    lastOf("Study changed", (detail) => "studyArea" in detail),
    ...[...marks].map((id) => lastOf("Date aligned", (detail) => detail.scene === id)),
  ]);
}

/**
 * Lines that made a map or dates: their own, those of everything they were made from, and the settings
 * that held when it was written. In the order of the ledger.
 */
export function linesOf(entries: readonly LedgerEntry[], made: Made): LedgerEntry[] {
  const maps = chainOfMaps(entries, made.changeMap);
  // Settings that were changed after the first map was written did not make it.
  const first = writtenIn(entries, maps.at(-1) ?? "");
  const end = first ? entries.indexOf(first) : entries.length;
  const marks = marksOf(entries, made);
  const settings = settingsAt(entries, end, marks);
  return entries.filter((entry, k) => {
    const { what, detail } = entry;
    if (what === "Study begun" || settings.has(k)) {
      return true;
    }
    if (typeof detail.changeMap === "string" && maps.includes(detail.changeMap)) {
      return true;
    }
    if (!INPUT.test(what) || k >= end) {
      return false;
    }
    const text = JSON.stringify(detail);
    return [...marks].some((mark) => text.includes(`"${mark}"`));
  });
}
