import { buildChange } from "@hindglance/core/change/build";
import { emptyValueSetup } from "@hindglance/core/change/defaults";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapAsk, firstMapOf } from "@hindglance/core/change/firstMap/sampling";
import { severityRules } from "@hindglance/core/change/presets";
import type { ChangeInputs } from "@hindglance/core/change/setup";
import { utm } from "@hindglance/core/geodesy/crs";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { node, sourceNode } from "@hindglance/core/graph/node";
import { fullWindow, northUp } from "@hindglance/core/grid/grid";
import { CLASS_NODATA, labelCells } from "@hindglance/core/raster/block";
import { memorySources } from "@hindglance/core/testing/support";
import {
  OPTICAL_BANDS,
  OPTICAL_SIDE,
  OPTICAL_WIDE,
  type OpticalWeather,
  burnedShare,
  opticalBands,
} from "./burns";
import { USUAL_GROUND } from "./catalogue";
import { GROUND_CELL, GROUND_SIDE, type Landscape } from "./landscape";

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

const CELL_M = GROUND_CELL * OPTICAL_WIDE;
/** Share of char from which a cell counts as burned. */
const BURNED = 0.2;
/** Labels of the severities. */
const SEVERITIES: readonly number[] = [1, 2, 3, 4];

/** How a map of a burn agrees with what burned. */
export interface BurnScore {
  iou: number | null;
  falseIn100: number;
}

const rounded = (value: number): number => Math.round(value * 1e4) / 1e4;

function scoreOf(labels: Uint8Array, isBurned: (i: number) => boolean): BurnScore {
  let both = 0;
  let wrong = 0;
  let there = 0;
  let seen = 0;
  labels.forEach((label, i) => {
    if (label !== CLASS_NODATA) {
      const isSaid = SEVERITIES.includes(label);
      seen++;
      there += isBurned(i) ? 1 : 0;
      both += isSaid && isBurned(i) ? 1 : 0;
      wrong += isSaid && !isBurned(i) ? 1 : 0;
    }
  });
  return {
    iou: there ? rounded(both / (there + wrong)) : null,
    falseIn100: rounded((100 * wrong) / seen),
  };
}

/** Maps a pair by the published breaks alone, and by its first map. */
export async function burnMaps(
  ground: Landscape,
  { weather }: BurnPair,
): Promise<{ plain: BurnScore; score: BurnScore; first: FirstMap }> {
  const grid = northUp(
    utm(27, true),
    500_000,
    5_170_000,
    CELL_M,
    CELL_M,
    OPTICAL_SIDE,
    OPTICAL_SIDE,
  );
  const info: ImageInfo = {
    grid,
    type: "float32",
    bands: OPTICAL_BANDS.map(({ name, nm }) => ({
      name,
      unit: "",
      role: "reflectance",
      wavelengthNm: nm,
    })),
  };
  const evaluator = new Evaluator({
    sources: memorySources({
      before: { info, bands: opticalBands(ground, weather, false) },
      after: { info, bands: opticalBands(ground, weather, true) },
    }),
  });
  const side = async (id: string) => {
    const outputs = [{ name: "NBR", formula: "(nir - swir2) / (nir + swir2)" }];
    const prepared = node("optical.indices", { outputs, keep: true }, sourceNode(id));
    return { node: prepared, info: await evaluator.info(prepared) };
  };
  const inputs: ChangeInputs = {
    before: await side("before"),
    after: await side("after"),
    elevation: null,
    studyArea: null,
  };
  const start = emptyValueSetup(inputs.before.info.bands, { hazard: "fire", hasStudyArea: false });
  const first = await firstMapOf(evaluator, firstMapAsk(inputs, start));
  const isBurned = (i: number): boolean => {
    const row = Math.floor(i / OPTICAL_SIDE) * OPTICAL_WIDE + 1;
    const col = (i % OPTICAL_SIDE) * OPTICAL_WIDE + 1;
    return burnedShare(ground, weather, row * GROUND_SIDE + col) > BURNED;
  };
  const scored = async (setup: typeof start) => {
    const { classes } = buildChange(inputs, setup);
    const { bands } = await evaluator.read(classes, 0, fullWindow(grid));
    return scoreOf(labelCells(bands[0]!), isBurned);
  };
  return {
    plain: await scored({ ...start, rules: severityRules() }),
    score: await scored(withFirstMap(start, first)),
    first,
  };
}

/** The ground that burns, and what grows on it. */
export const BURN_GROUND = { ...USUAL_GROUND, floodM: 0 };
