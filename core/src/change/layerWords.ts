import type { Layer } from "./rules";

/** What a layer is counted in: the unit of the bands, of the measure, or one of its own. */
export type LayerScale =
  "bands" | "measure" | "degrees" | "metres" | "labels" | "reflectance" | "second";

interface LayerWords {
  /** What it is called in a sentence. */
  word: string;
  scale: LayerScale;
  /** What it is, where its name alone does not say it. */
  meaning?: string;
}

const near = (which: string, what: string) =>
  `The ${which} of the means of 3 × 3 cells that lie within one cell of here: ${what}.`;

/** The layers that rules can ask for, in words. */
export const LAYER_WORDS: Readonly<Record<Layer, LayerWords>> = {
  before: { word: "before", scale: "bands" },
  after: { word: "after", scale: "bands" },
  measure: { word: "change", scale: "measure" },
  slope: { word: "slope", scale: "degrees" },
  elevation: { word: "elevation", scale: "metres" },
  drainage: { word: "height above drainage", scale: "metres" },
  cover: { word: "land cover", scale: "labels" },
  beforeNear: { word: "before nearby", scale: "bands", meaning: near("lowest", "before") },
  afterNear: { word: "after nearby", scale: "bands", meaning: near("lowest", "after") },
  measureNear: { word: "change nearby", scale: "measure", meaning: near("lowest", "change") },
  measurePeak: {
    word: "highest change nearby",
    scale: "measure",
    meaning: near("highest", "change"),
  },
  measureWide: {
    word: "change around",
    scale: "measure",
    meaning: "The mean change of the 5 × 5 cells around.",
  },
  crossBefore: {
    word: "other polarisation before",
    scale: "bands",
    meaning: "The other polarisation before, with the same speckle filter.",
  },
  crossAfter: {
    word: "other polarisation after",
    scale: "bands",
    meaning: "The other polarisation after, with the same speckle filter.",
  },
  apart: {
    word: "change beyond the other polarisation",
    scale: "bands",
    meaning:
      "After − before, less after − before of the other polarisation; mean of the 5 × 5 cells around.",
  },
  redChange: {
    word: "change of red",
    scale: "reflectance",
    meaning: "After − before of the reflectance in red, 0 to 1.",
  },
  nirChange: {
    word: "change of near infrared",
    scale: "reflectance",
    meaning: "After − before of the reflectance in near infrared, 0 to 1.",
  },
  swirChange: {
    word: "change of shortwave infrared",
    scale: "reflectance",
    meaning: "After − before of the reflectance in shortwave infrared about 2.2 µm, 0 to 1.",
  },
  secondBefore: {
    word: "second sensor before",
    scale: "second",
    meaning:
      "What the second sensor saw near before; a condition does not hold where it saw nothing.",
  },
  secondAfter: {
    word: "second sensor after",
    scale: "second",
    meaning:
      "What the second sensor saw near after; a condition does not hold where it saw nothing.",
  },
  secondChange: {
    word: "change of second sensor",
    scale: "second",
    meaning:
      "After − before of what the second sensor saw; a condition does not hold where it saw nothing on either.",
  },
};
