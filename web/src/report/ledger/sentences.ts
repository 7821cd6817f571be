import type { LedgerEntry } from "@hindglance/contract/studies";
import { isObject } from "@hindglance/core/values";

type Detail = LedgerEntry["detail"];

const textIn = (detail: Detail, key: string): string | null => {
  const value = detail[key];
  return typeof value === "string" && value !== "" ? value : null;
};
const quoted = (text: string | null): string => (text ? `“${text}”` : "");
const named = (detail: Detail): string => quoted(textIn(detail, "name"));
const fromFile = (detail: Detail): string => {
  const file = textIn(detail, "file");
  return file ? ` from ${file}` : "";
};

const countIn = (value: unknown): number => (Array.isArray(value) ? value.length : 0);

/** Names of a list of things, the first few of many; how many they are where they have none. */
function namesIn(value: unknown): string {
  const all = (Array.isArray(value) ? value : []).flatMap((one: unknown) =>
    isObject(one) && typeof one.name === "string" ? [one.name] : [],
  );
  if (all.length === 0) {
    return `${countIn(value)}`;
  }
  const names = [...new Set(all)];
  const shown = names.slice(0, 4).join(", ");
  return names.length > 4 ? `${shown} and ${names.length - 4} more` : shown;
}

/** The name of the recipe of an act. */
const recipeNamed = ({ recipe }: Detail): string =>
  quoted(isObject(recipe) && typeof recipe.name === "string" ? recipe.name : null);

/** What classes were taught by: names of the legend, and areas to train and to test on. */
function taughtBy({ legend, areas }: Detail): string {
  const all = Object.values(isObject(areas) ? areas : {});
  const tested = all.filter((area) => isObject(area) && area.isTest === true).length;
  const trained = all.length - tested;
  return `Classes were set: ${namesIn(legend)}; ${trained} areas to train on, ${tested} to test on.`;
}

const keysIn = (value: unknown): string =>
  isObject(value) ? Object.keys(value).join(", ") : "nothing";

/** What an act was, by its name in the ledger. */
const SENTENCES: Record<string, (detail: Detail) => string> = {
  "Study begun": (detail) =>
    `The study ${named(detail)} was begun, for ${textIn(detail, "hazard") ?? "a change"}.`,
  "Study changed": (detail) =>
    "studyArea" in detail
      ? `The study area was ${detail.studyArea ? "set" : "taken away"}${fromFile(detail)}.`
      : `The study was changed: ${keysIn(detail)}.`,
  "Scene imported": (detail) =>
    `${named(detail) || "A scene"} was taken in${fromFile(detail)} as ${textIn(detail, "kind") ?? "an image"}.`,
  "Scene computed": (detail) =>
    `${named(detail)} was computed: ${textIn(detail, "what") ?? "from other scenes"}.`,
  "Scenes joined": (detail) => `${named(detail)} was joined of ${namesIn(detail.parts)}.`,
  "Scene changed": (detail) => `A scene was changed: ${keysIn(detail)}.`,
  "Scene removed": (detail) => `${named(detail)} was removed.`,
  "Classes named": (detail) => `Classes of a scene were named${fromFile(detail)}.`,
  "Orbit file imported": (detail) =>
    `An orbit file was taken in${fromFile(detail)} (${textIn(detail, "kind") ?? "orbit"}).`,
  "Zones imported": (detail) => `Zones ${named(detail)} were taken in${fromFile(detail)}.`,
  "Overlay added": (detail) => `An overlay was taken in${fromFile(detail)}.`,
  "Fetched from the archive": (detail) =>
    `${countIn(detail.items)} products were fetched from the archive.`,
  "Chain set": (detail) => `The chain of ${textIn(detail, "family") ?? "the"} dates was set.`,
  "Dates prepared": (detail) => `Dates were prepared: ${namesIn(detail.results)}.`,
  "Old results deleted": (detail) =>
    `${countIn(detail.results)} results that no setting uses were deleted.`,
  "Date aligned": (detail) => {
    const { place } = detail;
    const how = isObject(place) && typeof place.kind === "string" ? ` by ${place.kind}` : "";
    return `${named(detail)} was ${place || detail.level ? `aligned${how}` : "left as it lies"}.`;
  },
  "Legend and areas set": taughtBy,
  "Dates classified": (detail) => `${countIn(detail.scenes)} dates were classified.`,
  "Model kept": (detail) => `The model ${named(detail)} was kept.`,
  "Model no longer kept": () => "A model is no longer kept.",
  "Change map written": (detail) =>
    `The map ${named(detail)} was written: ${textIn(detail, "before") ?? "before"} and ${textIn(detail, "after") ?? "after"}.`,
  "Edited map written": (detail) => `The map ${named(detail)} was written from edits.`,
  "Change map renamed": (detail) => `A map was renamed to ${named(detail)}.`,
  "Change map deleted": (detail) => `The map ${named(detail)} was deleted.`,
  "Doubt counted": (detail) => `The doubt of ${named(detail)} was counted.`,
  "Second sensor asked": (detail) => `The map ${named(detail)} was held against a second sensor.`,
  "Map made again": (detail) => `The map ${named(detail)} was made again from its account.`,
  "Standing search given": () => "The archive is looked into for new products over the study area.",
  "Standing search ended": () => "The archive is no longer looked into for new products.",
  "Depth measured": (detail) => `The depth of ${named(detail)} was measured.`,
  "Exposure counted": (detail) => `People and assets under ${named(detail)} were counted.`,
  "Sample drawn": (detail) => `The sample ${named(detail)} was drawn.`,
  "Sample deleted": (detail) => `The sample ${named(detail)} was deleted.`,
  "Map tested on areas": (detail) => `A map was tested on the areas ${named(detail)}.`,
  "File made": (detail) => `The file ${textIn(detail, "file") ?? ""} was made.`,
  "Image taken away": (detail) => `The image ${textIn(detail, "file") ?? ""} was made.`,
  "Sheet set": (detail) => `The sheet of the map ${named(detail)} was set.`,
  "Standing order given": (detail) => `A recipe is run on every new date: ${recipeNamed(detail)}.`,
  "Standing order ended": (detail) =>
    `A recipe is no longer run on every new date: ${recipeNamed(detail)}.`,
  "Recipe begun": (detail) => `The recipe run ${named(detail)} was begun.`,
  "Services opened": () => "The open services of the study were switched on.",
  "Services closed": () => "The open services of the study were switched off.",
  "Pin set": (detail) => `The pin ${named(detail)} was set.`,
};

/** What was done, in a sentence; what the ledger calls it where there is none. */
export const sentenceOf = ({ what, detail }: LedgerEntry): string =>
  SENTENCES[what]?.(detail) ?? `${what}${fromFile(detail)}.`;

/** Everything that is said of an act, for a search over all of it. */
const wholeText = (entry: LedgerEntry): string =>
  `${entry.what} ${sentenceOf(entry)} ${entry.actor ?? ""} ${entry.at} ${JSON.stringify(entry.detail)}`.toLowerCase();

/** Lines in which every word of a search stands, anywhere. */
export function found(entries: readonly LedgerEntry[], search: string): LedgerEntry[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  return entries.filter((entry) => {
    const text = wholeText(entry);
    return words.every((word) => text.includes(word));
  });
}
