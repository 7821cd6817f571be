import { number } from "../text/number";
import { type Field, boundsOf } from "./fields";

type Schema = Parameters<typeof boundsOf>[0];

/** A label with the names of its options, where they are known without a study. */
function withOptions(label: string, options: readonly { name: string }[]): string {
  const names = options.map((option) => option.name).filter(Boolean);
  return names.length > 0 ? `${label} (${names.join(", ")})` : label;
}

type Of<Kind> = Extract<Field, { kind: Kind }>;

function numberWords(field: Of<"number">, schema: Schema | null): string {
  if (!schema) {
    return field.label;
  }
  const { min, max } = boundsOf(schema, field.at);
  const scale = field.percent ? 100 : 1;
  return `${field.label} (${min * scale} to ${max * scale})`;
}

function amountWords({ label, min, max, unit }: Of<"amount">): string {
  const low = min % 1 ? String(min) : number(min);
  return `${label} (${low} to ${number(max)}${unit && ` ${unit}`})`;
}

/** Words of a field in which one or some of several are picked. */
function optionWords(field: Field): string | null {
  switch (field.kind) {
    case "choice":
    case "pick":
    case "someOf":
      return withOptions(field.label, field.options);
    case "switches":
      return withOptions(
        field.label,
        field.switches.map(({ label }) => ({ name: label })),
      );
    case "scene":
      return `${field.label} (a scene, or ${field.none.name})`;
    case "switch":
    case "datesFormula":
      return field.label;
    default:
      return null;
  }
}

/**
 * A field in words, with what it takes; null for one that only tells something.
 * @param schema of the settings, where bounds stand in it
 */
export function fieldWords(field: Field, schema: Schema | null): string | null {
  switch (field.kind) {
    case "number":
      return numberWords(field, schema);
    case "amount":
      return amountWords(field);
    case "openEnd":
      return `${field.label} (${field.unit}, or open)`;
    case "hectares":
      return `${field.label} (ha)`;
    case "grid":
      return `Cell size (1 to ${field.coarsestM} m), coordinate system`;
    case "formulas":
      return "Ready indices, formulas of one's own";
    default:
      return optionWords(field);
  }
}

/** Fields that show for some choice of the others too, each once, in the order in which they stand. */
export function fieldsOfAll<Own extends object>(
  own: Own,
  fieldsOf: (own: Own) => readonly Field[],
): Field[] {
  const found = new Map<string, Field>();
  const take = (field: Field) => {
    const key = "at" in field ? field.at : field.kind;
    if (!found.has(key)) {
      found.set(key, field);
    }
  };
  for (const field of fieldsOf(own)) {
    take(field);
    if (field.kind === "choice" || field.kind === "pick") {
      for (const { value } of field.options) {
        fieldsOf({ ...own, [field.at]: value }).forEach(take);
      }
    }
  }
  return [...found.values()];
}
