import * as yup from "yup";
import { lee } from "../../radar/lee";
import { REFINED_LEE_HALO, refinedLee } from "../../radar/refinedLee";
import { boxcar, gammaMap, median } from "../../radar/speckle";
import type { ParamsSchema, Step } from "../step";
import { finite, floats, requireRole, withHalo } from "./common";

const windowCells = yup.number().oneOf([3, 5, 7, 9, 11]).required();
const looks = finite().min(0.5).max(1000);
const sized = yup.object({ windowCells }).noUnknown();
const sizedByLooks = yup.object({ windowCells, looks }).noUnknown();

/**
 * Averaging 2^level x 2^level cells of independent speckle multiplies the looks by their number.
 */
const looksAt = (atFullSize: number, level: number): number => atFullSize * 4 ** level;

/** A filter of one band: cells with a halo around them, and the cells within. */
type Run<P> = (
  cells: Float32Array,
  width: number,
  height: number,
  params: P,
  level: number,
  out: Float32Array,
) => void;

interface Filter<P> {
  kind: string;
  title: string;
  help: string;
  params: ParamsSchema<P>;
  halo(params: P): number;
  run: Run<P>;
}

const filterStep = <P extends object>(filter: Filter<P>): Step<P> => ({
  kind: filter.kind,
  version: 1,
  title: filter.title,
  help: filter.help,
  inputs: { min: 1, max: 1 },
  params: filter.params,
  describe([info]) {
    requireRole(filter.title, info!, ["power"], "speckle is filtered on power, never on decibels.");
    return info!;
  },
  reach: (w, ctx) => withHalo(w, ctx, filter.halo(ctx.params)),
  compute([block], out, { params, level }) {
    const { width, height } = out.window;
    floats(block!).forEach((cells, i) =>
      filter.run(cells, width, height, params, level, floats(out)[i]!),
    );
  },
});
const halfWindow = <P extends { windowCells: number }>(params: P): number =>
  (params.windowCells - 1) / 2;

export const meanStep = filterStep({
  kind: "radar.mean",
  title: "Mean",
  help: "Mean of power over a square window.",
  params: sized,
  halo: halfWindow,
  run: (cells, width, height, params, _level, out) =>
    boxcar(cells, width, height, params.windowCells, out),
});

export const medianStep = filterStep({
  kind: "radar.median",
  title: "Median",
  help: "Median of power over a square window: takes lone bright cells away.",
  params: sized,
  halo: halfWindow,
  run: (cells, width, height, params, _level, out) =>
    median(cells, width, height, params.windowCells, out),
});

export const leeStep = filterStep({
  kind: "radar.lee",
  title: "Lee",
  help: "Smooths the grain of radar images by local statistics (Lee 1980).",
  params: sizedByLooks,
  halo: halfWindow,
  run: (cells, width, height, params, level, out) =>
    lee(cells, width, height, params.windowCells, looksAt(params.looks, level), out),
});

export const refinedLeeStep = filterStep({
  kind: "radar.refinedLee",
  title: "Refined Lee",
  help: "Smooths the grain of radar images and keeps edges such as banks and roads (Lee 1981, 7 x 7).",
  params: yup.object({ looks }).noUnknown(),
  halo: () => REFINED_LEE_HALO,
  run: (cells, width, height, params, level, out) =>
    refinedLee(cells, width, height, looksAt(params.looks, level), out),
});

export const gammaMapStep = filterStep({
  kind: "radar.gammaMap",
  title: "Gamma MAP",
  help: "The likeliest backscatter for gamma speckle on gamma ground (Lopes et al. 1990).",
  params: sizedByLooks,
  halo: halfWindow,
  run: (cells, width, height, params, level, out) =>
    gammaMap(cells, width, height, params.windowCells, looksAt(params.looks, level), out),
});
