import { type Grid, levelCount } from "./grid";

/** The finest overview level of a grid with no more than so many cells; the coarsest where none has. */
export function levelOfCells({ width, height }: Grid, maxCells: number): number {
  const last = levelCount(width, height) - 1;
  for (let level = 0; level < last; level++) {
    if ((width * height) / 4 ** level <= maxCells) {
      return level;
    }
  }
  return last;
}
