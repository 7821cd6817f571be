import { WINDOW } from "../commonFields";
import * as yup from "yup";
import { InputError } from "../../errors";
import type { ImageInfo } from "../../graph/image";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cutHalo, floats, requireOneGrid, withHalo } from "../../graph/steps/common";
import { isSensorFrame } from "../../grid/frames";
import { multiTemporal } from "../../radar/speckle";
import { windowCells, stepSettings } from "../settings";
import type { RadarStep } from "./family";

const acrossDatesStep: Step<{ index: number; windowCells: number }> = {
  kind: "radar.acrossDates",
  version: 1,
  title: "Across dates",
  help: "Smooths speckle with the help of all dates and keeps each date's own backscatter (Quegan & Yu 2001).",
  inputs: { min: 2, max: 64 },
  params: yup.object({ index: yup.number().integer().min(0).required(), windowCells }).noUnknown(),
  describe(inputs, params) {
    requireOneGrid("Across dates", inputs);
    if (inputs.some((input) => isSensorFrame(input.grid.crs))) {
      throw new InputError(
        "Dates lie on each other only on the map: Across dates comes after Terrain",
        "inputs",
      );
    }
    if (params.index >= inputs.length) {
      throw new InputError(`There is no date ${params.index + 1} of ${inputs.length}`, "index");
    }
    inputs.forEach((input) => {
      if (powerBands(input).length !== powerBands(inputs[0]!).length) {
        throw new InputError("The dates have different polarisations", "inputs");
      }
    });
    return inputs[params.index]!;
  },
  reach: (w, ctx) => withHalo(w, ctx, (ctx.params.windowCells - 1) / 2),
  compute(blocks, out, ctx) {
    const { index, windowCells: size } = ctx.params;
    const h = (size - 1) / 2;
    const w = out.window;
    const mine = ctx.base[index]!;
    mine.bands.forEach((band, k) => {
      if (band.role === "power") {
        const nth = powerBands(mine).indexOf(band);
        multiTemporal(
          blocks.map(
            (block, date) =>
              floats(block)[ctx.base[date]!.bands.indexOf(powerBands(ctx.base[date]!)[nth]!)]!,
          ),
          index,
          w.width,
          w.height,
          size,
          floats(out)[k]!,
        );
        return;
      }
      cutHalo(floats(blocks[index]!)[k]!, w.width + 2 * h, h, w, floats(out)[k]!);
    });
  },
};
const powerBands = (info: ImageInfo) => info.bands.filter((band) => band.role === "power");

const settings = stepSettings({ windowCells });

/** Smooths with the help of all dates. */
export const acrossDates: RadarStep<"acrossDates", yup.InferType<typeof settings>> = {
  key: "acrossDates",
  name: "Across dates",
  help: "Smooths speckle with the help of all dates and keeps each date's own backscatter. Comes after Terrain, where the dates lie on each other.",
  settings,
  graph: [acrossDatesStep],
  joint: true,
  propose: () => ({ on: false, windowCells: 7 }),
  place(row, rows) {
    const own = row.settings.acrossDates;
    const together = rows.filter((one) => one.settings.acrossDates.on && !one.error);
    if (!own.on) {
      row.skip();
    } else if (together.length < 2) {
      row.skip(["Across dates needs two dates or more."]);
    } else {
      row.put(
        node(
          "radar.acrossDates",
          { index: together.indexOf(row), windowCells: own.windowCells },
          ...together.map((one) => one.before),
        ),
      );
    }
  },
  sentence: (own) => `window ${own.windowCells}`,
  shows: ({ cell }) => `${cell.output.inputs.length} dates`,
  fields: () => [WINDOW],
};
