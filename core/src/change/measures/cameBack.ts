import { GAIN_COLOR, LOSS_COLOR } from "../colors";
import { type MeasurePart, whenMeasure } from "./measure";
import { AWAY_FIELDS, awayNode, awaySaid, beginAway } from "./normalFields";

const NAME = "Back to normal";
const HELP =
  "Of cells that left their normal after before: 1 where a later date shows them back, 0 where none does yet. Cells that stayed have no value.";

/** Whether cells that left their normal came back. */
export const cameBack: MeasurePart<"cameBack"> = {
  key: "cameBack",
  onPower: { name: NAME, help: HELP },
  onValues: { name: NAME, help: HELP },
  said: (setup) => `whether cells came back that were ${awaySaid(setup)}`,
  rank: () => 23,
  unit: { unit: "", decimals: 1, step: 0.1 },
  isChance: true,
  ofSeries: true,
  graph: [],
  node: (dates, setup) => awayNode(dates, setup, "back"),
  rules: () => [
    whenMeasure(1, "Still away", LOSS_COLOR, "<", 0.5),
    whenMeasure(2, "Back to normal", GAIN_COLOR, ">", 0.5),
  ],
  presets: [],
  begin: beginAway,
  fields: AWAY_FIELDS,
};
