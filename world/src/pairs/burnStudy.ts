import { emptyValueSetup } from "@hindglance/core/change/defaults";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapAsk, firstMapOf } from "@hindglance/core/change/firstMap/sampling";
import { severityRules } from "@hindglance/core/change/presets";
import { OPTICAL_SIDE, OPTICAL_WIDE, type OpticalWeather, burnedShare } from "./burns";
import { USUAL_GROUND } from "./catalogue";
import { GROUND_SIDE, type Landscape } from "./landscape";
import { OpticalPair, type OpticalScore } from "./opticalPair";

/** A pair of optical dates, and whether anything burned between them. */
export interface BurnPair {
  name: string;
  happened: boolean;
  weather: OpticalWeather;
}

const FIRE = { burnKm: 1.6 };

/** Pairs with a fire and without one. */
export const BURN_PAIRS: readonly BurnPair[] = [
  { name: "fire", happened: true, weather: { seed: 1, ...FIRE } },
  {
    name: "fire beside harvested fields",
    happened: true,
    weather: { seed: 2, ...FIRE, harvested: 0.5 },
  },
  {
    name: "fire, plants drier all over",
    happened: true,
    weather: { seed: 3, ...FIRE, season: 0.8 },
  },
  {
    name: "fire, haze after",
    happened: true,
    weather: { seed: 4, ...FIRE, haze: 0.05, harvested: 0.2 },
  },
  { name: "fire, shadows of clouds", happened: true, weather: { seed: 5, ...FIRE, shadows: true } },
  { name: "nothing burned", happened: false, weather: { seed: 6 } },
  { name: "harvest", happened: false, weather: { seed: 7, harvested: 0.6 } },
  { name: "a dry season", happened: false, weather: { seed: 8, season: 0.7 } },
  { name: "a green season", happened: false, weather: { seed: 9, season: 1.3 } },
  { name: "haze", happened: false, weather: { seed: 10, haze: 0.07 } },
  { name: "shadows of clouds", happened: false, weather: { seed: 11, shadows: true } },
];

/** Share of char from which a cell counts as burned. */
const BURNED = 0.2;
/** Labels of the severities. */
const SEVERITIES: readonly number[] = [1, 2, 3, 4];

/** Maps a pair by the published breaks alone, and by its first map. */
export async function burnMaps(
  ground: Landscape,
  { weather }: BurnPair,
): Promise<{ plain: OpticalScore; score: OpticalScore; first: FirstMap }> {
  const nbr = { name: "NBR", formula: "(nir - swir2) / (nir + swir2)" };
  const pair = await OpticalPair.of(ground, weather, nbr);
  const { bands } = pair.inputs.before.info;
  const start = emptyValueSetup(bands, { hazard: "fire", hasStudyArea: false });
  const first = await firstMapOf(pair.evaluator, firstMapAsk(pair.inputs, start));
  const isBurned = (i: number): boolean => {
    const row = Math.floor(i / OPTICAL_SIDE) * OPTICAL_WIDE + 1;
    const col = (i % OPTICAL_SIDE) * OPTICAL_WIDE + 1;
    return burnedShare(ground, weather, row * GROUND_SIDE + col) > BURNED;
  };
  const scored = (setup: typeof start) =>
    pair.score(setup, (label) => SEVERITIES.includes(label), isBurned);
  return {
    plain: await scored({ ...start, rules: severityRules() }),
    score: await scored(withFirstMap(start, first)),
    first,
  };
}

/** The ground that burns, and what grows on it. */
export const BURN_GROUND = { ...USUAL_GROUND, floodM: 0 };
