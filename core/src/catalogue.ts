import { type Chain, FAMILIES, type Family, STEPS_OF, proposedChain } from "./chain/family";
import type { AnyFacts, AnyStep, Switched } from "./chain/step";
import type { AnyLimit } from "./change/limits/all";
import type { LimitGround } from "./change/limits/limit";
import { LIMIT_PARTS } from "./change/limits/list";
import { type AnyMeasure, anyWords } from "./change/measures/all";
import { MEASURE_PARTS } from "./change/measures/list";
import { fieldWords, fieldsOfAll } from "./form/words";
import type { Field } from "./form/fields";
import { LONLAT } from "./geodesy/crs";
import { northUp } from "./grid/grid";

const FAMILY_NAMES: Record<Family, string> = { radar: "Radar chain", optical: "Optical chain" };
/** A study that forms can look at. */
const FACTS: AnyFacts = {
  grid: northUp(LONLAT, 0, 0, 1, 1, 1, 1),
  elevationId: "elevation",
  looks: 4.4,
  rangeLooks: 1,
  azimuthLooks: 1,
  hazard: "flood",
  quality: true,
  frames: true,
  bands: [],
};
const GROUND: LimitGround = {
  cellM2: 100,
  hasArea: true,
  hasElevation: true,
  hasHidden: true,
  hasSecond: true,
  hasCloud: true,
  others: [],
  classes: [{ label: 1, name: "" }],
  start: { op: "<", value: 0 },
  unit: { unit: "", decimals: 1, step: 0.1 },
};

const row = (...cells: string[]): string =>
  `| ${cells.map((cell) => cell.replaceAll("|", "\\|")).join(" | ")} |`;
const table = (head: string[], rows: string[][]): string =>
  [row(...head), row(...head.map(() => "---")), ...rows.map((cells) => row(...cells))].join("\n");

const settingsText = (fields: readonly Field[], schema: Parameters<typeof fieldWords>[1]): string =>
  fields
    .map((field) => fieldWords(field, schema))
    .filter((text) => text !== null)
    .join("; ") || "–";

/** Steps as a table in Markdown: name, what it does, what can be set. */
export function stepsTable(steps: readonly AnyStep[]): string {
  const chain: Chain = proposedChain<AnyFacts, readonly AnyStep[]>(steps, FACTS);
  return table(
    ["step", "what it does", "settings"],
    steps.map((step) => {
      const fields = fieldsOfAll<Switched>(chain[step.key]!, (own) => step.fields(own, chain));
      return [step.name, step.help, settingsText(fields, step.settings)];
    }),
  );
}

/** Measures as a table in Markdown: name, what it says, of what it is taken, its unit. */
export const measuresTable = (parts: readonly AnyMeasure[]): string =>
  table(
    ["measure", "what it says", "of power", "of values", "of classes", "unit"],
    parts.map((part) => {
      const words = anyWords(part);
      const own = part.unit?.unit ?? "of the bands";
      return [
        words.name,
        words.help,
        part.onPower ? "yes" : "–",
        part.onValues ? "yes" : "–",
        part.onClasses ? "yes" : "–",
        own || "none",
      ];
    }),
  );

/** Limits as a table in Markdown: name, what it does, what can be set. */
export const limitsTable = (parts: readonly AnyLimit[]): string =>
  table(
    ["limit", "what it does", "settings"],
    parts.map((part) => [
      part.name,
      part.help,
      settingsText(part.fields(part.start(GROUND), GROUND), null),
    ]),
  );

/** The page docs/catalogue.md. */
export const cataloguePage = (): string =>
  [
    "# Steps, measures and limits",
    "This page is written by `npm run docs` from the one file that each of them has; a test compares the two.",
    ...FAMILIES.map((family) => `## ${FAMILY_NAMES[family]}\n\n${stepsTable(STEPS_OF[family])}`),
    "`core/src/chain/radar` and `core/src/chain/optical` hold a file a step.",
    `## Measures\n\n${measuresTable(MEASURE_PARTS)}`,
    "`core/src/change/measures` holds a file a measure.",
    `## Limits, in the order in which they are applied\n\n${limitsTable(LIMIT_PARTS)}`,
    "`core/src/change/limits` holds a file a limit.",
  ].join("\n\n");
