import type { Instrument, Weather } from "./images";
import type { LandscapeKind } from "./landscape";

/** A pair of radar dates, what really happened between them, and other dates of the study. */
export interface MadePair {
  name: string;
  ground: Partial<LandscapeKind>;
  before: Partial<Weather>;
  after: Partial<Weather>;
  /** Earlier dates. */
  others?: Partial<Weather>[];
  instrument?: Partial<Instrument>;
  /** Only VV was taken. */
  single?: boolean;
  /** Part of the scene that is looked at: column, row, width and height in image cells. */
  area?: readonly [number, number, number, number];
  noElevation?: boolean;
}

export const USUAL_GROUND: LandscapeKind = {
  seed: 3,
  river: true,
  lake: true,
  hillsM: 130,
  sand: true,
  roughness: 1,
  plants: true,
  floodM: 1.5,
  floodReachKm: 4.5,
};
export const USUAL_INSTRUMENT: Instrument = {
  looks: 4.4,
  incidenceDeg: 38,
  from: "east",
  lit: false,
};

const FLOOD = { flooded: true };
const BARE: Partial<LandscapeKind> = { river: false, lake: false, floodM: 0, hillsM: 260 };

/** Pairs in which something happened. */
const WITH: MadePair[] = [
  { name: "easy flood", ground: { roughness: 0.15, plants: false }, before: {}, after: FLOOD },
  { name: "flood with ragged banks", ground: {}, before: {}, after: FLOOD },
  {
    name: "flood, other ground, the other pass, slopes lit",
    ground: { seed: 11 },
    before: {},
    after: FLOOD,
    instrument: { from: "west", lit: true, incidenceDeg: 34 },
  },
  {
    name: "flood of a thousandth of the scene",
    ground: { floodReachKm: 0.12, floodM: 0.9 },
    before: {},
    after: FLOOD,
  },
  {
    name: "flood of 60 %",
    ground: { floodM: 60, floodReachKm: 9, hillsM: 30 },
    before: {},
    after: FLOOD,
  },
  {
    name: "flood, wet soil after",
    ground: { seed: 5 },
    before: {},
    after: { ...FLOOD, wetDb: 2.5 },
  },
  {
    name: "flood, noise that fluctuates",
    ground: {},
    before: { noiseDb: -22, noiseErrorDb: 1 },
    after: { ...FLOOD, noiseDb: -22, noiseErrorDb: 1 },
  },
  {
    name: "flood, fields worked between",
    ground: { seed: 7 },
    before: {},
    after: { ...FLOOD, worked: 0.35 },
  },
  {
    name: "flood, wind on the after date",
    ground: {},
    before: {},
    after: { ...FLOOD, windDb: 3 },
  },
  {
    name: "flood, wind on the before date, an earlier date calm",
    ground: {},
    before: { windDb: 8 },
    after: FLOOD,
    others: [{}],
  },
  {
    name: "flood, few looks",
    ground: { seed: 13 },
    before: {},
    after: FLOOD,
    instrument: { looks: 1.5 },
  },
  {
    name: "flood, VV alone, no elevation",
    ground: { seed: 3 },
    before: {},
    after: FLOOD,
    single: true,
    noElevation: true,
  },
  {
    name: "flood, small study area",
    ground: {},
    before: {},
    after: FLOOD,
    area: [230, 230, 140, 140],
  },
];

/** Pairs in which no water came or went. */
const WITHOUT: MadePair[] = [
  { name: "nothing happened, much water", ground: { floodM: 0 }, before: {}, after: {} },
  {
    name: "nothing happened, hills without water",
    ground: BARE,
    before: {},
    after: {},
    instrument: { lit: true },
  },
  {
    name: "wind on the before date, earlier dates calm",
    ground: { floodM: 0 },
    before: { windDb: 9 },
    after: {},
    others: [{}, {}],
  },
  {
    name: "wind on the before date, no other date",
    ground: { floodM: 0 },
    before: { windDb: 9 },
    after: {},
  },
  {
    name: "wind on the before date, VV alone, an earlier date",
    ground: { floodM: 0 },
    before: { windDb: 9 },
    after: {},
    others: [{}],
    single: true,
  },
  {
    name: "wind on the before date, VV alone, nothing to tell it",
    ground: { floodM: 0 },
    before: { windDb: 9 },
    after: {},
    single: true,
  },
  { name: "wind on the after date", ground: { floodM: 0 }, before: {}, after: { windDb: 9 } },
  { name: "wet soil before", ground: { floodM: 0 }, before: { wetDb: 3.5 }, after: {} },
  {
    name: "wet snow after",
    ground: { floodM: 0, hillsM: 300 },
    before: {},
    after: { wetSnow: { fromM: 80, db: 4.5 } },
  },
  {
    name: "snow melt: wet snow before",
    ground: { floodM: 0, hillsM: 300 },
    before: { wetSnow: { fromM: 80, db: 4.5 } },
    after: {},
  },
  { name: "harvest", ground: { floodM: 0, seed: 9 }, before: {}, after: { worked: 0.6 } },
  {
    name: "noise that fluctuates",
    ground: { floodM: 0 },
    before: { noiseDb: -22, noiseErrorDb: 1 },
    after: { noiseDb: -22, noiseErrorDb: 1 },
  },
  { name: "few looks", ground: { floodM: 0 }, before: {}, after: {}, instrument: { looks: 1.5 } },
  {
    name: "small study area on a lake",
    ground: { floodM: 0 },
    before: {},
    after: {},
    area: [410, 60, 110, 110],
  },
  {
    name: "small study area on dry hills",
    ground: BARE,
    before: {},
    after: {},
    area: [200, 100, 110, 110],
  },
];

export const MADE_PAIRS: readonly (MadePair & { happened: boolean })[] = [
  ...WITH.map((pair) => ({ ...pair, happened: true })),
  ...WITHOUT.map((pair) => ({ ...pair, happened: false })),
];
