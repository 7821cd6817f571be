import { plainName } from "../change/twinNames";
import type { ClassifySettings, LegendClass, TrainingArea } from "./settings";

/** A step from one set of settings to another. */
export type Step = (settings: ClassifySettings) => ClassifySettings;

/** Colours that classes are given, in turn: told apart by colour-blind people too. */
export const LEGEND_COLOURS = [
  "#33498c",
  "#2f6b45",
  "#e0b04f",
  "#b9562b",
  "#a9bf5f",
  "#2a8f84",
  "#a8739c",
  "#8d8a86",
  "#6e1f3a",
  "#c8246f",
] as const;

const freeLabel = (legend: readonly LegendClass[]): number => {
  const taken = new Set(legend.map(({ label }) => label));
  let label = 1;
  while (taken.has(label)) {
    label++;
  }
  return label;
};

const freeColour = (legend: readonly LegendClass[]): string => {
  const taken = new Set(legend.map(({ color }) => color));
  return (
    LEGEND_COLOURS.find((color) => !taken.has(color)) ??
    LEGEND_COLOURS[legend.length % LEGEND_COLOURS.length]!
  );
};

const freeName = (legend: readonly LegendClass[]): string => {
  const taken = new Set(legend.map(({ name }) => plainName(name)));
  let nth = legend.length + 1;
  while (taken.has(plainName(`Class ${nth}`))) {
    nth++;
  }
  return `Class ${nth}`;
};

/** A new class at the end of a legend, with a name, number and colour that no other has. */
export function newClass(legend: readonly LegendClass[], name = freeName(legend)): LegendClass {
  return { label: freeLabel(legend), name, color: freeColour(legend), note: "" };
}

/** One class more. */
export const withClass =
  (one: LegendClass): Step =>
  (settings) => ({ ...settings, legend: [...settings.legend, one] });

/** Areas more, or others in place of those of the same ids. */
export const withAreas =
  (areas: Record<string, TrainingArea>): Step =>
  (settings) => ({ ...settings, areas: { ...settings.areas, ...areas } });
