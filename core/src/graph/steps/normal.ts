import * as yup from "yup";
import { InputError } from "../../errors";
import type { Grid, Window } from "../../grid/grid";
import { AWAY_BANDS, AWAY_SIDES, type AwayAsk, away } from "../../normal/away";
import { FEWEST_NORMAL, departures, priorOfCells, varianceAt } from "../../normal/departure";
import { type Prior, priorOf } from "../../normal/prior";
import { realCells } from "../../raster/block";
import type { ImageInfo } from "../image";
import { type NodeSpec, walk } from "../node";
import type { Asker, Step, StepContext, StepReport, StepState } from "../step";
import { cellByCell, finite, none, requireOneGrid } from "./common";
import { changeBand } from "./pair";

/** Cells along a side of the windows that variances are looked at in, and windows of a strip. */
const SAMPLE_SIDE = 96;
const SAMPLES = 4;
/** Of the cells of a window of a preview so many are looked at. */
const PREVIEW_CELLS = 6000;
/** Degrees from which on all cells vary alike. */
const ENDLESS = 1e6;

interface PriorState extends StepState {
  variance: number;
  degrees: number;
  cells: number;
}

/** @throws InputError unless all dates have one real-valued band of one kind */
function requireDates(title: string, inputs: readonly ImageInfo[]): void {
  requireOneGrid(title, inputs);
  const first = inputs[0]!.bands[0]!;
  for (const { bands, type } of inputs) {
    if (type !== "float32" || bands.length !== 1) {
      throw new InputError(`${title} takes one real-valued band a date`, "inputs");
    }
    if (bands[0]!.unit !== first.unit || bands[0]!.role !== first.role) {
      throw new InputError(
        `${title}: ${first.name} is ${first.unit || first.role} on one date and ${bands[0]!.unit || bands[0]!.role} on another`,
        "inputs",
        "Prepare all dates alike.",
      );
    }
  }
}

/** Windows of a strip in which variances are looked at, spread evenly. */
function sampleWindows({ col, row, width, height }: Window): Window[] {
  const side = { width: Math.min(SAMPLE_SIDE, width), height: Math.min(SAMPLE_SIDE, height) };
  const count = Math.max(1, Math.min(SAMPLES, Math.floor(width / side.width)));
  return Array.from({ length: count }, (_v, k) => ({
    col: col + Math.round(((k + 0.5) / count) * width - side.width / 2),
    row: row + Math.round((height - side.height) / 2),
    ...side,
  }));
}

/** Variances of the cells of a strip over some inputs. */
async function stripVariances(ask: Asker, strip: Window, inputs: readonly number[]) {
  const found: number[] = [];
  for (const window of sampleWindows(strip)) {
    const blocks = await Promise.all(inputs.map((input) => ask.read(input, window)));
    const dates = blocks.map(({ bands }) => realCells(bands[0]!));
    for (let cell = 0; cell < window.width * window.height; cell++) {
      const variance = varianceAt(dates, cell);
      if (variance === variance) {
        found.push(variance);
      }
    }
  }
  return { values: Float64Array.from(found) };
}

/** What `gather` of a step over normal dates does. @param normals places of those among its inputs */
const gatherPrior = <P extends object>(normals: (ctx: StepContext<P>) => number[]) => ({
  strip: (ask: Asker, strip: Window, ctx: StepContext<P, PriorState>) =>
    stripVariances(ask, strip, normals(ctx)),
  merge(parts: readonly { values: Float64Array }[], ctx: StepContext<P, PriorState>): PriorState {
    const all = parts.flatMap(({ values }) => [...values]);
    const prior = priorOf(all, normals(ctx).length - 1);
    return {
      variance: prior?.variance ?? 0,
      degrees: Math.min(ENDLESS, prior?.degrees ?? 0),
      cells: all.length,
    };
  },
});

/** The prior of the cells of a window: what was gathered on its level, else that of the window's own cells. */
function priorFor(
  { state }: Pick<StepContext<object, PriorState>, "state">,
  normal: readonly Float32Array[],
): Prior | null {
  if (state) {
    const { variance, degrees } = state;
    return variance > 0 ? { variance, degrees: degrees >= ENDLESS ? Infinity : degrees } : null;
  }
  return priorOfCells(normal, Math.max(1, Math.floor(normal[0]!.length / PREVIEW_CELLS)));
}

/** What was found of how cells vary. */
const reportOf = ({ state }: { state: PriorState | undefined }): StepReport | null =>
  state
    ? {
        lines: [
          { name: "usual deviation over time", value: Math.sqrt(state.variance).toFixed(3) },
          { name: "degrees of freedom of it", value: state.degrees.toFixed(1) },
          { name: "cells looked at", value: String(state.cells) },
        ],
        warnings:
          state.variance > 0
            ? []
            : ["Too few cells are seen on all dates that are to tell what is normal."],
      }
    : null;

const NAME = "Departure from normal";

/** Inputs: the date, then those that are normal. */
export const departureStep: Step<Record<string, never>, PriorState, { values: Float64Array }> = {
  kind: "normal.departure",
  version: 1,
  title: NAME,
  help: "How far a date lies from the mean of earlier ones, in deviations of the place: a moderated t, told by the normal deviation that is as rare.",
  inputs: { min: 1 + FEWEST_NORMAL, max: 100 },
  params: none,
  describe(inputs) {
    requireDates(NAME, inputs);
    return changeBand(inputs[0]!, "departure", "σ");
  },
  gather: gatherPrior(({ inputs }) => inputs.slice(1).map((_input, k) => k + 1)),
  report: reportOf,
  reach: cellByCell,
  compute([date, ...normal], out, ctx) {
    const dates = normal.map(({ bands }) => realCells(bands[0]!));
    const cells = realCells(out.bands[0]!);
    const prior = priorFor(ctx, dates);
    if (prior) {
      departures(dates, realCells(date!.bands[0]!), prior, cells);
    } else {
      cells.fill(NaN);
    }
  },
};

interface AwayParams extends AwayAsk {
  /** How many of the inputs are normal; the others are watched. */
  normal: number;
  /** By watched date, days after the last normal one. */
  days: number[];
}

const AWAY_NAME = "Away from normal";

/** Inputs: dates that are normal, then those that are watched, in their order. */
export const awayStep: Step<AwayParams, PriorState, { values: Float64Array }> = {
  kind: "normal.away",
  version: 1,
  title: AWAY_NAME,
  help: "When each cell left its normal first, for how long, whether it came back, how far it went and on how many dates.",
  inputs: { min: 1 + FEWEST_NORMAL, max: 200 },
  params: yup
    .object({
      normal: yup.number().integer().min(FEWEST_NORMAL).required(),
      days: yup.array(finite()).min(1).required(),
      beyond: finite().min(0.5).max(30),
      side: yup.string().oneOf(AWAY_SIDES).required(),
    })
    .noUnknown(),
  describe(inputs, { normal, days }) {
    requireDates(AWAY_NAME, inputs);
    if (inputs.length !== normal + days.length) {
      throw new InputError(`${AWAY_NAME} has ${inputs.length} dates for ${normal + days.length}`);
    }
    const grid: Grid = inputs[0]!.grid;
    return {
      ...{ grid, type: "float32" },
      bands: AWAY_BANDS.map(({ name, unit }) => ({ name, unit, role: "value" })),
    };
  },
  gather: gatherPrior(({ params }) => Array.from({ length: params.normal }, (_v, k) => k)),
  report: reportOf,
  reach: cellByCell,
  compute(blocks, out, ctx) {
    const { normal, days, beyond, side } = ctx.params;
    const dates = blocks.map(({ bands }) => realCells(bands[0]!));
    const still = dates.slice(0, normal);
    const watched = dates.slice(normal).map((cells, k) => ({ cells, day: days[k]! }));
    const bands = out.bands.map(realCells);
    const prior = priorFor(ctx, still);
    if (prior) {
      away(still, watched, prior, { beyond, side }, bands);
    } else {
      bands.forEach((band) => band.fill(NaN));
    }
  },
};

/** Dates that a graph takes for normal; null where it asks for none. */
export function normalDatesIn(graph: NodeSpec): NodeSpec[] | null {
  let found: NodeSpec[] | null = null;
  walk(graph, ({ step, params, inputs }) => {
    if (step === departureStep.kind) {
      found = inputs.slice(1);
    } else if (step === awayStep.kind) {
      found = inputs.slice(0, Number(params.normal));
    }
  });
  return found;
}
