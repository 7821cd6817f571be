import type { Crs } from "@hindglance/core/geodesy/crs";
import type { EditableText } from "@hindglance/core/sheet/compose";
import {
  type FrameKind,
  type MapKind,
  type Sheet,
  type SheetLayout,
  layoutSchema,
  sheetSchema,
} from "@hindglance/core/sheet/layout";
import { MAP_SIDES } from "@hindglance/core/sheet/marks";
import type { Placed } from "@hindglance/core/sheet/scale";
import * as yup from "yup";
import { box } from "./changeMaps";
import { route } from "./route";
import { type Of, list, number, ofCore, shape, text, uuid, whole } from "./shapes";

const name = yup
  .string()
  .trim()
  .min(1, "Give the layout a name")
  .max(60, "A name has at most 60 characters")
  .required("Give the layout a name");

const savedLayout = shape({ id: uuid, name: text, layout: ofCore<SheetLayout>() });
/** A layout that was saved for all studies. */
export type SavedLayout = Of<typeof savedLayout>;

const sheetState = shape({
  sheet: ofCore<Sheet>(),
  /** Raised by every change; 0 while nothing was set. */
  version: whole,
});
/** What is set of the sheet of a map. */
export type SheetState = Of<typeof sheetState>;

/** A frame as it lies on a page, millimetres of A4. */
export interface FrameBox {
  kind: FrameKind;
  x: number;
  y: number;
  width: number;
  height: number;
}

/** A page as it is shown: its drawing, and what of it can be moved and set. */
const drawnPage = shape({
  width: number,
  height: number,
  svg: text,
  frames: ofCore<FrameBox[]>(),
  texts: ofCore<EditableText[]>(),
  /** Ground of its maps, and the denominator of their scales as they are printed. */
  maps: ofCore<{ kind: MapKind; placed: Placed; scale: number; middle: [number, number] }[]>(),
});
/** A page of a sheet as it is shown. */
export type DrawnPage = Of<typeof drawnPage>;

const drawnSheet = shape({
  pages: list(drawnPage),
  /** System of its maps. */
  crs: ofCore<Crs>(),
  /** Letters that none of the fonts has. */
  lacking: list(text),
  /** Words that are proposed where none were set. */
  proposed: shape({ title: text, subtitle: text }),
});
/** A sheet as it is shown. */
export type DrawnSheet = Of<typeof drawnSheet>;

/** Pixels of a picture of the screen, at the most. */
export const MOST_PIXELS = 4e6;

/** What a picture on the screen shows. */
export const pictureQuery = shape({
  /** Changes with what the pictures are drawn from, so that no old one is shown. */
  of: yup.string().max(64).default(""),
  side: yup.string().oneOf(MAP_SIDES).required(),
  /** West, south, east, north in the system of the sheet's maps. */
  ground: box,
  width: yup.number().integer().min(1).max(4000).required(),
  height: yup.number().integer().min(1).max(4000).required(),
  /** Millimetres of a pixel on A4, by which patterns are drawn. */
  pixelMm: yup.number().min(0.01).max(10).required(),
});

/** Routes of the sheets of maps, and of layouts that serve all studies. */
export const sheetRoutes = {
  find: route({ method: "GET", path: "/change-maps/:id/sheet", answer: sheetState }),
  /** Keeps what is set; refused where somebody else has set something since. */
  save: route({
    method: "PUT",
    path: "/change-maps/:id/sheet",
    body: shape({
      sheet: sheetSchema.required(),
      version: yup.number().integer().min(0).required(),
    }),
    answer: sheetState,
  }),
  /** Pages as they would be with these settings; nothing is kept. */
  draw: route({
    method: "POST",
    path: "/change-maps/:id/sheet/pages",
    body: shape({ sheet: sheetSchema.required() }),
    answer: drawnSheet,
  }),
  layouts: route({ method: "GET", path: "/sheet-layouts", answer: list(savedLayout) }),
  /** Keeps a layout for all studies; one of the same name is replaced. */
  saveLayout: route({
    method: "POST",
    path: "/sheet-layouts",
    body: shape({ name, layout: layoutSchema.required() }),
    answer: savedLayout,
  }),
  removeLayout: route({ method: "DELETE", path: "/sheet-layouts/:id" }),
};
