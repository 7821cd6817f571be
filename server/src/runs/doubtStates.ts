import type { Appearance } from "@hindglance/core/doubt/appearance";
import type { ClassSample } from "@hindglance/core/doubt/samples";
import type { StepState } from "@hindglance/core/graph/step";

/** What was drawn of classes, as it is kept until all of it is there. */
export const samplesState = (samples: readonly ClassSample[]): StepState => ({
  labels: Float64Array.from(samples, ({ label }) => label),
  seen: Float64Array.from(samples, ({ seen }) => seen),
  ...Object.fromEntries(
    samples.flatMap(({ label, keys, values }) => [
      [`keys${label}`, keys],
      [`values${label}`, values],
    ]),
  ),
});

function numbersIn(state: StepState | null, name: string): Float64Array {
  const found = state?.[name];
  if (!(found instanceof Float64Array)) {
    throw new Error(`${name} of a range is not stored`);
  }
  return found;
}

/** What was drawn of classes. @throws Error where it is not there: its range has not run */
export function samplesFrom(state: StepState | null): ClassSample[] {
  const seen = numbersIn(state, "seen");
  return Array.from(numbersIn(state, "labels"), (label, k) => ({
    label,
    seen: seen[k]!,
    keys: numbersIn(state, `keys${label}`),
    values: numbersIn(state, `values${label}`),
  }));
}

/** Sums of a range by runs of cells. @throws Error where they are not there */
export const sumsFrom = (state: StepState | null): Float64Array => numbersIn(state, "sums");

/** Sums of several ranges, one after the other. */
export function joined(parts: readonly Float64Array[]): Float64Array {
  const out = new Float64Array(parts.reduce((sum, part) => sum + part.length, 0));
  parts.reduce((at, part) => {
    out.set(part, at);
    return at + part.length;
  }, 0);
  return out;
}

/** How classes look, as text: typed arrays become lists. */
export const appearanceState = (appearance: Appearance): StepState => ({
  appearance: JSON.stringify(appearance, (_key, value: unknown) =>
    value instanceof Float64Array ? { numbers: [...value] } : value,
  ),
});

const isNumbers = (value: unknown): value is { numbers: number[] } =>
  typeof value === "object" && value !== null && "numbers" in value;

const isAppearance = (value: unknown): value is Appearance =>
  typeof value === "object" && value !== null && "mixtures" in value && "used" in value;

/** How classes look. @throws Error where it is not there */
export function appearanceIn(state: StepState | null): Appearance {
  const text = state?.appearance;
  const found: unknown =
    typeof text === "string"
      ? JSON.parse(text, (_key, value: unknown) =>
          isNumbers(value) ? Float64Array.from(value.numbers) : value,
        )
      : null;
  if (!isAppearance(found)) {
    throw new Error("How the classes look is not stored");
  }
  return found;
}
