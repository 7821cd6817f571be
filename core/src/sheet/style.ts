import type { TextStyle } from "./marks";

/** Colours of a sheet. */
export const INK = "#1d2a2b";
export const SOFT = "#5b6866";
export const LINE = "#d8d3c6";
export const PAPER = "#ffffff";
export const GROUND = "#efece4";
export const BEFORE = "#3f6aa8";
export const AFTER = "#b9562b";

const style = (size: number, weight: TextStyle["weight"], color = INK): TextStyle => ({
  ...{ size, weight, color },
});

/** Words of a sheet, millimetres on A4. */
export const STYLES = {
  title: style(5.6, 600),
  subtitle: style(3, 400, SOFT),
  heading: style(2.7, 600),
  body: style(2.4, 400),
  strong: style(2.4, 600),
  soft: style(2.4, 400, SOFT),
  small: style(2.05, 400),
  caption: style(2.5, 600),
  captionSoft: style(2.3, 400, SOFT),
} as const;
