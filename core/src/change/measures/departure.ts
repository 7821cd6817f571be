import { node } from "../../graph/node";
import { departureStep } from "../../graph/steps/normal";
import { GAIN_COLOR, LOSS_COLOR } from "../colors";
import { type MeasurePart, whenMeasure } from "./measure";
import { SEASON_FIELD, beginNormal, seasonSaid } from "./normalFields";

const NAME = "Departure from normal";
const HELP =
  "How far after lies from what earlier dates, up to before, show of the same place: in deviations that say how seldom normal ground lies as far. 3.3 is one cell in a thousand, 3.9 one in ten thousand.";

/** Deviations that one still cell in some thousand goes beyond on either side. */
const USUAL_LIMIT = 3.5;

/** After against the series' own normal. */
export const departure: MeasurePart<"departure"> = {
  key: "departure",
  onPower: { name: NAME, help: HELP },
  onValues: { name: NAME, help: HELP },
  said: (setup) => `departure from normal${seasonSaid(setup)}`,
  rank: () => 20,
  unit: { unit: "σ", decimals: 1, step: 0.1 },
  isChance: true,
  isTwoSided: true,
  ofSeries: true,
  graph: [departureStep],
  node({ after, series }) {
    const { normal } = series();
    return node("normal.departure", {}, after.db, ...normal);
  },
  rules: () => [
    whenMeasure(1, "Below normal", LOSS_COLOR, "<", -USUAL_LIMIT),
    whenMeasure(2, "Above normal", GAIN_COLOR, ">", USUAL_LIMIT),
  ],
  presets: ["water", "gainLoss"],
  begin: beginNormal,
  fields: [SEASON_FIELD],
};
