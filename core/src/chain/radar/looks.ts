import * as yup from "yup";
import { InputError } from "../../errors";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { floats, requireRole } from "../../graph/steps/common";
import { multilook } from "../../radar/multilook";
import { whole, stepSettings } from "../settings";
import type { RadarStep } from "./family";

const counts = { rangeLooks: whole(1, 32), azimuthLooks: whole(1, 32) };
const looksStep: Step<{ rangeLooks: number; azimuthLooks: number }> = {
  kind: "radar.looks",
  version: 1,
  title: "Looks",
  help: "Means of power over cells in range and azimuth: less grain, larger cells.",
  inputs: { min: 1, max: 1 },
  params: yup.object(counts).noUnknown(),
  describe([info], params) {
    requireRole("Looks", info!, ["power"], "looks are means of power.");
    const transform = info!.grid.transform;
    const width = Math.floor(info!.grid.width / params.rangeLooks);
    const height = Math.floor(info!.grid.height / params.azimuthLooks);
    if (width < 1 || height < 1) {
      throw new InputError("There are more looks than cells", "rangeLooks");
    }
    return {
      ...info!,
      grid: {
        ...info!.grid,
        transform: [
          transform[0],
          transform[1] * params.rangeLooks,
          transform[2] * params.azimuthLooks,
          transform[3],
          transform[4] * params.rangeLooks,
          transform[5] * params.azimuthLooks,
        ],
        width,
        height,
      },
    };
  },
  reach: (w, ctx) => [
    {
      level: ctx.level,
      window: {
        col: w.col * ctx.params.rangeLooks,
        row: w.row * ctx.params.azimuthLooks,
        width: w.width * ctx.params.rangeLooks,
        height: w.height * ctx.params.azimuthLooks,
      },
    },
  ],
  compute([block], out, { params }) {
    floats(block!).forEach((b, i) =>
      multilook(
        b,
        out.window.width,
        out.window.height,
        params.rangeLooks,
        params.azimuthLooks,
        floats(out)[i]!,
      ),
    );
  },
};

const settings = stepSettings({ ...counts });

/** Means over cells in range and azimuth. */
export const looks: RadarStep<"looks", yup.InferType<typeof settings>> = {
  key: "looks",
  name: "Looks",
  help: "Means over cells in range and azimuth: less grain, larger cells.",
  settings,
  graph: [looksStep],
  propose: ({ rangeLooks, azimuthLooks }) => ({
    on: rangeLooks * azimuthLooks > 1,
    rangeLooks,
    azimuthLooks,
  }),
  place(row) {
    const { on: runs, rangeLooks, azimuthLooks } = row.settings.looks;
    if (runs) {
      row.put(node("radar.looks", { rangeLooks, azimuthLooks }, row.before));
    } else {
      row.skip();
    }
  },
  looks: (own) => [own.rangeLooks, own.azimuthLooks],
  sentence: (own) => `${own.rangeLooks} x ${own.azimuthLooks}`,
  shows({ info }) {
    const { transform } = info.grid;
    const across = +(info.sensor!.sampleSpacingM * transform[1]).toFixed(1);
    const along = +(info.sensor!.lineSpacingM * transform[5]).toFixed(1);
    return `${across} x ${along} m`;
  },
  fields: () => [
    { kind: "number", at: "rangeLooks", label: "In range", name: "Looks in range", step: 1 },
    { kind: "number", at: "azimuthLooks", label: "In azimuth", name: "Looks in azimuth", step: 1 },
  ],
};
