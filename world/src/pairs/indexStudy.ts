import { emptyValueSetup } from "@hindglance/core/change/defaults";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapAsk, firstMapOf } from "@hindglance/core/change/firstMap/sampling";
import { type OpticalWeather, isHarvested } from "./burns";
import { USUAL_GROUND } from "./catalogue";
import { type Landscape, landscapeOf } from "./landscape";
import { OpticalPair, type OpticalScore, groundUnder } from "./opticalPair";

/** A pair of optical dates that an index is compared of. */
export interface IndexPair {
  name: string;
  index: keyof typeof INDICES;
  happened: boolean;
  weather: OpticalWeather;
}

/** Indices, the hazard whose study begins with them, the label that is looked at, and what it says. */
const INDICES = {
  greenness: {
    output: { name: "NDVI", formula: "(nir - red) / (nir + red)" },
    hazard: "landCover",
    label: 1,
    happened: isHarvested,
  },
  water: {
    output: { name: "NDWI", formula: "(green - nir) / (green + nir)" },
    hazard: "flood",
    label: 1,
    happened: (ground: Landscape, { flooded }: OpticalWeather, i: number) =>
      !!flooded && ground.flooded[i] === 1 && ground.water[i] === 0,
  },
} as const;

const STILL: readonly { name: string; weather: OpticalWeather }[] = [
  { name: "nothing happened", weather: { seed: 21 } },
  { name: "a dry season", weather: { seed: 22, season: 0.7 } },
  { name: "a green season", weather: { seed: 23, season: 1.3 } },
  { name: "haze", weather: { seed: 24, haze: 0.07 } },
  { name: "shadows of clouds", weather: { seed: 25, shadows: true } },
];

/** Pairs with a harvest or a flood, and without. */
export const INDEX_PAIRS: readonly IndexPair[] = [
  {
    name: "greenness: harvest",
    index: "greenness",
    happened: true,
    weather: { seed: 26, harvested: 0.4 },
  },
  {
    name: "greenness: harvest in a dry season",
    index: "greenness",
    happened: true,
    weather: { seed: 27, harvested: 0.3, season: 0.8 },
  },
  {
    name: "greenness: harvest, haze after",
    index: "greenness",
    happened: true,
    weather: { seed: 28, harvested: 0.3, haze: 0.05 },
  },
  { name: "water: flood", index: "water", happened: true, weather: { seed: 29, flooded: true } },
  {
    name: "water: flood in a green season",
    index: "water",
    happened: true,
    weather: { seed: 30, flooded: true, season: 1.2 },
  },
  {
    name: "water: flood beside harvested fields",
    index: "water",
    happened: true,
    weather: { seed: 31, flooded: true, harvested: 0.5 },
  },
  ...(["greenness", "water"] as const).flatMap((index) =>
    STILL.map(({ name, weather }) => ({
      name: `${index}: ${name}`,
      index,
      happened: false,
      weather,
    })),
  ),
  {
    name: "water: harvest",
    index: "water",
    happened: false,
    weather: { seed: 32, harvested: 0.6 },
  },
];

/** A landscape with a flood, on which the pairs lie. */
export const indexGround = (): Landscape => landscapeOf(USUAL_GROUND);

/** The first map of a pair, untouched, against what happened. */
export async function indexMap(
  ground: Landscape,
  { index, weather }: IndexPair,
): Promise<{ score: OpticalScore; first: FirstMap }> {
  const { output, hazard, label, happened } = INDICES[index];
  const pair = await OpticalPair.of(ground, weather, output);
  const start = emptyValueSetup(pair.inputs.before.info.bands, { hazard, hasStudyArea: false });
  const first = await firstMapOf(pair.evaluator, firstMapAsk(pair.inputs, start));
  const isReal = (i: number): boolean => {
    const cells = groundUnder(i);
    return 2 * cells.filter((k) => happened(ground, weather, k)).length > cells.length;
  };
  const score = await pair.score(withFirstMap(start, first), (said) => said === label, isReal);
  return { score, first };
}
