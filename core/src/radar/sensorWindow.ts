import { type Grid, type Window, grow, intersect } from "../grid/grid";
import { type RangeDoppler, cellLocator } from "./sensor";

/** Sensor window that a map window sees, for ground between two heights. */
export function sensorWindow(
  rd: RangeDoppler,
  image: Grid,
  map: Grid,
  w: Window,
  heights: readonly [number, number],
  margin: number,
): Window {
  const at = cellLocator(rd, map);
  let c0 = Infinity;
  let c1 = -Infinity;
  let r0 = Infinity;
  let r1 = -Infinity;
  for (let k = 0; k <= 8; k++) {
    for (const [c, r] of [
      [k / 8, 0],
      [k / 8, 1],
      [0, k / 8],
      [1, k / 8],
      [k / 8, k / 8],
    ] as const) {
      for (const h of heights) {
        const position = at(w.col + c * w.width, w.row + r * w.height, h);
        if (Number.isNaN(position.line) || Number.isNaN(position.sample)) {
          continue;
        }
        const [x, y] = rd.onGrid(image, position);
        c0 = Math.min(c0, x);
        c1 = Math.max(c1, x);
        r0 = Math.min(r0, y);
        r1 = Math.max(r1, y);
      }
    }
  }
  if (!(c1 >= c0)) {
    return { col: 0, row: 0, width: 0, height: 0 };
  }
  const box = {
    col: Math.floor(c0) - margin,
    row: Math.floor(r0) - margin,
    width: Math.ceil(c1) - Math.floor(c0) + 2 * margin,
    height: Math.ceil(r1) - Math.floor(r0) + 2 * margin,
  };
  return (
    intersect(box, grow({ col: 0, row: 0, width: image.width, height: image.height }, 2)) ?? {
      col: 0,
      row: 0,
      width: 0,
      height: 0,
    }
  );
}
