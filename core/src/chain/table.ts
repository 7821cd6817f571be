import { type Family, FAMILIES, STEPS_OF } from "./family";

import type { AnyStep } from "./step";
import { type Field, boundsOf } from "../form/fields";

const HEAD = "| step | what it does | settings |\n| --- | --- | --- |";
const NAMES: Record<Family, string> = { radar: "Radar chain", optical: "Optical chain" };

/** A field of a form in words, with what it takes. */
function fieldText(step: AnyStep, field: Field): string | null {
  switch (field.kind) {
    case "number": {
      const { min, max } = boundsOf(step.settings, field.at);
      const scale = field.percent ? 100 : 1;
      return `${field.label} (${min * scale} to ${max * scale})`;
    }
    case "choice":
    case "pick":
      return `${field.label} (${field.options.map((option) => option.name).join(", ")})`;
    case "switches":
      return `${field.label} (${field.switches.map((one) => one.label).join(", ")})`;
    case "scene":
      return `${field.label} (a scene, or ${field.none.name})`;
    case "switch":
      return field.label;
    case "grid":
      return `Cell size (1 to ${field.coarsestM} m), coordinate system`;
    case "formulas":
      return "Ready indices, formulas of one's own";
    default:
      return null;
  }
}

/** Steps as a table in Markdown: name, what it does, what can be set. */
export function stepsTable(steps: readonly AnyStep[]): string {
  const rows = steps.map((step) => {
    const fields = step
      .fields(step.propose({} as never), exampleChain(steps))
      .map((field) => fieldText(step, field))
      .filter((text) => text !== null);
    return `| ${step.name} | ${step.help} | ${fields.join("; ") || "–"} |`;
  });
  return [HEAD, ...rows].join("\n");
}

/** Settings that forms can look at; facts of a study are not known here. */
const exampleChain = (steps: readonly AnyStep[]) =>
  Object.fromEntries(steps.map((step) => [step.key, { on: true }]));

/** The tables of docs/steps.md. */
export const stepsPage = (): string =>
  [
    "# Steps of the chains",
    "This page is written by `npm run docs` from the files of the steps (`core/src/chain/radar`,",
    "`core/src/chain/optical`); a test compares the two.",
    ...FAMILIES.map((family) => `## ${NAMES[family]}\n\n${stepsTable(STEPS_OF[family])}`),
  ].join("\n\n");
