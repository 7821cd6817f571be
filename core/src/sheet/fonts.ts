import type { Family, Mark, TextMark, TextStyle, Weight } from "./marks";

/** Part of a line that one font has all letters of. */
export interface Run {
  family: Family;
  text: string;
}

/** What is known of the fonts of a sheet. */
export interface Fonts {
  /** A line in runs of one font each; letters that no font has are in the first one. */
  runs(text: string, weight: Weight): Run[];
  /** Width of a run, as a multiple of its size. */
  width(run: Run, weight: Weight): number;
  /** Letters that no font has. */
  lacking(text: string): string[];
}

/** Width of words on one line, millimetres. */
export const widthOf = (fonts: Fonts, text: string, { size, weight }: Omit<TextStyle, "color">) =>
  fonts.runs(text, weight).reduce((sum, run) => sum + size * fonts.width(run, weight), 0);

/** Where a line is held by its place. */
export type Anchor = "start" | "middle" | "end";
/** Share of the width of a line that lies before the place that it is held by. */
export const HELD: Record<Anchor, number> = { start: 0, middle: 0.5, end: 1 };

/** Words on one line, held by an end or their middle on the base line. */
export function textAt(
  fonts: Fonts,
  text: string,
  [x, y]: readonly [number, number],
  style: TextStyle,
  anchor: Anchor = "start",
): TextMark[] {
  const runs = fonts.runs(text, style.weight).filter((run) => run.text !== "");
  let left = x - HELD[anchor] * widthOf(fonts, text, style);
  return runs.map((run) => {
    const mark: TextMark = { kind: "text", x: left, y, ...run, ...style };
    left += style.size * fonts.width(run, style.weight);
    return mark;
  });
}

/** A word in parts that are no wider than a line. */
function broken(fonts: Fonts, word: string, width: number, style: TextStyle): string[] {
  if (widthOf(fonts, word, style) <= width) {
    return [word];
  }
  const parts: string[] = [];
  let part = "";
  for (const letter of word) {
    if (part !== "" && widthOf(fonts, part + letter, style) > width) {
      parts.push(part);
      part = "";
    }
    part += letter;
  }
  return part === "" ? parts : [...parts, part];
}

/** Words in lines that are no wider than a width; line breaks in them are kept. */
export function wrapped(fonts: Fonts, text: string, width: number, style: TextStyle): string[] {
  const lines: string[] = [];
  for (const paragraph of text.split("\n")) {
    let line = "";
    const words = paragraph.split(" ").flatMap((word) => broken(fonts, word, width, style));
    for (const word of words) {
      const longer = line === "" ? word : `${line} ${word}`;
      if (line !== "" && widthOf(fonts, longer, style) > width) {
        lines.push(line);
        line = word;
      } else {
        line = longer;
      }
    }
    lines.push(line);
  }
  return lines;
}

/** Distance of base lines, as a multiple of the size of words. */
export const LEADING = 1.28;
/** How far the base line of the first line lies below its top, as a multiple of the size. */
export const ASCENT = 0.95;

/** Lines one below the other, from the upper left corner. */
export const linesAt = (
  fonts: Fonts,
  lines: readonly string[],
  [x, y]: readonly [number, number],
  style: TextStyle,
  anchor: Anchor = "start",
): Mark[] =>
  lines.flatMap((line, k) =>
    textAt(fonts, line, [x, y + style.size * (ASCENT + k * LEADING)], style, anchor),
  );
