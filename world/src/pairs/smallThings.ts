import { generator } from "../random";
import { CELLS_WIDE, GROUND_SIDE, LAND, type Landscape } from "./landscape";

/** A thing of some cells that stands on the ground on one of two dates. */
export interface SmallThing {
  kind: "vehicles" | "stand" | "boat" | "building";
  /** It is there on this date only. */
  on: "before" | "after";
  /** dB over the ground around it, in both polarisations. */
  db: number;
  /** Image cells that it covers. */
  cells: number;
  /** Its cells of the ground: the first column and row, and how many. */
  col: number;
  row: number;
  width: number;
  height: number;
}

/** Image cells across and down: one to twelve. */
const SHAPES = [
  [1, 1],
  [2, 1],
  [2, 2],
  [3, 2],
  [1, 5],
  [4, 2],
  [3, 3],
  [2, 5],
  [4, 3],
  [2, 6],
] as const;
const KINDS: readonly { kind: SmallThing["kind"]; on: readonly number[] }[] = [
  { kind: "vehicles", on: [LAND.field, LAND.sand] },
  { kind: "stand", on: [LAND.pasture] },
  { kind: "boat", on: [LAND.water] },
  { kind: "building", on: [LAND.town] },
];
/** How many things a pair gets. */
export const THINGS = 30;
/** Ground cells between two things and from the edge. */
const APART = 70;
const TRIES = 4000;

/** Whether a thing is over four cells and at least 6 dB: what must be found. */
export const isStrong = ({ cells, db }: SmallThing): boolean => cells > 4 && db >= 6;

/**
 * Things at random on ground that the flood does not reach, each on one kind of cover, not in line
 * with the cells of the image.
 */
export function smallThingsOn(ground: Landscape, seed: number): SmallThing[] {
  const random = generator(seed);
  const things: SmallThing[] = [];
  while (things.length < THINGS) {
    const [across, down] = SHAPES[things.length % SHAPES.length]!;
    const width = across * CELLS_WIDE;
    const height = down * CELLS_WIDE;
    const { kind, on } = KINDS[Math.floor(random() * KINDS.length)]!;
    const place = placeFor(ground, on, { width, height }, things, random);
    // Where a ground has no town or lake, or too small a one, another kind is drawn.
    if (place) {
      const isGone = random() < 0.4;
      things.push({
        kind,
        on: isGone ? "before" : "after",
        db: 4 + 8 * random(),
        cells: across * down,
        ...place,
        width,
        height,
      });
    }
  }
  return things;
}

function placeFor(
  ground: Landscape,
  on: readonly number[],
  { width, height }: { width: number; height: number },
  others: readonly SmallThing[],
  random: () => number,
): { col: number; row: number } | null {
  for (let k = 0; k < TRIES; k++) {
    const col = APART + Math.floor(random() * (GROUND_SIDE - 2 * APART));
    const row = APART + Math.floor(random() * (GROUND_SIDE - 2 * APART));
    const cells = cellsOf({ col, row, width, height });
    const fits = cells.every(
      (i) => on.includes(ground.land[i]!) && ground.water[i] === ground.flooded[i],
    );
    const isFree = others.every(
      (other) => Math.max(Math.abs(other.col - col), Math.abs(other.row - row)) > APART,
    );
    if (fits && isFree) {
      return { col, row };
    }
  }
  return null;
}

/** Places of a thing's cells on the ground. */
export const cellsOf = ({
  col,
  row,
  width,
  height,
}: Pick<SmallThing, "col" | "row" | "width" | "height">): number[] =>
  Array.from(
    { length: width * height },
    (_, k) => (row + Math.floor(k / width)) * GROUND_SIDE + col + (k % width),
  );

/** Puts what stands there on a date onto its power, [VV, VH], before speckle. */
export function putThings(
  bands: readonly Float32Array[],
  things: readonly SmallThing[],
  date: SmallThing["on"],
): void {
  for (const thing of things.filter(({ on }) => on === date)) {
    for (const i of cellsOf(thing)) {
      bands.forEach((band) => {
        band[i]! *= 10 ** (thing.db / 10);
      });
    }
  }
}
