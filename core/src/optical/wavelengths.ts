import type { BandInfo } from "../graph/image";

/**
 * Colours that indices and pictures ask for, with the middle of the band in nanometres and how far
 * a band may lie from it.
 */
export const COLOURS = {
  coastal: [443, 12],
  blue: [485, 28],
  green: [560, 25],
  red: [660, 25],
  redEdge: [720, 28],
  nir: [850, 40],
  swir1: [1610, 70],
  swir2: [2200, 130],
  thermal: [10900, 1500],
} as const;
export type Colour = keyof typeof COLOURS;
const COLOUR_NAMES = [
  "coastal",
  "blue",
  "green",
  "red",
  "redEdge",
  "nir",
  "swir1",
  "swir2",
  "thermal",
] as const satisfies readonly Colour[];

/**
 * The band of an image that comes nearest to a colour, by wavelength and never by its number; −1
 * when none is near enough.
 */
export function bandOfColour(bands: readonly BandInfo[], colour: Colour): number {
  const [middle, reach] = COLOURS[colour];
  let best = -1;
  let least = Infinity;
  bands.forEach((band, i) => {
    const distance =
      band.wavelengthNm === undefined ? Infinity : Math.abs(band.wavelengthNm - middle);
    if (distance <= reach && distance < least) {
      least = distance;
      best = i;
    }
  });
  return best;
}

/** The colour that a band is; null when it is none of them. */
export function colourOf(band: BandInfo): Colour | null {
  const { wavelengthNm } = band;
  if (wavelengthNm === undefined) {
    return null;
  }
  const distance = (colour: Colour) => Math.abs(wavelengthNm - COLOURS[colour][0]);
  const near = COLOUR_NAMES.filter((colour) => distance(colour) <= COLOURS[colour][1]).sort(
    (a, b) => distance(a) - distance(b),
  );
  return near[0] ?? null;
}

/** Ready combinations of three bands as red, green and blue, by colour. */
export const COMBINATIONS: {
  id: string;
  name: string;
  bands: readonly [Colour, Colour, Colour];
  hint: string;
}[] = [
  { id: "natural", name: "Natural", bands: ["red", "green", "blue"], hint: "As the eye sees it" },
  {
    id: "infrared",
    name: "Colour infrared",
    bands: ["nir", "red", "green"],
    hint: "Plants are red",
  },
  {
    id: "shortwave",
    name: "Shortwave",
    bands: ["swir1", "nir", "red"],
    hint: "Wet and dry ground apart; water is dark",
  },
  {
    id: "burn",
    name: "Burn",
    bands: ["swir2", "nir", "green"],
    hint: "Burned ground is red to brown",
  },
];
/** Bands of a combination in an image; null when it lacks one. */
export function bandsOfCombination(
  bands: readonly BandInfo[],
  id: string,
): [number, number, number] | null {
  const c = COMBINATIONS.find((x) => x.id === id);
  const found = c?.bands.map((band) => bandOfColour(bands, band));
  const [red, green, blue] = found ?? [];
  return found?.every((i) => i >= 0) ? [red!, green!, blue!] : null;
}
