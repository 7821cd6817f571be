import * as yup from "yup";
import { route } from "./route";
import { type Of, flag, list, number, shape, text, uuid } from "./shapes";

/** Which image of a scene is meant: as dates are compared (prepared, aligned, levelled), or as it was taken in. */
export const IMAGES_OF_SCENE = ["compared", "stored"] as const;

const imageFile = shape({
  id: uuid,
  name: text,
  size: number,
  sceneId: uuid,
  createdAt: text,
  /** System, cell size and cells, in words. */
  grid: text,
});
/** A file that was made of a scene. */
export type ImageFile = Of<typeof imageFile>;

const ask = shape({
  sceneId: uuid,
  of: yup.string().oneOf(IMAGES_OF_SCENE).required(),
  /** Code of the system that it is put into; null: its own. */
  epsg: yup.number().integer().min(1024).max(999_999).nullable().defined(),
  /** Side of a cell in units of the system; null: about its own. */
  cellSize: yup
    .number()
    .positive("A cell size is greater than 0")
    .max(1e6, "A cell size is at most 1 000 000")
    .nullable()
    .defined(),
  /** Whether power is written in decibels. */
  asDecibel: flag,
});
/** What file of a scene is asked for. */
export type ImageFileAsk = Of<typeof ask>;

/** Routes of files of scenes: dates, statistics over time and other images, in a wanted system and cell size. */
export const imageFileRoutes = {
  list: route({ method: "GET", path: "/studies/:id/image-files", answer: list(imageFile) }),
  /** Makes a file, in a run. */
  make: route({
    method: "POST",
    path: "/studies/:id/image-files",
    body: ask,
    answer: shape({ runId: uuid, fileName: text, grid: text }),
  }),
  remove: route({ method: "DELETE", path: "/image-files/:id" }),
};
