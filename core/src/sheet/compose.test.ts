import { addFrame, moveFrame, overlapping, removeFrame, sizeFrame, withView } from "./arrange";
import { boxOf, composeSheet } from "./compose";
import { widthOf } from "./fonts";
import {
  type FrameKind,
  READY_LAYOUTS,
  type Sheet,
  isMapKind,
  layoutSchema,
  newSheet,
} from "./layout";
import type { Box, TextMark } from "./marks";
import { composeSlides } from "./slides";
import { pageSvg } from "./svg";
import { TEST_FONTS, aClass, someFacts, textsIn, wordsIn } from "./testing";

const sheetOf = (id: string): Sheet => ({
  ...newSheet(1),
  layout: READY_LAYOUTS.find((one) => one.id === id)!.layout,
});

const boxOfText = ({ x, y, text, size, turn, weight }: TextMark): Box => {
  const width = widthOf(TEST_FONTS, text, { size, weight });
  if (turn === -90) {
    return { x: x - 0.75 * size, y: y - width, width: 0.95 * size, height: width };
  }
  return turn === 90
    ? { x: x - 0.2 * size, y, width: 0.95 * size, height: width }
    : { x, y: y - 0.75 * size, width, height: 0.95 * size };
};
const overlap = (a: Box, b: Box): boolean =>
  a.x + a.width > b.x + 0.01 &&
  b.x + b.width > a.x + 0.01 &&
  a.y + a.height > b.y + 0.01 &&
  b.y + b.height > a.y + 0.01;

const LONG = Array.from({ length: 30 }, (_v, k) => `Warning number ${k} of what may be wrong.`);
const many = someFacts({
  classes: Array.from({ length: 14 }, (_v, k) => aClass(k + 1, `Class ${k + 1} of ground`, 1e6)),
  notes: [{ title: "Warnings", lines: LONG }],
});

describe.each(READY_LAYOUTS.map(({ id }) => id))("the layout %s", (id) => {
  test.each([
    ["of few words", someFacts()],
    ["of many", many],
  ])("%s: nothing is cut and nothing overlaps", (_what, facts) => {
    const { pages } = composeSheet(TEST_FONTS, facts, sheetOf(id));
    for (const { width, height, marks } of pages) {
      const boxes = textsIn(marks).map(boxOfText);
      for (const { x, y, width: across, height: down } of boxes) {
        expect(x).toBeGreaterThanOrEqual(0);
        expect(y).toBeGreaterThanOrEqual(0);
        expect(x + across).toBeLessThanOrEqual(width);
        expect(y + down).toBeLessThanOrEqual(height);
      }
      const overlapping = boxes.flatMap((box, k) =>
        boxes.slice(k + 1).filter((other) => overlap(box, other)),
      );
      expect(overlapping).toEqual([]);
    }
  });

  test("is one that can be saved, and its frames do not overlap", () => {
    const { layout } = sheetOf(id);
    expect(layoutSchema.validateSync(layout, { strict: true })).toEqual(layout);
    const boxes = layout.frames.map((frame) => boxOf(frame, { width: 297, height: 210 }));
    boxes.forEach((box, k) => {
      expect(boxes.slice(k + 1).filter((other) => overlap(box, other))).toEqual([]);
    });
  });
});

test("what has no room goes on on further pages, every word of it, under its heading", () => {
  const { pages } = composeSheet(TEST_FONTS, many, sheetOf("change"));
  expect(pages.length).toBeGreaterThan(1);
  const words = pages.map(({ marks }) => wordsIn(marks));
  LONG.forEach((line) => expect(words.join(" ")).toContain(line));
  expect(words[1]).toContain("Warnings, continued");
  expect(words[0]).toContain("Continued on the next page.");
  words.forEach((page, k) => expect(page).toContain(`Page ${k + 1} of ${pages.length}`));
});

test("areas stand on the sheet as the tally has them, with their intervals", () => {
  const [page] = composeSheet(TEST_FONTS, someFacts(), sheetOf("change")).pages;
  const words = wordsIn(page!.marks);
  expect(words).toContain("36.718 km²");
  // 36.718 times 0.98 and 1.04.
  expect(words.replace(/ +/g, " ")).toContain("(35.984–38.187)");
  expect(words).toContain("189.821 km² seen on both dates");
});

test("words that were set stand in place of those that are proposed; letters no font has are told", () => {
  const sheet = sheetOf("change");
  const own = {
    ...sheet,
    texts: { ...sheet.texts, title: "Own 漢 title", maker: "Ada", licence: "Free" },
  };
  const { pages, title, lacking } = composeSheet(TEST_FONTS, someFacts(), own);
  const words = wordsIn(pages[0]!.marks);
  expect(title).toBe("Own 漢 title");
  expect(words).toContain("Own 漢 title");
  expect(words).not.toContain("Flood of the lower plain");
  expect(words).toContain("Ada");
  expect(lacking).toEqual(["漢"]);
  expect(pages[0]!.texts.map(({ key }) => key)).toEqual([
    ...["title", "subtitle", "maker", "licence"],
  ]);
});

test("a title that is too long for its frame is written smaller and whole", () => {
  const title = "A very long title of a sheet ".repeat(12).trim();
  const [page] = composeSheet(TEST_FONTS, someFacts({ title }), sheetOf("change")).pages;
  const frame = page!.frames.find(({ kind }) => kind === "title")!;
  const texts = textsIn(page!.marks).filter(({ y }) => y < frame.y + frame.height);
  expect(texts.map(({ text }) => text).join(" ")).toContain(title);
});

test("a date that cannot be drawn says why in its place", () => {
  const facts = someFacts();
  const lacks = { ...facts.sides.before, lacks: "The scene is gone." };
  const sides = { ...facts.sides, before: lacks };
  const [page] = composeSheet(TEST_FONTS, { ...facts, sides }, sheetOf("pair")).pages;
  expect(wordsIn(page!.marks)).toContain("The scene is gone.");
});

test("slides show each map by itself, then the numbers", () => {
  const { pages } = composeSlides(TEST_FONTS, someFacts(), sheetOf("four"));
  const kinds = pages.map(({ maps }) => maps.map(({ kind }) => kind));
  expect(kinds).toEqual([["before"], ["after"], ["change"], ["detail"], []]);
  pages.forEach(({ width, height }) => expect(width / height).toBeCloseTo(16 / 9, 9));
  expect(wordsIn(pages[4]!.marks)).toContain("36.718");
  expect(wordsIn(pages[2]!.marks)).not.toContain("Page");
});

test("a page as SVG holds its words and no more than XML allows", () => {
  const facts = someFacts({ title: 'A < B & "C" \u0007 > D' });
  const { pages, scale } = composeSheet(TEST_FONTS, facts, sheetOf("change"));
  const svg = pageSvg(pages[0]!.marks, {
    ...{ width: pages[0]!.width, height: pages[0]!.height, scale, title: facts.title },
    picture: (mark) => ({ ...mark, href: `/picture?side=${mark.side}&more` }),
  });
  expect(svg).toContain("A &lt; B &amp; &quot;C&quot;  &gt; D");
  expect(svg).not.toContain("\u0007");
  expect(svg).toContain('width="297mm" height="210mm"');
  expect(svg).toContain('href="/picture?side=change&amp;more"');
  expect(svg.match(/<g/g)!.length).toBe(svg.match(/<\/g>/g)!.length);
});

test("a part of a page holds what is seen there, and leaves out what lies far from it", () => {
  const { pages } = composeSheet(TEST_FONTS, someFacts(), sheetOf("change"));
  const { width, height, marks } = pages[0]!;
  const partOf = (y: number) =>
    pageSvg(marks, {
      ...{ width, height, scale: 1, title: "T", picture: () => null },
      part: { x: 0, y, width, height: 10 },
    });
  expect(partOf(5)).toContain("Flood of the lower plain");
  expect(partOf(5)).not.toContain("Page 1 of 1");
  expect(partOf(5)).not.toContain("clipPath");
  expect(partOf(195)).toContain("Page 1 of 1");
  expect(partOf(195)).not.toContain("Flood of the lower plain");
});

const layout = sheetOf("change").layout;
const frameOf = (of: Sheet["layout"], kind: FrameKind) =>
  of.frames.find((frame) => frame.kind === kind);

test("frames are moved and sized by steps and stay on the page", () => {
  expect(frameOf(moveFrame(layout, "legend", [-2, 1]), "legend")).toMatchObject({
    ...{ column: 14, row: 3 },
  });
  expect(frameOf(moveFrame(layout, "legend", [99, 99]), "legend")).toMatchObject({
    ...{ column: 20, row: 18 },
  });
  expect(frameOf(sizeFrame(layout, "legend", [99, -99]), "legend")).toMatchObject({
    ...{ columns: 8, rows: 1 },
  });
});

test("frames are taken from the page and put on it; the last one stays", () => {
  const without = removeFrame(layout, "notes");
  expect(frameOf(without, "notes")).toBeUndefined();
  const again = addFrame(without, "notes");
  const placed = frameOf(again, "notes")!;
  // The room that it left is the one that covers nothing.
  expect(placed).toMatchObject({ column: 16, row: 13, columns: 8, rows: 6 });
  expect(addFrame(again, "notes")).toBe(again);
  const alone = { ...layout, frames: layout.frames.slice(0, 1) };
  expect(removeFrame(alone, "title")).toBe(alone);
});

test("frames over each other are told, but not what is laid over a map on purpose", () => {
  expect(overlapping(layout)).toEqual([]);
  expect(overlapping(moveFrame(layout, "legend", [0, 4]))).toEqual([["legend", "numbers"]]);
  expect(overlapping(moveFrame(layout, "legend", [-4, 0]))).toEqual([]);
  expect(overlapping(moveFrame(layout, "notes", [-4, 0]))).toEqual([["change", "notes"]]);
});

test("a map shows the ground that was picked, at the scale of the paper", () => {
  const facts = someFacts();
  const view = { kind: "change" as const, longitude: -21, latitude: -43.6, acrossM: 4000 };
  const sheet = withView(sheetOf("change"), "change", view);
  const [page] = composeSheet(TEST_FONTS, facts, sheet).pages;
  const { placed } = page!.maps.find(({ kind }) => kind === "change")!;
  expect((placed.ground[2] - placed.ground[0]) / placed.perMm).toBeCloseTo(placed.box.width, 6);
  expect(placed.ground[2] - placed.ground[0]).toBeGreaterThan(3998);
  expect(placed.ground[2] - placed.ground[0]).toBeLessThan(5200);
  expect(withView(sheet, "change", null).views).toEqual([]);
});

test.each([
  ["reaches over the edge", [{ kind: "title", column: 20, row: 0, columns: 8, rows: 2 }]],
  [
    "stands once in a layout",
    [
      { kind: "title", column: 0, row: 0, columns: 8, rows: 2 },
      { kind: "title", column: 8, row: 0, columns: 8, rows: 2 },
    ],
  ],
  ["one frame or more", []],
])("a layout is refused where a frame %s", (said, frames) => {
  expect(() => layoutSchema.validateSync({ ...layout, frames }, { strict: true })).toThrow(said);
});

test("maps are all that shows ground", () => {
  expect(layout.frames.filter(({ kind }) => isMapKind(kind)).map(({ kind }) => kind)).toEqual([
    "change",
  ]);
});
