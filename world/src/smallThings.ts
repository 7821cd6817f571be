import { generator } from "./random";

/** A thing of some cells that stands on the ground on one of two dates. */
export interface SmallThing {
  kind: "vehicles" | "stand" | "boat" | "building";
  /** It is there on this date only. */
  on: "before" | "after";
  /** dB over the ground around it, in both polarisations. */
  db: number;
  /** Image cells that it covers, each two ground cells wide. */
  cells: number;
  /** Its cells of the ground: the first column and row, and how many. */
  col: number;
  row: number;
  width: number;
  height: number;
}

/** Ground on which things are put, cell by cell. */
export interface ThingGround {
  width: number;
  height: number;
  /** Where each kind may stand, by the cell of the ground. */
  fits: Record<SmallThing["kind"], (i: number) => boolean>;
}

/** Ground cells across an image cell. */
export const CELLS_WIDE = 2;
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
const KINDS: readonly SmallThing["kind"][] = ["vehicles", "stand", "boat", "building"];
/** How many things a ground gets. */
export const THINGS = 30;
/** Ground cells between two things and from the edge. */
const APART = 70;
const TRIES = 4000;

/** Whether a thing is over four cells and at least 6 dB: what must be found. */
export const isStrong = ({ cells, db }: SmallThing): boolean => cells > 4 && db >= 6;

/** Things at random, each on ground that is fit for its kind, not in line with the cells of the image. */
export function scatterThings(ground: ThingGround, seed: number): SmallThing[] {
  const random = generator(seed);
  const things: SmallThing[] = [];
  while (things.length < THINGS) {
    const [across, down] = SHAPES[things.length % SHAPES.length]!;
    const width = across * CELLS_WIDE;
    const height = down * CELLS_WIDE;
    const kind = KINDS[Math.floor(random() * KINDS.length)]!;
    const place = placeFor(ground, kind, { width, height }, things, random);
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
  ground: ThingGround,
  kind: SmallThing["kind"],
  { width, height }: { width: number; height: number },
  others: readonly SmallThing[],
  random: () => number,
): { col: number; row: number } | null {
  for (let k = 0; k < TRIES; k++) {
    const col = APART + Math.floor(random() * (ground.width - 2 * APART));
    const row = APART + Math.floor(random() * (ground.height - 2 * APART));
    const cells = cellsOf({ col, row, width, height }, ground.width);
    const isFree = others.every(
      (other) => Math.max(Math.abs(other.col - col), Math.abs(other.row - row)) > APART,
    );
    if (isFree && cells.every(ground.fits[kind])) {
      return { col, row };
    }
  }
  return null;
}

/** Places of a thing's cells on ground that is so many cells wide. */
export const cellsOf = (
  { col, row, width, height }: Pick<SmallThing, "col" | "row" | "width" | "height">,
  groundWidth: number,
): number[] =>
  Array.from(
    { length: width * height },
    (_, k) => (row + Math.floor(k / width)) * groundWidth + col + (k % width),
  );

/** Puts what stands there on a date onto its power, [VV, VH], before speckle. */
export function putThings(
  bands: readonly Float32Array[],
  groundWidth: number,
  things: readonly SmallThing[],
  date: SmallThing["on"],
): void {
  for (const thing of things.filter(({ on }) => on === date)) {
    for (const i of cellsOf(thing, groundWidth)) {
      bands.forEach((band) => {
        band[i]! *= 10 ** (thing.db / 10);
      });
    }
  }
}
