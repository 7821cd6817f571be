import { utm } from "../geodesy/crs";
import type { SheetClass, SheetFacts } from "./facts";
import type { Fonts } from "./fonts";
import { type Mark, type TextMark, leaves } from "./marks";

/** Fonts in which every letter is half as wide as it is high; Greek ones are in the second. */
export const TEST_FONTS: Fonts = {
  runs: (text) =>
    [...text.matchAll(/[Α-ω]+|[^Α-ω]+/gu)].map(([part]) => ({
      family: /[Α-ω]/u.test(part) ? "Noto Sans" : "Hanken Grotesk",
      text: part,
    })),
  width: ({ text }) => 0.5 * [...text].length,
  lacking: (text) => [...text].filter((letter) => letter === "漢"),
};

/** A class of some area. */
export const aClass = (label: number, name: string, areaM2: number): SheetClass => ({
  ...{ label, name, areaM2, color: ["#c8246f", "#33498c", "#c29a1b"][label % 3]! },
  probable: { value: areaM2 * 1.01, low: areaM2 * 0.98, high: areaM2 * 1.04 },
  ...{ adjusted: null, users: null, producers: null },
});

/** Facts of a made-up map of 20 by 11.2 km. */
export const someFacts = (more: Partial<SheetFacts> = {}): SheetFacts => ({
  title: "Flood of the lower plain",
  subtitle: "Two dates compared",
  crs: utm(27, true),
  ground: [490_990, 5_166_800, 510_910, 5_178_000],
  sides: {
    before: { caption: "Lantern, 2 May 2025 18:41 UTC", lacks: null },
    after: { caption: "Lantern, 14 May 2025 18:41 UTC", lacks: null },
    change: { caption: "classes over the after date", lacks: null },
  },
  detail: [495_000, 5_170_000, 499_000, 5_174_000],
  classes: [aClass(1, "New water", 36.718e6), aClass(2, "Standing water", 2.29e6)],
  seenM2: 189.821e6,
  sources: [{ title: "Sources", lines: ["Before: a file.", "After: another file."] }],
  notes: [{ title: "Accuracy", lines: ["Not tested."] }],
  studyArea: null,
  zones: [],
  land: [],
  made: "Made by the application",
  ...more,
});

/** Words among marks. */
export const textsIn = (marks: readonly Mark[]): TextMark[] =>
  [...leaves(marks)].filter((mark): mark is TextMark => mark.kind === "text");

/** Words among marks as one text, line by line as they were set. */
export const wordsIn = (marks: readonly Mark[]): string =>
  textsIn(marks)
    .map(({ text }) => text)
    .join(" ");
