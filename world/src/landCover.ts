import type { Grid } from "@hindglance/core/grid/grid";
import { COVER, type Ground, HEIGHT, WIDTH } from "./ground";
import { PER, opticalGrid } from "./optical/ground";
import { generator, hash2, noise } from "./random";
import { polygonOf } from "./vectors";

/** The legend of the basin: what a cover is called, and how it is drawn. */
export const LEGEND = [
  { cover: COVER.water, name: "Water", color: "#33498c" },
  { cover: COVER.reed, name: "Reeds", color: "#2a8f84" },
  { cover: COVER.pasture, name: "Pasture", color: "#a9bf5f" },
  { cover: COVER.crop, name: "Crop", color: "#e0b04f" },
  { cover: COVER.heath, name: "Heath", color: "#a8739c" },
  { cover: COVER.wood, name: "Wood", color: "#2f6b45" },
  { cover: COVER.town, name: "Town", color: "#b9562b" },
] as const;

/** The basin with its hills, in kilometres east and south of the north-west corner. */
export const BASIN_AREA: [number, number][] = [
  [7.1, 14.6],
  [10.4, 14.1],
  [13.8, 14.7],
  [13.7, 18.2],
  [10.4, 18.5],
  [7.2, 18.1],
];

/** The study area of the basin as GeoJSON. */
export const basinAreaGeoJson = () => ({
  type: "Feature",
  properties: { name: "Quill Basin" },
  geometry: polygonOf(BASIN_AREA),
});

/** Most frequent cover of each optical cell; of equals the one with the lower number. */
export function coverOnGrid(fine: Uint8Array): Uint8Array {
  const grid = opticalGrid();
  const out = new Uint8Array(grid.width * grid.height);
  const votes = new Uint8Array(16);
  for (let i = 0; i < out.length; i++) {
    votes.fill(0);
    const col = (i % grid.width) * PER;
    const row = Math.floor(i / grid.width) * PER;
    for (let k = 0; k < PER * PER; k++) {
      votes[fine[(row + Math.floor(k / PER)) * WIDTH + col + (k % PER)]!]!++;
    }
    out[i] = votes.indexOf(Math.max(...votes));
  }
  return out;
}

/** An area that somebody knows: what stands there now, and what stood there in 2019. */
export interface KnownArea {
  now: string;
  then: string;
  /** Corners in kilometres. */
  ring: [number, number][];
}

const nameOf = (cover: number): string => LEGEND.find((one) => one.cover === cover)!.name;
/** The smallest and the largest distance of a corner from the middle, kilometres. */
const CORNERS = { near: 0.05, far: 0.09 };
const MOST_TRIES = 60_000;

/** Corners about a place, as a hand sets them: five to seven, none quite as far out as another. */
function ringAbout(x: number, y: number, random: () => number): [number, number][] {
  const corners = 5 + Math.floor(random() * 3);
  return Array.from({ length: corners }, (_v, k): [number, number] => {
    const angle = ((k + 0.3 * random()) / corners) * 2 * Math.PI;
    const distance = CORNERS.near + (CORNERS.far - CORNERS.near) * random();
    return [x + distance * Math.cos(angle), y + 0.85 * distance * Math.sin(angle)];
  });
}

/** Whether all ground within the farthest corner of a place is of one cover on both dates. */
function isEven(ground: Ground, x: number, y: number): boolean {
  const reach = Math.ceil((CORNERS.far + 0.03) * 100);
  const col = Math.round(x * 100);
  const row = Math.round(y * 100);
  if (col < reach || row < reach || col >= WIDTH - reach || row >= HEIGHT - reach) {
    return false;
  }
  const middle = row * WIDTH + col;
  for (let r = row - reach; r <= row + reach; r++) {
    for (let i = r * WIDTH + col - reach; i <= r * WIDTH + col + reach; i++) {
      if (
        ground.cover[i] !== ground.cover[middle] ||
        ground.coverThen[i] !== ground.coverThen[middle]
      ) {
        return false;
      }
    }
  }
  return true;
}

const isApart = (areas: readonly KnownArea[], x: number, y: number): boolean =>
  areas.every(({ ring }) => Math.hypot(ring[0]![0] - x, ring[0]![1] - y) > 2.8 * CORNERS.far);

/**
 * Areas of even ground in and around the basin that do not touch each other.
 * @param kinds what is looked for, by pairs of covers now and then, and how many of each
 * @param taken areas that have their place already
 */
function areasOf(
  ground: Ground,
  kinds: readonly { now: number; then: number; count: number }[],
  { seed, taken }: { seed: number; taken: readonly KnownArea[] },
): KnownArea[] {
  const random = generator(seed);
  const found: KnownArea[] = [];
  for (const { now, then, count } of kinds) {
    let left = count;
    for (let tries = 0; left > 0 && tries < MOST_TRIES; tries++) {
      const x = 7.3 + 6.3 * random();
      const y = 14.3 + 4 * random();
      const i = Math.round(y * 100) * WIDTH + Math.round(x * 100);
      const fits = ground.cover[i] === now && ground.coverThen[i] === then;
      if (fits && isEven(ground, x, y) && isApart([...taken, ...found], x, y)) {
        found.push({ now: nameOf(now), then: nameOf(then), ring: ringAbout(x, y, random) });
        left--;
      }
    }
  }
  return found;
}

const STABLE = LEGEND.map(({ cover }) => ({ now: cover, then: cover }));
const CHANGED = [
  { now: COVER.crop, then: COVER.wood },
  { now: COVER.town, then: COVER.crop },
  { now: COVER.pasture, then: COVER.heath },
  { now: COVER.water, then: COVER.reed },
];

/** Ground to train on: of one class on both dates. */
export const trainingAreas = (ground: Ground): KnownArea[] =>
  areasOf(
    ground,
    STABLE.map((kind) => ({ ...kind, count: 6 })),
    { seed: 616, taken: [] },
  );

/** Ground to test on, away from that to train on: what stayed, and what became something else. */
export const testAreas = (ground: Ground): KnownArea[] =>
  areasOf(
    ground,
    [
      ...STABLE.map((kind) => ({ ...kind, count: 3 })),
      ...CHANGED.map((kind) => ({ ...kind, count: 4 })),
    ],
    { seed: 617, taken: trainingAreas(ground) },
  );

/** Areas as GeoJSON with the class of each year. */
export const areasGeoJson = (areas: readonly KnownArea[]) => ({
  type: "FeatureCollection",
  features: areas.map(({ now, then, ring }, k) => ({
    type: "Feature",
    properties: { id: k + 1, class: now, class_2019: then, class_2025: now },
    geometry: polygonOf(ring),
  })),
});

/** A classified raster that others made. */
export interface Elsewhere {
  grid: Grid;
  cells: Uint8Array;
  names: Record<number, string>;
  palette: Record<number, string>;
}

/** What others call the covers in 2019, by their numbers; rock has a class of its own. */
const CALLED_THEN: Record<number, { covers: readonly number[]; name: string; color: string }> = {
  1: { covers: [COVER.water], name: "Water", color: "#2b4f81" },
  2: { covers: [COVER.reed], name: "Reed bed", color: "#4fa39a" },
  3: { covers: [COVER.pasture], name: "Pasture", color: "#bcd27a" },
  4: { covers: [COVER.crop], name: "Cropland", color: "#ead08a" },
  5: { covers: [COVER.heath], name: "Heath", color: "#b994b0" },
  6: { covers: [COVER.wood], name: "Woodland", color: "#4b7f59" },
  7: { covers: [COVER.town, COVER.airfield], name: "Built-up", color: "#c4552d" },
  8: { covers: [COVER.rock], name: "Bare rock", color: "#8d8a86" },
};
/** The same in 2025 by other hands: other numbers, a slip of the pen, heath and rock in one. */
const CALLED_NOW: typeof CALLED_THEN = {
  10: { covers: [COVER.water], name: "Water", color: "#2b4f81" },
  20: { covers: [COVER.reed], name: "Reedbeds", color: "#4fa39a" },
  30: { covers: [COVER.pasture], name: "Pastures", color: "#bcd27a" },
  31: { covers: [COVER.crop], name: "Crop land", color: "#ead08a" },
  40: { covers: [COVER.heath, COVER.rock], name: "Heath and bare rock", color: "#b994b0" },
  50: { covers: [COVER.wood], name: "Wodland", color: "#4b7f59" },
  60: { covers: [COVER.town, COVER.airfield], name: "Built up", color: "#c4552d" },
};
/** One patch in so many is taken for something else, and one cell. */
const WRONG = { patches: 0.12, cells: 0.02 };

function elsewhereOf(fine: Uint8Array, called: typeof CALLED_THEN, seed: number): Elsewhere {
  const grid = opticalGrid();
  const numbers = Object.keys(called).map(Number);
  const numberOf = (cover: number): number =>
    numbers.find((number) => called[number]!.covers.includes(cover))!;
  const cells = coverOnGrid(fine).map((cover, i) => {
    const [col, row] = [i % grid.width, Math.floor(i / grid.width)];
    const isWrong =
      hash2(col, row, seed) < WRONG.cells ||
      (noise(col / 9, row / 9, seed + 1) + 1) / 2 < WRONG.patches;
    const right = numberOf(cover);
    return isWrong && cover !== COVER.water
      ? numbers[Math.floor(hash2(col >> 3, row >> 3, seed + 2) * numbers.length)]!
      : right;
  });
  const column = (what: "name" | "color") =>
    Object.fromEntries(numbers.map((number) => [number, called[number]![what]]));
  return { grid, cells, names: column("name"), palette: column("color") };
}

/** Land cover of both years as others mapped it, whose legends differ a little. */
export const elsewhere = (ground: Ground): Record<"then" | "now", Elsewhere> => ({
  then: elsewhereOf(ground.coverThen, CALLED_THEN, 640),
  now: elsewhereOf(ground.cover, CALLED_NOW, 650),
});
