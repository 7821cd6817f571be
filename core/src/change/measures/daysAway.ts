import { GAIN_COLOR, LOSS_COLOR } from "../colors";
import { type MeasurePart, whenMeasure } from "./measure";
import { AWAY_FIELDS, awayNode, awaySaid, beginAway } from "./normalFields";

const NAME = "Days away from normal";
const HELP =
  "How long a cell was away from its normal: from the first date on which it was to the next that shows it back, or to the last date where none does. 0 where it stayed, and where one date alone shows it away.";
/** Days that divide short from long to begin with. */
const LONG_DAYS = 14;

/** How long each cell was away from its normal. */
export const daysAway: MeasurePart<"daysAway"> = {
  key: "daysAway",
  onPower: { name: NAME, help: HELP },
  onValues: { name: NAME, help: HELP },
  said: (setup) => `days ${awaySaid(setup)}`,
  rank: () => 22,
  unit: { unit: "days", decimals: 1, step: 1 },
  isChance: true,
  ofSeries: true,
  graph: [],
  node: (dates, setup) => awayNode(dates, setup, "days"),
  rules: () => [
    {
      ...{ label: 1, name: `Away up to ${LONG_DAYS} days`, color: GAIN_COLOR },
      all: [
        { layer: "measure", op: ">", value: 0.5 },
        { layer: "measure", op: "<=", value: LONG_DAYS },
      ],
    },
    whenMeasure(2, `Away over ${LONG_DAYS} days`, LOSS_COLOR, ">", LONG_DAYS),
  ],
  presets: [],
  begin: beginAway,
  fields: AWAY_FIELDS,
};
