import type { SeriesDate } from "./series";

const LINES = [
  "#1f6658",
  "#8a5a9e",
  "#a9760b",
  "#3b7f9b",
  "#7a6a4f",
  "#b85c8e",
  "#5b6866",
  "#c2503f",
];
/** Colour of a zone's line, the same in every plot. */
export const zoneColour = (zone: number): string => LINES[zone % LINES.length]!;

/** One line over the dates. */
export interface PlotLine {
  key: string;
  name: string;
  colour: string;
  dashed?: boolean;
  /** Its value on a date; null where it has none. */
  of(date: SeriesDate): number | null;
}
