import { node } from "../../graph/node";
import { noChangeStep } from "../../graph/steps/noChange";
import { LOSS_COLOR } from "../colors";
import { type MeasurePart, whenMeasure } from "./measure";

const NAME = "No-change probability";

/** How likely it is that a cell is as it was. */
export const noChange: MeasurePart<"noChange"> = {
  key: "noChange",
  onPower: {
    name: NAME,
    help: "How likely it is by all bands together that a cell is as it was before. Near 0 % is change.",
  },
  onValues: {
    name: NAME,
    help: "How likely it is by all bands together that a cell is as it was before. Near 0 % is change; light and air common to the scene do not count.",
  },
  said: () => "no-change probability",
  rank: () => 12,
  unit: { unit: "%", decimals: 1, step: 0.5 },
  several: true,
  isChance: true,
  graph: [noChangeStep],
  node({ several }, { reweighted }) {
    const { before, after } = several("measure");
    return node("change.noChange", { reweighted: reweighted ?? false }, before, after);
  },
  // One chance in twenty.
  rules: () => [whenMeasure(1, "Change", LOSS_COLOR, "<", 5)],
  presets: ["water", "openWater"],
  fields: [
    {
      kind: "choice",
      at: "reweighted",
      label: "Unchanged ground",
      usual: false,
      options: [
        {
          value: false,
          name: "MAD",
          hint: "All cells count alike. Change that covers much of the scene widens what is taken for usual.",
        },
        {
          value: true,
          name: "IR-MAD",
          hint: "Nielsen 2007: cells count by how likely they are unchanged, round by round. Finer; where seasons differ everywhere it can call nearly all of the scene changed.",
        },
      ],
    },
  ],
};
