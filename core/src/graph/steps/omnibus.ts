import * as yup from "yup";
import { OMNIBUS_BANDS, Omnibus } from "../../radar/omnibus";
import { realCells } from "../../raster/block";
import { InputError } from "../../errors";
import type { Step } from "../step";
import { cellByCell, finite, floats, requireOneGrid, requireRole } from "./common";

const NAME = "Changes over time";

interface Params {
  looks: number;
  rarity: number;
  /** By date, days since the first. */
  days: number[];
}

/** When and how often each cell of a radar series changed. Inputs: power of the dates, in their order. */
export const omnibusStep: Step<Params> = {
  kind: "radar.omnibus",
  version: 1,
  title: NAME,
  help: "Whether all dates have the same backscatter under speckle, and where not, when it changed, how often, brighter or darker: the omnibus test and its parts, date by date.",
  inputs: { min: 2, max: 100 },
  params: yup
    .object({
      looks: finite().min(0.5).max(1000),
      rarity: finite().min(0.5).max(50),
      days: yup.array(finite()).min(2).required(),
    })
    .noUnknown(),
  describe(inputs, { days }) {
    requireOneGrid(NAME, inputs);
    inputs.forEach((input) =>
      requireRole(NAME, input, ["power"], "speckle is known of power, not of decibels."),
    );
    const [first] = inputs;
    if (inputs.some(({ bands }) => bands.length !== first!.bands.length)) {
      throw new InputError("The dates have different bands", "inputs");
    }
    if (days.length !== inputs.length) {
      throw new InputError(`${NAME} has ${days.length} days for ${inputs.length} dates`, "days");
    }
    return {
      ...{ grid: first!.grid, type: "float32" },
      bands: OMNIBUS_BANDS.map(({ name, unit }) => ({ name, unit, role: "value" })),
    };
  },
  reach: cellByCell,
  compute(blocks, out, { params, level }) {
    // Averaging independent cells adds up their looks.
    const looks = Math.min(1000, params.looks * 4 ** level);
    const dates = blocks.map(floats);
    new Omnibus({ ...params, looks }, dates[0]!.length).run(dates, out.bands.map(realCells));
  },
};
