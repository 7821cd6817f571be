import { isApart, lightness } from "./seeing";

/** Patterns by which classes are told apart besides their colours; the first is none. */
export const PATTERNS = [
  "plain",
  "rising",
  "dots",
  "falling",
  "level",
  "cross",
  "upright",
] as const;
export type Pattern = (typeof PATTERNS)[number];

/** Remainder that is never below nought. */
const within = (value: number, period: number): number => ((value % period) + period) % period;

/** Distance of a place to the nearest point of a square lattice. */
const toLattice = (x: number, y: number, period: number): number =>
  Math.hypot(within(x, period) - period / 2, within(y, period) - period / 2);

/** Widths of lines and how far they lie apart, millimetres on A4. */
const LINE = 0.24;
const APART = 1.3;
const DOT = 0.24;

/** Whether a place lies on the lines of a pattern: millimetres on the page. */
const ON: Record<Pattern, (x: number, y: number) => boolean> = {
  plain: () => false,
  rising: (x, y) => within(x + y, APART * Math.SQRT2) < LINE * Math.SQRT2,
  falling: (x, y) => within(x - y, APART * Math.SQRT2) < LINE * Math.SQRT2,
  cross: (x, y) => ON.rising(x, y) || ON.falling(x, y),
  level: (_x, y) => within(y, APART) < LINE,
  upright: (x) => within(x, APART) < LINE,
  dots: (x, y) => toLattice(x, y, APART * 0.8) < DOT,
};

/** Whether a place lies on the lines of a pattern. @param x millimetres from the left of the picture */
export const isOnPattern = (pattern: Pattern, x: number, y: number): boolean => ON[pattern](x, y);

/** Colour of the lines of a pattern on a colour: what is seen well on it. */
export const patternColor = (color: string): string =>
  lightness(color) > 55 ? "#12181a" : "#ffffff";

/**
 * Patterns of classes: plain colours where everybody can tell all of them apart, in grey too; else a
 * pattern for each class but the first.
 */
export function patternsOf(colors: readonly string[]): Pattern[] {
  const isPlain = colors.every((color, k) =>
    colors.slice(k + 1).every((other) => isApart(color, other)),
  );
  return colors.map((_color, k) => (isPlain ? "plain" : PATTERNS[k % PATTERNS.length]!));
}
