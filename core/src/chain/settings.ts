import * as yup from "yup";
import type { Grid } from "../grid/grid";
import { OUTSIDE } from "../terrain/outside";

/** Whether a step runs. */
const on = yup.boolean().required();
/** Settings of a step: whether it runs, and these; nothing else may stand in them. */
export const stepSettings = <Fields extends yup.ObjectShape>(fields: Fields) =>
  yup
    .object({ on, ...fields })
    .noUnknown()
    .required();

/** A yes or no. */
export const yes = yup.boolean().required();
/** Width of a square window, cells. */
export const WINDOW_CELLS = [3, 5, 7, 9, 11] as const;
export const windowCells = yup.number().oneOf(WINDOW_CELLS).required();
/** A whole number from `lo` to `hi`. */
export const whole = (lo: number, hi: number) => yup.number().integer().min(lo).max(hi).required();
/** A scene of the study, or none. */
export const sceneOrNone = yup.string().uuid().nullable().defined();
/** What stands for heights where the elevation ends. */
export const outside = yup.string().oneOf(OUTSIDE).required();

const number = yup.number().required();
/** A study grid. */
export const gridSchema: yup.ISchema<Grid> = yup
  .object({
    crs: yup
      .object({
        code: yup.string().max(200).required(),
        proj4: yup.string().max(500).required(),
        name: yup.string().max(200),
        accuracy: yup.number().min(0).nullable().optional(),
      })
      .noUnknown()
      .required(),
    transform: yup.tuple([number, number, number, number, number, number]).required(),
    width: yup.number().integer().min(1).max(400_000).required(),
    height: yup.number().integer().min(1).max(400_000).required(),
  })
  .noUnknown()
  .required();
