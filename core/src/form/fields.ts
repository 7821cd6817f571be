import * as yup from "yup";

/** A value that a choice stands for. */
export type OptionValue = string | number | boolean | null | readonly string[];
export interface Option {
  value: OptionValue;
  name: string;
  hint?: string;
}

interface Labelled {
  /** Setting of the step that the field changes. */
  at: string;
  label: string;
  /** Name for those who do not see the label's surroundings; the label where it is left out. */
  name?: string;
}
/** Bounds and wholeness come from the step's schema; see `boundsOf`. */
export interface NumberFieldOf extends Labelled {
  kind: "number";
  step: number;
  /** Shown and typed in hundredths. */
  percent?: boolean;
  /** A measured number that can be taken over. */
  measured?: "looks";
}

/** A number with its unit and its own bounds. */
interface Amount extends Labelled {
  kind: "amount";
  unit: string;
  min: number;
  max: number;
  step: number;
  decimals: number;
}
/** One end of a range, which can be left open. */
interface OpenEnd extends Labelled {
  kind: "openEnd";
  unit: string;
  min: number;
  max: number;
  /** Where it is set to when it is closed, within its bounds. */
  usual: number;
}
/** A number of cells, shown and typed as hectares. */
interface Hectares extends Labelled {
  kind: "hectares";
  leastCells: number;
}

/** One field of a step's form, as data: the page draws it, docs/steps.md lists it. */
export type Field =
  | NumberFieldOf
  | Amount
  | OpenEnd
  | Hectares
  /** Some of several, at least one. */
  | (Labelled & { kind: "someOf"; options: readonly { value: string; name: string }[] })
  | (Labelled & {
      kind: "choice";
      options: readonly Option[];
      /** What a setting that is absent stands for. */
      usual?: OptionValue;
      /** Across the whole form, without its label beside it. */
      whole?: boolean;
    })
  | (Labelled & { kind: "pick"; options: readonly Option[] })
  /** One scene among those that fit, or none of them, which is null. */
  | (Labelled & { kind: "scene"; among: "elevation" | "others" | "all"; none: Option })
  | (Labelled & { kind: "switch" })
  | { kind: "switches"; label: string; switches: readonly Labelled[] }
  | { kind: "note"; text: string }
  /** Cell size and coordinate system of the study grid; one date has no grid of its own. */
  | { kind: "grid"; at: string; coarsestM: number }
  /** What the study grid comes to. */
  | { kind: "gridSize"; at: string; note?: string }
  /** One formula over the bands of both dates. */
  | (Labelled & { kind: "datesFormula" })
  /** Formulas over the bands. */
  | { kind: "formulas"; at: string }
  /** Orbit files of the study. */
  | { kind: "orbits" }
  /** Name of the elevation that another step has picked. */
  | { kind: "elevationName"; id: string | null };

/** The switch of two that a boolean setting becomes. */
export const ON_OFF: readonly Option[] = [
  { value: false, name: "Off" },
  { value: true, name: "On" },
];

export interface Bounds {
  min: number;
  max: number;
  whole: boolean;
}

const described = (schema: yup.ISchema<unknown>, at: string): yup.SchemaDescription => {
  const all = schema.describe();
  if (!("fields" in all)) {
    throw new TypeError("Only settings in fields have bounds");
  }
  const field = all.fields[at];
  if (!field || !("tests" in field)) {
    throw new TypeError(`There is no setting called ${at}`);
  }
  return field;
};

/**
 * Bounds of a number in a step's settings, as the schema checks them. @throws TypeError for a
 * setting that is not there or has none
 */
export function boundsOf(schema: yup.ISchema<unknown>, at: string): Bounds {
  const { tests } = described(schema, at);
  const bound = (name: "min" | "max"): number => {
    const value: unknown = tests.find((test) => test.name === name)?.params?.[name];
    if (typeof value !== "number") {
      throw new TypeError(`${at} has no ${name}`);
    }
    return value;
  };
  return {
    min: bound("min"),
    max: bound("max"),
    whole: tests.some((test) => test.name === "integer"),
  };
}

/** Names of the settings that a schema checks. */
export function settingNames(schema: yup.ISchema<unknown>): string[] {
  const all = schema.describe();
  return "fields" in all ? Object.keys(all.fields) : [];
}

/** The settings that a field changes. */
export const settingsIn = (field: Field): string[] => {
  if (field.kind === "switches") {
    return field.switches.map((one) => one.at);
  }
  return "at" in field ? [field.at] : [];
};
