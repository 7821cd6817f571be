import type { BandInfo } from "@hindglance/core/graph/image";
import { SEVERITY_BREAKS } from "@hindglance/core/change/presets";

export interface Ramp {
  id: string;
  name: string;
  stops: readonly string[];
  /** Spread evenly about zero. */ centred?: boolean;
}
/**
 * Ramps of even steps in lightness, readable for colour-blind people; stops lie at equal distances.
 */
export const RAMPS: readonly Ramp[] = [
  { id: "grey", name: "Grey", stops: ["#000000", "#ffffff"] },
  {
    id: "greenness",
    name: "Bare to green",
    stops: ["#f1e6cf", "#d5c58a", "#a3b06a", "#5f8f57", "#25643f", "#0b3a2a"],
  },
  {
    id: "burn",
    name: "Burned to green",
    stops: ["#3b0f2b", "#8a3a3f", "#c98a4f", "#eee0b6", "#8fb07a", "#2f6a4c"],
  },
  {
    id: "moisture",
    name: "Dry to wet",
    stops: ["#f3e3bd", "#d8d3b0", "#a5c3bf", "#5f9dbd", "#2d67a0", "#142f63"],
  },
  {
    id: "heat",
    name: "Dark to bright",
    stops: ["#120f2d", "#51256b", "#a13a63", "#e0683f", "#f2ad4e", "#fbf3c3"],
  },
  { id: "height", name: "Height", stops: ["#1c3d3a", "#3f6b56", "#8a9a6a", "#c9b78d", "#f3eee2"] },
  {
    id: "lossgain",
    name: "Loss to gain",
    stops: ["#7a3a0e", "#c98d52", "#f4f0e6", "#74b3a8", "#14584f"],
    centred: true,
  },
];

/** A ramp by its name; the first where there is none such. */
export const rampById = (id: string): Ramp => RAMPS.find((ramp) => ramp.id === id) ?? RAMPS[0]!;

/** The ramp that a band is shown in when nobody has chosen one. */
export function rampFor(band: BandInfo): string {
  const n = band.name.toLowerCase();
  if (band.role === "elevation") {
    return "height";
  }
  if (band.role === "haze") {
    return "heat";
  }
  if (band.role !== "value") {
    return "grey";
  }
  if (/nbr/.test(n)) {
    return "burn";
  }
  if (/ndwi|mndwi|ndmi|water|wet/.test(n)) {
    return "moisture";
  }
  if (/ndvi|evi|savi|green/.test(n)) {
    return "greenness";
  }
  return "grey";
}

const channels = (hex: string): number[] => [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16));
/** Colour of a ramp at t, 0 to 1, as #rrggbb. */
export function colourAt(ramp: Ramp, t: number): string {
  const x = Math.max(0, Math.min(1, t)) * (ramp.stops.length - 1);
  const k = Math.min(ramp.stops.length - 2, Math.floor(x));
  const a = channels(ramp.stops[k]!);
  const b = channels(ramp.stops[k + 1]!);
  return `#${a
    .map((value, i) =>
      Math.round(value + (b[i]! - value) * (x - k))
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;
}

/**
 * Break points with names: values below the first have the first name. `names` has one more than
 * `at`.
 */
export interface Breaks {
  at: number[];
  names: string[];
}
/** Breaks that the trade uses for an index, as a start; null where there are none. */
export function usualBreaks(band: BandInfo): Breaks | null {
  const n = band.name.toLowerCase();
  if (n === "dnbr") {
    return {
      at: [
        SEVERITY_BREAKS.low,
        SEVERITY_BREAKS.moderateLow,
        SEVERITY_BREAKS.moderateHigh,
        SEVERITY_BREAKS.high,
      ],
      names: ["Unburned", "Low", "Moderate to low", "Moderate to high", "High"],
    };
  }
  if (/evi/.test(n)) {
    return { at: [0.2], names: ["Bare", "Vegetated"] };
  }
  if (/ndvi|savi/.test(n)) {
    return { at: [0.3], names: ["Bare", "Vegetated"] };
  }
  if (/ndwi/.test(n)) {
    return { at: [0], names: ["Land", "Water"] };
  }
  return null;
}

/** Colours between break points, spread over a ramp. */
export const breakColours = (breaks: Breaks, ramp: Ramp): string[] =>
  breaks.names.map((_n, k) =>
    colourAt(ramp, breaks.names.length === 1 ? 0.5 : k / (breaks.names.length - 1)),
  );
