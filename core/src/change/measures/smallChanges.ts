import * as yup from "yup";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { finite, floats, requireRole, withHalo } from "../../graph/steps/common";
import { changeBand, requirePair } from "../../graph/steps/pair";
import { cellAreas } from "../../grid/area";
import type { Grid } from "../../grid/grid";
import { FALSE_ALARM_KM2 } from "../../radar/falseAlarms";
import { SMALL_CHANGES_HALO, smallChanges as find } from "../../radar/smallChanges";
import { realCells } from "../../raster/block";
import { GAIN_COLOR, LOSS_COLOR } from "../colors";
import { type MeasurePart, whenMeasure } from "./measure";

const NAME = "Small changes";

const { min: MIN, max: MAX, usual: USUAL } = FALSE_ALARM_KM2;

const areas = new WeakMap<Grid, number>();
/** Square kilometres of the cell in the middle of a grid. */
function cellKm2(grid: Grid): number {
  let km2 = areas.get(grid);
  if (km2 === undefined) {
    km2 = cellAreas(grid).cell(Math.floor(grid.width / 2), Math.floor(grid.height / 2)) / 1e6;
    areas.set(grid, km2);
  }
  return km2;
}

/** What is small and changed strongly. */
const smallChangesStep: Step<{ looks: number; km2: number }> = {
  kind: "change.small",
  version: 3,
  title: NAME,
  help: "Detector of constant false-alarm rate on the log ratio of both dates: a cell against eight windows around it.",
  inputs: { min: 2, max: 2 },
  params: yup
    .object({ looks: finite().min(0.5).max(1000), km2: finite().min(MIN).max(MAX) })
    .noUnknown(),
  describe(inputs) {
    inputs.forEach((input) =>
      requireRole(NAME, input, ["power"], "speckle is known of power, not of decibels."),
    );
    const { before } = requirePair(NAME, inputs);
    return changeBand(before, "small changes", "");
  },
  reach: (window, ctx) => withHalo(window, ctx, SMALL_CHANGES_HALO),
  compute([before, after], out, { params, level, base }) {
    const { width, height } = out.window;
    const cells = 4 ** level;
    const ask = {
      perCell: (cellKm2(base[0]!.grid) * cells) / params.km2,
      // Averaging independent cells adds up their looks.
      looks: params.looks * cells,
    };
    find(floats(before!), floats(after!), width, height, ask, realCells(out.bands[0]!));
  },
};

/** What came and what went, of the size of a few cells. */
export const smallChanges: MeasurePart<"smallChanges"> = {
  key: "smallChanges",
  onPower: {
    name: NAME,
    help: "What came, went or changed strongly on a few cells: vehicles, boats, buildings. Cells against the ground around them, all polarisations together, before the speckle filter. 1 is reached by unchanged ground as seldom as you ask.",
  },
  onValues: null,
  said: ({ falseAlarmKm2 }) =>
    `small changes, one false alarm in ${falseAlarmKm2 ?? USUAL} km² of unchanged ground`,
  rank: () => 11.5,
  unit: { unit: "", decimals: 2, step: 0.05 },
  several: true,
  isChance: true,
  beforeFilter: true,
  isTwoSided: true,
  graph: [smallChangesStep],
  node({ several }, { speckle, falseAlarmKm2 }) {
    const { raw } = several("measure");
    const params = { looks: speckle.looks, km2: falseAlarmKm2 ?? USUAL };
    return node("change.small", params, raw.before, raw.after);
  },
  rules: () => [
    whenMeasure(1, "Came or brighter", GAIN_COLOR, ">=", 1),
    whenMeasure(2, "Went or darker", LOSS_COLOR, "<=", -1),
  ],
  presets: ["water"],
  // What is looked for is smaller than what is usually left out as noise.
  begin: ({ falseAlarmKm2, limits }) => ({
    falseAlarmKm2: falseAlarmKm2 ?? USUAL,
    limits: { ...limits, minPatchCells: null },
  }),
  fields: [
    {
      kind: "amount",
      at: "falseAlarmKm2",
      label: "One false alarm in",
      name: "Square kilometres with one false alarm",
      unit: "km² unchanged",
      min: MIN,
      max: MAX,
      step: 1,
      decimals: 1,
    },
  ],
};
