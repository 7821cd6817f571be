import * as yup from "yup";
import { InputError } from "../../errors";
import { type Cells, realCells } from "../../raster/block";
import { type Window, grow, sameGrid } from "../../grid/grid";
import type { BandInfo, BandRole, ImageInfo } from "../image";
import type { InputRequest, StepContext } from "../step";

/** Schema of a number that is neither infinite nor NaN. */
export const finite = () =>
  yup
    .number()
    .required()
    .test("finite", "${path} must be a finite number", (value) => Number.isFinite(value));
export const none = yup.object({}).noUnknown() as yup.ObjectSchema<Record<string, never>>;

/** Every input in the same window: for steps that work cell by cell. */
export const cellByCell = (w: Window, ctx: StepContext<unknown>): InputRequest[] =>
  ctx.inputs.map(() => ({ window: w, level: ctx.level }));
/** Every input with a halo. */
export const withHalo = (w: Window, ctx: StepContext<unknown>, halo: number): InputRequest[] =>
  ctx.inputs.map(() => ({ window: grow(w, halo), level: ctx.level }));

/** @throws InputError unless all inputs lie on one grid */
export function requireOneGrid(title: string, inputs: readonly ImageInfo[]): void {
  for (const input of inputs) {
    if (!sameGrid(inputs[0]!.grid, input.grid)) {
      throw new InputError(
        `${title}: the images lie on different grids (${describeGrid(inputs[0]!)} and ${describeGrid(input)})`,
        "inputs",
        "Put both on the study grid first.",
      );
    }
  }
}

/** A grid in words: cells, their size, the coordinate system. */
export const describeGrid = (info: ImageInfo): string =>
  `${info.grid.width} x ${info.grid.height} cells of ${Math.abs(info.grid.transform[1])} in ${info.grid.crs.code}`;

/** @throws InputError unless every band of an input has one of the roles */
export function requireRole(
  title: string,
  input: ImageInfo,
  roles: readonly BandRole[],
  reason: string,
): void {
  for (const band of input.bands) {
    if (!roles.includes(band.role)) {
      throw new InputError(
        `${title} cannot take band ${band.name} (${band.role}, ${band.unit || "no unit"}): ${reason}`,
        "inputs",
      );
    }
  }
}

/** Bands of a block of real-valued cells. @throws Error where one holds labels */
export const floats = (b: { bands: readonly Cells[] }): Float32Array[] => b.bands.map(realCells);

/** Bands of light: digital numbers or reflectance. */
export const isLight = (band: BandInfo): boolean =>
  band.role === "dn" || band.role === "reflectance";

/**
 * The window of an output out of cells that have a halo around it. @param W width of the cells with
 * the halo
 */
export function cutHalo(
  src: Float32Array,
  width: number,
  halo: number,
  w: Window,
  out: Float32Array,
): void {
  for (let r = 0; r < w.height; r++) {
    const i = (r + halo) * width + halo;
    out.set(src.subarray(i, i + w.width), r * w.width);
  }
}
