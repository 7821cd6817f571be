import { classesOf, patchesIn } from "./strengthPatches";
import { CELLS_WIDE, type SmallThing, isStrong } from "./smallThings";

/** How small things were found. */
export interface ThingScore {
  things: number;
  /** Over four cells and at least 6 dB. */
  strong: number;
  strongFound: number;
  found: number;
  /** Strong ones that were not found, in words. */
  missed: string[];
  /** Found with the other sign. */
  wrongSign: number;
  /** Patches that lie at no thing. */
  elsewhere: number;
  /** Median of the cells found over the cells that are there. */
  sizeRatio: number;
}

/** Image cells around a thing in which a patch is taken for it. */
const AROUND = 1;
/** Image cells around a thing in which no patch counts as lying elsewhere. */
const BESIDE = 3;

/** Image cells that lie at a thing, in an image that is so many cells wide. */
function imageCells(
  { col, row, width, height }: SmallThing,
  around: number,
  imageWidth: number,
): number[] {
  const from = [row, col].map((cell) => Math.floor(cell / CELLS_WIDE) - around);
  const to = [row + height, col + width].map((cell) => Math.ceil(cell / CELLS_WIDE) + around);
  const cells: number[] = [];
  for (let r = from[0]!; r < to[0]!; r++) {
    for (let c = from[1]!; c < to[1]!; c++) {
      cells.push(r * imageWidth + c);
    }
  }
  return cells;
}

/**
 * Holds strengths of small changes against the things that are there.
 * @param strength by image cell, 1 and −1 count @param width cells of a row of the image
 */
export function scoreThings(
  strength: Float32Array,
  width: number,
  things: readonly SmallThing[],
): ThingScore {
  const classes = classesOf(strength);
  const signOf = ({ on }: SmallThing) => (on === "after" ? 1 : 2);
  const cellsOfSign = (thing: SmallThing, sign: number) =>
    imageCells(thing, AROUND, width).filter((i) => classes[i] === sign).length;
  const isFound = (thing: SmallThing) => cellsOfSign(thing, signOf(thing)) > 0;
  const apart = classes.slice();
  things
    .flatMap((thing) => imageCells(thing, BESIDE, width))
    .forEach((i) => apart.fill(0, i, i + 1));
  const ratios = things
    .filter(isFound)
    .map((thing) => cellsOfSign(thing, signOf(thing)) / thing.cells)
    .sort((a, b) => a - b);
  return {
    things: things.length,
    strong: things.filter(isStrong).length,
    strongFound: things.filter((thing) => isStrong(thing) && isFound(thing)).length,
    found: things.filter(isFound).length,
    missed: things
      .filter((thing) => isStrong(thing) && !isFound(thing))
      .map(({ kind, on, cells, db }) => `${kind} ${on}: ${cells} cells, ${db.toFixed(1)} dB`),
    wrongSign: things.filter((thing) => cellsOfSign(thing, 3 - signOf(thing)) > 0).length,
    elsewhere: patchesIn(apart, width),
    sizeRatio: ratios[Math.floor(ratios.length / 2)] ?? NaN,
  };
}
