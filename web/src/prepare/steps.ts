import { isGeographic } from "@hindglance/core/geodesy/crs";
import { number } from "../lib/format";
import type { Chain, Family } from "@hindglance/core/chain/family";
import type { OpticalChain, OpticalStep } from "@hindglance/core/chain/opticalChain";
import type { ChainStep, RadarChain } from "@hindglance/core/chain/radarChain";
import type { Grid } from "@hindglance/core/grid/grid";

interface Words {
  name: string;
  help: string;
}
/** Names and words of the chains' steps. */
const RADAR_WORDS: Record<ChainStep, Words> = {
  orbit: {
    name: "Orbit",
    help: "Where the satellite flew. An orbit file that is in the study is used by itself; without one the product's own vectors are, some metres less sure.",
  },
  noise: {
    name: "Noise",
    help: "Takes the instrument's thermal noise off with the product's vectors. It matters most over water and in VH.",
  },
  calibrate: {
    name: "Calibrate",
    help: "Digital numbers to backscatter. Beta nought is per slant-range area and what Flatten needs; sigma and gamma nought take a smooth Earth for granted.",
  },
  looks: {
    name: "Looks",
    help: "Means over cells in range and azimuth: less grain, larger cells.",
  },
  speckle: {
    name: "Speckle",
    help: "Smooths the grain of radar images. Compare has a filter of its own; use this one for pictures and time plots.",
  },
  flatten: {
    name: "Flatten",
    help: "Takes the light and shade of slopes out by the area that each cell's ground shows to the beam. Gives gamma nought of terrain.",
  },
  terrain: {
    name: "Terrain",
    help: "Puts the image on the study grid with orbit and elevation. All dates come to lie on the same cells.",
  },
  acrossDates: {
    name: "Across dates",
    help: "Smooths speckle with the help of all dates and keeps each date's own backscatter. Comes after Terrain, where the dates lie on each other.",
  },
  decibel: { name: "Decibel", help: "10·log₁₀ of power for the result. Compare takes either." },
};
/** Product names of the filters. */
export const FILTERS = [
  ["mean", "Mean"],
  ["median", "Median"],
  ["lee", "Lee"],
  ["refinedLee", "Refined Lee"],
  ["gammaMap", "Gamma MAP"],
] as const;

const OPTICAL_WORDS: Record<OpticalStep, Words> = {
  mask: {
    name: "Mask",
    help: "Takes out borders, fill, cloud and its shadow: by the quality band where there is one, by brightness where not. What is masked is not counted.",
  },
  gaps: {
    name: "Scan gaps",
    help: "Fills missing lines inside the frame from a second date, or from their neighbours. A band marks the cells that were filled.",
  },
  reflectance: {
    name: "Reflectance",
    help: "Digital numbers to reflectance at the top of the atmosphere, by the gains of the metadata and the height of the sun.",
  },
  haze: {
    name: "Haze",
    help: "Finds how hazy the air is over each cell, over land and water apart, and takes the haze off by its level. Clear cells stay as they are.",
  },
  surface: {
    name: "Surface",
    help: "Reflectance of the ground: the light that the air adds is taken off, so that dates can be compared.",
  },
  mosaic: {
    name: "Mosaic",
    help: "Frames of one day as one image: light made even inside each, level and contrast brought together, seams feathered.",
  },
  grid: { name: "Study grid", help: "Puts every date on the same cells." },
  indices: {
    name: "Indices",
    help: "Indices and formulas of your own, as bands beside the reflectance. Compare takes any of them.",
  },
};
export const STEP_WORDS: Record<Family, Record<string, Words>> = {
  radar: RADAR_WORDS,
  optical: OPTICAL_WORDS,
};
export const METHODS = [
  ["darkObject", "Dark object"],
  ["cost", "COST"],
  ["empirical", "Empirical"],
] as const;

const gridText = (grid: Grid): string =>
  isGeographic(grid.crs)
    ? `${number(grid.transform[1], 6)}°`
    : `${number(grid.transform[1], grid.transform[1] % 1 ? 1 : 0)} m`;
/** The setting of a step in a few characters. */
export function settingText(family: Family, chain: Chain, step: string): string {
  if (!chain[step]!.on) {
    return "skipped";
  }
  return family === "radar"
    ? radarText(chain as unknown as RadarChain, step as ChainStep)
    : opticalText(chain as unknown as OpticalChain, step as OpticalStep);
}
function radarText(radarChain: RadarChain, s: ChainStep): string {
  switch (s) {
    case "orbit":
      return "from file";
    case "noise":
      return "subtract";
    case "calibrate":
      return `${{ beta: "β⁰", sigma: "σ⁰", gamma: "γ⁰" }[radarChain.calibrate.to]} · ${radarChain.calibrate.polarisations?.join(" ") ?? "all"}`;
    case "looks":
      return `${radarChain.looks.rangeLooks} x ${radarChain.looks.azimuthLooks}`;
    case "speckle":
      return `${FILTERS.find(([k]) => k === radarChain.speckle.filter)![1]}${radarChain.speckle.filter === "refinedLee" ? "" : ` ${radarChain.speckle.windowCells}`}`;
    case "flatten":
      return "terrain γ⁰";
    case "terrain":
      return gridText(radarChain.terrain.grid);
    case "acrossDates":
      return `window ${radarChain.acrossDates.windowCells}`;
    case "decibel":
      return "10·log₁₀";
  }
}
function opticalText(opticalChain: OpticalChain, s: OpticalStep): string {
  switch (s) {
    case "mask":
      return (
        (["cloud", "shadow", "cirrus", "snow", "water"] as const)
          .filter((k) => opticalChain.mask[k])
          .join(", ") || "fill"
      );
    case "gaps":
      return opticalChain.gaps.sceneId ? "other date" : "neighbours";
    case "reflectance":
      return "gains, sun";
    case "haze":
      return opticalChain.haze.strength === 1
        ? "by level"
        : `by level, ${number(opticalChain.haze.strength * 100, 0)} %`;
    case "surface":
      return METHODS.find(([k]) => k === opticalChain.surface.method)![1];
    case "mosaic":
      return (
        [opticalChain.mosaic.inside ? "inside" : "", opticalChain.mosaic.between ? "between" : ""]
          .filter(Boolean)
          .join(", ") || "no tone"
      );
    case "grid":
      return gridText(opticalChain.grid.grid);
    case "indices":
      return opticalChain.indices.outputs.map((output) => output.name).join(", ") || "none";
  }
}
