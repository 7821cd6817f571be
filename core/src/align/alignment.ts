import * as yup from "yup";

import { InputError } from "../errors";
import type { ImageInfo } from "../graph/image";
import { type NodeSpec, node } from "../graph/node";
import type { Grid } from "../grid/grid";

import { OFFSET_MODELS, type OffsetModel } from "./offset";
import { type Path, isPath } from "./mapping";
import { POINT_MODELS, type PointModel, fitPoints } from "./points";
import { RESAMPLING, type Resampling } from "../raster/resampling";
import { isPictureFrame } from "../grid/frames";

/** A window of a measured offset: where it lies on the map and where it points, in map units. */
export interface ArrowMatch {
  x: number;
  y: number;
  dx: number;
  dy: number;
  ratio: number;
  kept: boolean;
}
/** A date moved by its measured offset from another one. */
export interface OffsetPlace {
  kind: "offset";
  referenceId: string;
  band: string;
  model: OffsetModel;
  path: Path;
  matches: ArrowMatch[];
  tried: number;
  rmseCells: number;
  cellM: number;
  kernel: Resampling;
}
/**
 * A control point: `from` in the scene's own coordinates (of a picture: columns, and rows counted
 * downwards), `to` on the map.
 */
export interface ControlPoint {
  id: string;
  name: string;
  from: [number, number];
  to: [number, number];
  on: boolean;
}
/**
 * A date, or a picture without position, laid on the map by control points. `referenceId`: the date
 * whose grid it takes.
 */
export interface PointsPlace {
  kind: "points";
  referenceId: string;
  model: PointModel;
  smoothing: number;
  points: ControlPoint[];
  kernel: Resampling;
}
/**
 * What one band of a date is multiplied with and what is added, so that it is on the level of the
 * reference.
 */
export interface BandLevel {
  band: string;
  multiply: number;
  add: number;
  /** In place of both: corners of a curve, [value of the date, value of the reference]. */
  curve?: [number, number][];
}
/** How levels are measured. */
export const LEVEL_METHODS = ["unchanged", "spread", "histogram"] as const;
export type LevelMethod = (typeof LEVEL_METHODS)[number];
export interface Levelling {
  referenceId: string;
  method: LevelMethod;
  bands: BandLevel[];
  /** Cells that it rests on. */ cells: number;
}
/** What Align does to a date: where it lies, and on which level its numbers are. */
export interface Alignment {
  place: OffsetPlace | PointsPlace | null;
  level: Levelling | null;
}

const finite = () =>
  yup
    .number()
    .required()
    .test("finite", "${path} must be a finite number", (value) => Number.isFinite(value));
const pair = yup.tuple([finite(), finite()]).required();
const id = yup.string().uuid().required();
const kernel = yup.string().oneOf(RESAMPLING).required();
export const pointsSchema = yup
  .object({
    kind: yup
      .string()
      .oneOf(["points"] as const)
      .required(),
    referenceId: id,
    model: yup.string().oneOf(POINT_MODELS).required(),
    smoothing: yup.number().min(0).max(10).required(),
    kernel,
    points: yup
      .array(
        yup
          .object({
            id: yup.string().min(1).max(40).required(),
            name: yup.string().trim().max(60).defined(),
            from: pair,
            to: pair,
            on: yup.boolean().required(),
          })
          .noUnknown()
          .required(),
      )
      .max(500)
      .required(),
  })
  .noUnknown();
export const offsetSchema = yup
  .object({
    kind: yup
      .string()
      .oneOf(["offset"] as const)
      .required(),
    referenceId: id,
    band: yup.string().max(120).required(),
    model: yup.string().oneOf(OFFSET_MODELS).required(),
    path: yup.mixed<Path>().test("path", "path is no transform", isPath).required(),
    matches: yup
      .array(
        yup
          .object({
            x: finite(),
            y: finite(),
            dx: finite(),
            dy: finite(),
            ratio: finite(),
            kept: yup.boolean().required(),
          })
          .noUnknown()
          .required(),
      )
      .max(2000)
      .required(),
    tried: yup.number().integer().min(0).required(),
    rmseCells: finite(),
    cellM: finite(),
    kernel,
  })
  .noUnknown();
/** Schema of what levels a band. */
export const bandLevelSchema = yup
  .object({
    band: yup.string().required(),
    multiply: finite(),
    add: finite(),
    curve: yup
      .array(pair)
      .min(1)
      .max(1024)
      .optional()
      .test(
        "rising",
        "${path} must rise from corner to corner",
        (curve) => !curve || curve.every((corner, k) => k === 0 || corner[0] > curve[k - 1]![0]),
      ),
  })
  .noUnknown()
  .required();
export const levellingSchema = yup
  .object({
    referenceId: id,
    method: yup.string().oneOf(LEVEL_METHODS).required(),
    bands: yup
      .array(bandLevelSchema.shape({ band: yup.string().max(120).required() }))
      .min(1)
      .max(64)
      .required(),
    cells: yup.number().min(0).required(),
  })
  .noUnknown();

/** Points that are switched on, as a fit takes them. */
export const usedPoints = (place: PointsPlace): ControlPoint[] =>
  place.points.filter((point) => point.on);

/**
 * A date as Align leaves it: moved, then brought to the level of its reference.
 * @param grid that a picture without position is laid on; a date with a position keeps its own
 * @throws InputError when points are missing, or a band that is levelled is not there
 */
export function alignedNode(
  n: NodeSpec,
  info: ImageInfo,
  alignment: Alignment | null,
  grid: Grid | null,
): NodeSpec {
  const picture = isPictureFrame(info.grid.crs);
  const onto = picture ? grid : info.grid;
  let out = n;
  if (picture && alignment?.place?.kind !== "points") {
    throw new InputError(
      "has no position yet",
      undefined,
      "Give it one by control points under Align.",
    );
  }
  if (alignment?.place) {
    if (!onto) {
      throw new InputError(
        "The date that this picture is laid on is not there",
        "referenceId",
        "Pick another reference under Align.",
      );
    }
    const path =
      alignment.place.kind === "offset"
        ? alignment.place.path
        : fitPoints(
            usedPoints(alignment.place),
            alignment.place.model,
            alignment.place.smoothing,
            picture,
          ).path;
    out = node(
      "grid.warp",
      { grid: onto, kernel: info.type === "class8" ? "nearest" : alignment.place.kernel, path },
      out,
    );
  }
  if (alignment?.level) {
    const lack = alignment.level.bands.find(
      (band) => !info.bands.some((x) => x.name === band.band),
    );
    if (lack) {
      throw new InputError(
        `Band ${lack.band}, which is levelled, is no longer there`,
        "level",
        "Level this date again under Align.",
      );
    }
    out = node("align.level", { bands: alignment.level.bands }, out);
  }
  return out;
}
