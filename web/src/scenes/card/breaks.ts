import type { Scene } from "../../api/types";
import { type Breaks, usualBreaks } from "../../map/ramps";
import { type Display, stretchOf } from "../display";

/** Classes that break points can make at most. */
export const MOST_CLASSES = 9;

const hundredths = (value: number): number => Math.round(value * 100) / 100;

/** Break points to begin with: what is usual for the band, else two classes about its middle. */
export function firstBreaks(scene: Scene, display: Display): Breaks {
  const { bands } = scene.info!;
  const usual = usualBreaks(bands[Math.min(display.bands[0], bands.length - 1)]!);
  if (usual) {
    return usual;
  }
  const { lo, hi } = stretchOf(scene, display.bands[0], "p2");
  return { at: [hundredths((lo + hi) / 2)], names: ["Low", "High"] };
}

/** The same with another name for a class. */
export const renamed = (breaks: Breaks, index: number, name: string): Breaks => ({
  ...breaks,
  names: breaks.names.map((old, k) => (k === index ? name : old)),
});

/** The same with one point elsewhere; points stay in order. */
export const moved = (breaks: Breaks, index: number, value: number): Breaks => ({
  ...breaks,
  at: breaks.at.map((old, k) => (k === index ? value : old)).sort((a, b) => a - b),
});

/** The same without a class and its upper end; the last class goes with its lower end. */
export const without = (breaks: Breaks, index: number): Breaks => ({
  at: breaks.at.filter((_value, k) => k !== Math.min(index, breaks.at.length - 1)),
  names: breaks.names.filter((_name, k) => k !== index),
});

/** The same with one more class above. */
export const extended = (breaks: Breaks): Breaks => ({
  at: [...breaks.at, hundredths(breaks.at.at(-1)! + 0.1)],
  names: [...breaks.names, `Class ${breaks.names.length + 1}`],
});
