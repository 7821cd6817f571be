import type { Field } from "../../form/fields";
import { node } from "../../graph/node";
import { AWAY, type AwaySide } from "../../normal/away";
import { number } from "../../text/number";
import type { ChangeSetup } from "../setup";
import type { MeasureDates } from "./measure";

/** Days on either side of the time of year within which dates are normal; the whole year. */
export const WHOLE_YEAR = 183;

/** How much of the year counts as the same time of year. */
export const SEASON_FIELD: Field = {
  ...{ kind: "amount", at: "seasonDays", label: "Same time of year within" },
  name: "Days on either side of the time of year",
  ...{ unit: "days", min: 1, max: WHOLE_YEAR, step: 1, decimals: 0 },
};

/** Deviations that a cell must lie away to have left its normal, where nobody says otherwise. */
export const USUAL_BEYOND = 3.5;
/** The side on which it is looked for then. */
const USUAL_SIDE: AwaySide = "both";

const BEYOND_FIELD: Field = {
  ...{
    kind: "amount",
    at: "awayBeyond",
    label: "Away beyond",
    name: "Deviations beyond which a cell is away",
  },
  ...{ unit: "σ", min: 1, max: 20, step: 0.1, decimals: 1 },
};
const SIDE_FIELD: Field = {
  ...{ kind: "choice", at: "awaySide", label: "Away on", usual: USUAL_SIDE },
  options: [
    { value: "below", name: "Below", hint: "Darker, less: open water, burned or cleared ground" },
    { value: "above", name: "Above", hint: "Brighter, more: growth, flooded plants on radar" },
    { value: "both", name: "Either" },
  ],
};
/** Fields of measures of when and how long cells were away. */
export const AWAY_FIELDS: readonly Field[] = [BEYOND_FIELD, SIDE_FIELD, SEASON_FIELD];

/** What measures of a series begin with. */
export const beginNormal = ({ seasonDays }: ChangeSetup) => ({
  seasonDays: seasonDays ?? WHOLE_YEAR,
});

/** What measures of cells away begin with. */
export const beginAway = (setup: ChangeSetup) => ({
  ...beginNormal(setup),
  ...{ awayBeyond: setup.awayBeyond ?? USUAL_BEYOND, awaySide: setup.awaySide ?? USUAL_SIDE },
});

/** In a sentence, which time of year is normal. */
export const seasonSaid = ({ seasonDays }: ChangeSetup): string =>
  seasonDays && seasonDays < WHOLE_YEAR ? `, within ${seasonDays} days of the time of year` : "";

/** In a sentence, when a cell is away. */
export const awaySaid = (setup: ChangeSetup): string =>
  `away ${number(setup.awayBeyond ?? USUAL_BEYOND, 1)} σ ${SIDES[setup.awaySide ?? USUAL_SIDE]}${seasonSaid(setup)}`;
const SIDES: Record<AwaySide, string> = {
  below: "below normal",
  above: "above normal",
  both: "to either side of normal",
};

/** The node of one thing that is known of cells which left their normal. */
export function awayNode({ series }: MeasureDates, setup: ChangeSetup, what: keyof typeof AWAY) {
  const { normal, watched } = series();
  const params = {
    normal: normal.length,
    days: watched.map(({ day }) => day),
    beyond: setup.awayBeyond ?? USUAL_BEYOND,
    side: setup.awaySide ?? USUAL_SIDE,
  };
  const dates = [...normal, ...watched.map((one) => one.node)];
  return node("bands.select", { bands: [AWAY[what]] }, node("normal.away", params, ...dates));
}
