import { EDIT_KINDS } from "@hindglance/core/edit/edits";
import type { OutlineGeometry } from "@hindglance/core/edit/outline";
import type { Grid } from "@hindglance/core/grid/grid";
import { type MultiPolygon, isMultiPolygon } from "@hindglance/core/vector/polygons";
import * as yup from "yup";
import { box } from "./changeMaps";
import { nodeView } from "./nodes";
import { route } from "./route";
import {
  type Of,
  flag,
  list,
  number,
  numberOrNull,
  ofCore,
  personName,
  shape,
  text,
  uuid,
  whole,
} from "./shapes";

/** Corners of an outline that is drawn or reshaped, at the most. */
export const MOST_OUTLINE_CORNERS = 200_000;
/** Places of a line that cuts a patch, at the most. */
export const MOST_LINE_PLACES = 1000;
/** Patches that are merged, renamed or removed in one go, at the most. */
export const MOST_PATCHES_AT_ONCE = 1000;

const position = yup
  .array(yup.number().required())
  .length(2, "A corner is a column and a row")
  .required();
/** In cells of the map, columns and rows; the first corner of a ring is repeated at its end. */
const polygons = yup
  .mixed<MultiPolygon>()
  .test(
    "polygons",
    "${path} takes rings of corners in cells of the map",
    (value) => value === undefined || isMultiPolygon(value),
  )
  .test(
    "corners",
    `\${path} takes at most ${MOST_OUTLINE_CORNERS} corners`,
    (value) => cornersOf(value) <= MOST_OUTLINE_CORNERS,
  );

const cornersOf = (value: MultiPolygon | undefined): number =>
  isMultiPolygon(value) ? value.flat().reduce((sum, ring) => sum + ring.length, 0) : 0;

const numbers = yup
  .array(yup.number().integer().min(1).required())
  .min(1)
  .max(MOST_PATCHES_AT_ONCE, `At most ${MOST_PATCHES_AT_ONCE} patches in one go`);
const label = yup.number().integer().min(1).max(254);
const aPatch = yup.number().integer().min(1);

/** What is done; which of its parts are needed goes by its kind. */
const edit = shape({
  kind: yup.string().oneOf(EDIT_KINDS).required(),
  /** draw, relabel: the class. */
  label: label.optional(),
  /** reshape, cut: the patch. */
  number: aPatch.optional(),
  /** merge, relabel, remove: the patches; the first gives a merged one its class. */
  numbers: numbers.optional(),
  /** draw, reshape: the outline. */
  polygons: polygons.optional(),
  /** cut: where the patch is parted. */
  line: yup
    .array(position)
    .min(2, "A line has two places or more")
    .max(MOST_LINE_PLACES, `A line has at most ${MOST_LINE_PLACES} places`)
    .optional(),
  /** Whether outlines follow the sides of cells; else they stay as they are drawn. */
  isSnapped: flag,
  /** Whether ground is taken from other patches; else only ground of no patch is. */
  isTaking: flag,
});
/** What is done to patches. */
export type Edit = Of<typeof edit>;

const act = shape({
  id: whole,
  /** The act that it followed; null for the map as it was written. */
  parent: numberOrNull,
  kind: yup.string().oneOf(EDIT_KINDS).required(),
  editor: text,
  doneAt: text,
  /** How many patches it took away or changed, and made. */
  gone: whole,
  made: whole,
});
/** What was done in one go. */
export type EditAct = Of<typeof act>;

const classArea = shape({
  label: whole,
  /** Before all edits, and after those that stand. */
  writtenCells: number,
  writtenM2: number,
  editedCells: number,
  editedM2: number,
});
/** Areas of a class with and without edits. */
export type EditedArea = Of<typeof classArea>;

const editState = shape({
  /** The act after which the edits stand; null: the map is as it was written. */
  head: numberOrNull,
  /** The state before that act; null: the map as it was written. */
  before: numberOrNull,
  /** The act that was last done on this state and is not done now; null where there is none. */
  redo: numberOrNull,
  acts: list(act),
  areas: list(classArea),
  /** Patches that edits took away or changed, and those in their place. */
  gone: whole,
  made: whole,
  /** Classes with the edits painted over them. */
  node: nodeView,
});
/** How far the edits of a map are. */
export type EditState = Of<typeof editState>;

const editedPatch = shape({
  number: whole,
  label: whole,
  cells: number,
  areaM2: number,
  /** Whether an edit made it. */
  edited: flag,
  west: number,
  south: number,
  east: number,
  north: number,
});
/** A patch as the edits leave it. */
export type EditedRow = Of<typeof editedPatch>;

const drawnPatch = editedPatch.shape({ geometry: ofCore<OutlineGeometry>() });
/** A patch with its outline as GeoJSON, as fine as the screen shows it. */
export type EditedShape = Of<typeof drawnPatch>;

const wholePatch = editedPatch.shape({ polygons: ofCore<MultiPolygon>() });
/** A patch with its whole outline in cells of the map. */
export type EditedOutline = Of<typeof wholePatch>;

const editor = personName("Say who you are: an edit has a name");

/** Routes of edits of the patches of a map. */
export const editRoutes = {
  /** How far the edits of a map are: what was done, and the areas that it comes to. */
  state: route({ method: "GET", path: "/change-maps/:id/edits", answer: editState }),
  /** Does something to patches. Asked twice with one key it is done once. */
  do: route({
    method: "POST",
    path: "/change-maps/:id/edits",
    body: shape({ key: uuid, editor, edit }),
    answer: shape({ head: whole, made: list(whole) }),
  }),
  /** Goes to the state after another act, back or forward; null: to the map as it was written. */
  go: route({
    method: "PATCH",
    path: "/change-maps/:id/edits",
    body: shape({ head: yup.number().integer().nullable().defined() }),
    answer: shape({ head: numberOrNull }),
  }),
  /** Outlines in a part of the map, the largest first, as fine as the screen shows them. */
  outlines: route({
    method: "GET",
    path: "/change-maps/:id/edits/outlines",
    query: shape({
      box,
      limit: yup.number().integer().min(1).max(5000).default(2000),
      toleranceDeg: yup.number().min(0).max(10).default(0),
    }),
    answer: shape({ count: whole, patches: list(drawnPatch) }),
  }),
  /** The whole outline of a patch; of the largest that came of it where it is not there any more. */
  patch: route({
    method: "GET",
    path: "/change-maps/:id/edits/patches/:number",
    answer: wholePatch,
  }),
  /** Ground that grows from a place within the measure, by how far it differs. */
  grow: route({
    method: "POST",
    path: "/change-maps/:id/edits/grown",
    /** In the coordinates of the map. */
    body: shape({ at: yup.tuple([number, number]).required() }),
    answer: shape({
      /** Of the cells that were looked at. */
      grid: ofCore<Grid>(),
      /** By cell, row by row: at which of 254 steps ground comes to it; bytes in base 64. */
      levels: text,
      /** Standard deviation of the measure over those cells, in its unit. */
      spread: number,
    }),
  }),
  /** Writes the edited map as a map of its own, in a run. */
  write: route({
    method: "POST",
    path: "/change-maps/:id/edits/map",
    body: shape({
      name: yup
        .string()
        .trim()
        .min(1, "Give the edited map a name")
        .max(120, "A name has at most 120 characters")
        .required("Give the edited map a name"),
    }),
    answer: shape({ runId: uuid }),
  }),
};
