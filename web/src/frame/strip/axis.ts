import type { Scene } from "../../api/types";

const DAY = 864e5;
/** Room at either end of the axis, pixels. */
const EDGE = 24;

/** Where times lie on the strip. */
export interface Axis {
  from: number;
  to: number;
  /** Pixels between its ends. */
  room: number;
  width: number;
  x(time: number): number;
}

/** When a dated scene was taken, UTC milliseconds. */
export const timeOf = (scene: Scene): number => Date.parse(scene.acquiredAt!);

/** An axis of all of these times with some room around them; null where there is none. */
export function axisOf(times: readonly number[], width: number): Axis | null {
  if (times.length === 0 || width === 0) {
    return null;
  }
  const first = Math.min(...times);
  const last = Math.max(...times);
  const pad = Math.max(8 * DAY, (last - first) * 0.18);
  const from = first - pad;
  const to = last + pad;
  const room = Math.max(0, width - 2 * EDGE);
  return { from, to, room, width, x: (time) => EDGE + ((time - from) / (to - from)) * room };
}
