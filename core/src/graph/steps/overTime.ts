import * as yup from "yup";
import { InputError } from "../../errors";
import { TIME_STATISTICS, type TimeStatistic, overTime } from "../../radar/overTime";
import type { BandInfo } from "../image";
import type { Step } from "../step";
import { cellByCell, floats, requireOneGrid } from "./common";

export const overTimeStep: Step<{ statistic: TimeStatistic; percent?: number }> = {
  kind: "radar.overTime",
  version: 2,
  title: "Over time",
  help: "One statistic of several dates, cell by cell.",
  inputs: { min: 2, max: 200 },
  params: yup
    .object({
      statistic: yup.string().oneOf(TIME_STATISTICS).required(),
      percent: yup.number().min(0).max(100).optional(),
    })
    .noUnknown(),
  describe(inputs, params) {
    requireOneGrid("Over time", inputs);
    const first = inputs[0]!;
    inputs.forEach((input) => {
      if (
        input.bands.length !== first.bands.length ||
        input.bands.some(
          (band, k) =>
            band.role !== first.bands[k]!.role ||
            band.polarisation !== first.bands[k]!.polarisation,
        )
      ) {
        throw new InputError("The dates have different bands", "inputs");
      }
    });
    // A statistic of several dates has no sun of its own, and no chain takes it again.
    const { optical: _sun, ...rest } = first;
    return {
      ...rest,
      bands: first.bands.filter(overTimeBand).map((band) => statisticOf(band, params)),
    };
  },
  reach: cellByCell,
  compute(blocks, out, ctx) {
    let k = 0;
    ctx.base[0]!.bands.forEach((band, i) => {
      if (overTimeBand(band)) {
        overTime(
          blocks.map((block) => floats(block)[i]!),
          ctx.params.statistic,
          floats(out)[k++]!,
          ctx.params.percent,
        );
      }
    });
  },
};
/** The band that a statistic makes of one. */
function statisticOf(
  band: BandInfo,
  { statistic, percent }: { statistic: TimeStatistic; percent?: number },
): BandInfo {
  const made = {
    ...band,
    name: `${band.name} ${statistic === "percentile" ? `percentile ${percent ?? 50}` : statistic}`,
  };
  switch (statistic) {
    case "count":
      return { ...made, role: "value", unit: "dates" };
    case "deviation":
      return { ...made, role: "value" };
    default:
      return made;
  }
}

/** Bands of which a statistic over dates says something: no bits, no masks. */
const overTimeBand = (band: BandInfo): boolean =>
  band.role !== "hidden" && band.role !== "quality" && band.role !== "mask" && band.role !== "haze";
