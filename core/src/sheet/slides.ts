import { type Composition, composeSheet } from "./compose";
import type { SheetFacts } from "./facts";
import type { Fonts } from "./fonts";
import { type Sheet, type SheetFrame, frame, isMapKind } from "./layout";

const HEAD = frame("title", 0, 0, 24, 2);
const FOOT = frame("footer", 0, 23, 24, 1);

/** What stands on the last slide: the numbers with what is to be known beside them. */
const LAST: readonly SheetFrame[] = [
  HEAD,
  frame("numbers", 0, 3, 13, 20),
  frame("notes", 14, 3, 10, 20),
  FOOT,
];

/** Slides of a sheet: each of its maps by itself with the legend, then the numbers. */
export function slideFrames({ layout }: Sheet): SheetFrame[][] {
  const maps = layout.frames.filter(({ kind }) => isMapKind(kind));
  return [
    ...maps.map(({ kind }) =>
      kind === "before" || kind === "after"
        ? [HEAD, frame(kind, 0, 2, 24, 21), FOOT]
        : [HEAD, frame(kind, 0, 2, 18, 21), frame("legend", 18, 3, 6, 20), FOOT],
    ),
    [...LAST],
  ];
}

/** Size of a slide as it is drawn, and as it is written: words are larger than on paper. */
const DRAWN = { width: 216, height: (216 * 9) / 16 };
const WRITTEN_WIDTH = 297;

/**
 * Slides of a sheet: its maps one by one with the legend, then its numbers, each on a page of 16 to 9. What
 * has no room goes on on slides of its own.
 */
export function composeSlides(fonts: Fonts, facts: SheetFacts, sheet: Sheet): Composition {
  const slides = slideFrames(sheet).map((frames) =>
    composeSheet(
      fonts,
      facts,
      { ...sheet, layout: { paper: "A4", isUpright: false, frames } },
      { size: DRAWN, isNumbered: false },
    ),
  );
  const scale = WRITTEN_WIDTH / DRAWN.width;
  return { ...slides[0]!, scale, pages: slides.flatMap(({ pages }) => pages) };
}
