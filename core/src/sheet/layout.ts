import * as yup from "yup";

/** Sides of papers, millimetres, the shorter one first. */
export const PAPERS = {
  A4: [210, 297],
  A3: [297, 420],
  A2: [420, 594],
  A1: [594, 841],
} as const;
export type Paper = keyof typeof PAPERS;
const isPaper = (name: string): name is Paper => name in PAPERS;
/** Papers that a sheet can be made for, the smallest first. */
export const PAPER_NAMES = Object.keys(PAPERS).filter(isPaper);

/** Columns and rows by which frames stand on a page, whatever its size. */
export const COLUMNS = 24;
export const ROWS = 24;

/** What a frame holds. */
export const FRAME_KINDS = [
  "title",
  "before",
  "after",
  "change",
  "detail",
  "inset",
  "legend",
  "numbers",
  "sources",
  "notes",
  "text",
  "footer",
] as const;
export type FrameKind = (typeof FRAME_KINDS)[number];

/** Frames that show ground of the map. */
export const MAP_KINDS = ["before", "after", "change", "detail"] as const;
export type MapKind = (typeof MAP_KINDS)[number];
/** Whether a frame shows ground of the map. */
export const isMapKind = (kind: FrameKind): kind is MapKind =>
  MAP_KINDS.some((one) => one === kind);

/** Names of what frames hold, for people. */
export const FRAME_NAMES: Record<FrameKind, string> = {
  title: "Title",
  before: "Map before",
  after: "Map after",
  change: "Map of change",
  detail: "Detail",
  inset: "Where it lies",
  legend: "Legend",
  numbers: "Numbers",
  sources: "Sources",
  notes: "Accuracy, doubt, exposure, warnings",
  text: "Own text",
  footer: "Foot of the page",
};

const place = (most: number) => yup.number().integer().min(0).max(most).required();
const span = (most: number) => yup.number().integer().min(1).max(most).required();

/** A frame: what it holds and where it stands; a kind stands once in a layout. */
const frameSchema = yup
  .object({
    kind: yup.string().oneOf(FRAME_KINDS).required(),
    column: place(COLUMNS - 1),
    row: place(ROWS - 1),
    columns: span(COLUMNS),
    rows: span(ROWS),
  })
  .noUnknown()
  .test("within", "A frame reaches over the edge of the page", (frame) =>
    frame ? frame.column + frame.columns <= COLUMNS && frame.row + frame.rows <= ROWS : true,
  );

/** Schema of a layout. */
export const layoutSchema = yup
  .object({
    paper: yup.string().oneOf(PAPER_NAMES).required(),
    isUpright: yup.boolean().required(),
    frames: yup
      .array(frameSchema.required())
      .min(1, "A sheet has one frame or more")
      .max(FRAME_KINDS.length)
      .test(
        "once",
        "A kind of frame stands once in a layout",
        (frames) => new Set(frames?.map(({ kind }) => kind)).size === (frames?.length ?? 0),
      )
      .required(),
  })
  .noUnknown();

/** Frames on a page: paper, which way it lies, what stands where. */
export type SheetLayout = yup.InferType<typeof layoutSchema>;
export type SheetFrame = SheetLayout["frames"][number];

/** Width and height of a page, millimetres. */
export function pageSize({ paper, isUpright }: Pick<SheetLayout, "paper" | "isUpright">) {
  const [short, long] = PAPERS[paper];
  return isUpright ? { width: short, height: long } : { width: long, height: short };
}

/** A frame of a kind at its place. */
export const frame = (
  kind: FrameKind,
  column: number,
  row: number,
  columns: number,
  rows: number,
): SheetFrame => ({ kind, column, row, columns, rows });

/** A layout that comes with the application. */
export interface ReadyLayout {
  id: string;
  name: string;
  layout: SheetLayout;
}

/** Layouts to begin with. */
export const READY_LAYOUTS: readonly ReadyLayout[] = [
  {
    id: "change",
    name: "Change, square map",
    layout: {
      paper: "A4",
      isUpright: false,
      frames: [
        frame("title", 0, 0, 24, 2),
        frame("change", 0, 2, 16, 21),
        frame("legend", 16, 2, 4, 6),
        frame("inset", 20, 2, 4, 6),
        frame("numbers", 16, 8, 8, 5),
        frame("notes", 16, 13, 8, 6),
        frame("sources", 16, 19, 8, 4),
        frame("footer", 0, 23, 24, 1),
      ],
    },
  },
  {
    id: "wide",
    name: "Change, wide map",
    layout: {
      paper: "A4",
      isUpright: false,
      frames: [
        frame("title", 0, 0, 24, 2),
        frame("change", 0, 2, 17, 14),
        frame("legend", 17, 2, 7, 8),
        frame("inset", 17, 10, 7, 6),
        frame("numbers", 0, 16, 9, 7),
        frame("notes", 9, 16, 8, 7),
        frame("sources", 17, 16, 7, 7),
        frame("footer", 0, 23, 24, 1),
      ],
    },
  },
  {
    id: "pair",
    name: "Before, after and change",
    layout: {
      paper: "A4",
      isUpright: false,
      frames: [
        frame("title", 0, 0, 24, 2),
        frame("before", 0, 2, 8, 13),
        frame("after", 8, 2, 8, 13),
        frame("change", 16, 2, 8, 13),
        frame("legend", 0, 15, 4, 8),
        frame("numbers", 4, 15, 8, 8),
        frame("notes", 12, 15, 6, 8),
        frame("sources", 18, 15, 6, 8),
        frame("footer", 0, 23, 24, 1),
      ],
    },
  },
  {
    id: "four",
    name: "Four maps with a detail",
    layout: {
      paper: "A3",
      isUpright: false,
      frames: [
        frame("title", 0, 0, 24, 2),
        frame("before", 0, 2, 9, 10),
        frame("after", 9, 2, 9, 10),
        frame("change", 0, 12, 9, 11),
        frame("detail", 9, 12, 9, 11),
        frame("legend", 18, 2, 6, 5),
        frame("numbers", 18, 7, 6, 5),
        frame("notes", 18, 12, 6, 6),
        frame("sources", 18, 18, 6, 5),
        frame("footer", 0, 23, 24, 1),
      ],
    },
  },
  {
    id: "upright",
    name: "Upright page",
    layout: {
      paper: "A4",
      isUpright: true,
      frames: [
        frame("title", 0, 0, 24, 2),
        frame("change", 0, 2, 24, 12),
        frame("legend", 0, 14, 8, 4),
        frame("inset", 0, 18, 8, 5),
        frame("numbers", 8, 14, 16, 4),
        frame("notes", 8, 18, 8, 5),
        frame("sources", 16, 18, 8, 5),
        frame("footer", 0, 23, 24, 1),
      ],
    },
  },
];

/** Words of a sheet that people may set themselves. */
export const TEXT_KEYS = ["title", "subtitle", "text", "maker", "licence"] as const;
export type TextKey = (typeof TEXT_KEYS)[number];

const words = (most: number) =>
  yup.string().max(most, `At most ${most} characters`).nullable().default(null);

/** Schema of what is set of a sheet; null where what is proposed stands. */
export const sheetSchema = yup
  .object({
    layout: layoutSchema.required(),
    texts: yup
      .object({
        title: words(160),
        subtitle: words(240),
        text: words(2000),
        maker: words(160),
        licence: words(160),
      })
      .noUnknown()
      .required(),
    /** Ground that maps show: its middle in longitude and latitude, metres across; absent: all of it. */
    views: yup
      .array(
        yup
          .object({
            kind: yup.string().oneOf(MAP_KINDS).required(),
            longitude: yup.number().min(-360).max(360).required(),
            latitude: yup.number().min(-90).max(90).required(),
            acrossM: yup.number().min(10).max(2e7).required(),
          })
          .noUnknown()
          .required(),
      )
      .max(MAP_KINDS.length)
      .default([]),
  })
  .noUnknown();
/** What is set of the sheet of a map. */
export type Sheet = yup.InferType<typeof sheetSchema>;
export type SheetView = Sheet["views"][number];

const readyLayout = (id: string): SheetLayout => READY_LAYOUTS.find((one) => one.id === id)!.layout;

/** Ground that is wider than so many times its height has a wide map. */
const WIDE = 1.35;

/** A sheet on which nobody has set anything, with the layout that suits its ground. @param ground width over height */
export const newSheet = (ground: number): Sheet => ({
  layout: readyLayout(ground > WIDE ? "wide" : "change"),
  texts: { title: null, subtitle: null, text: null, maker: null, licence: null },
  views: [],
});
