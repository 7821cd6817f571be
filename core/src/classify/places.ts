import type { TrainingCells } from "./gather";

/** Cells of one class, or of all, as a list of places. */
export type Places = Uint32Array;

/** The values of some cells, input after input. */
export const valuesAt = (
  cells: Pick<TrainingCells, "values">,
  places: Places,
  inputs: number,
): Float64Array => {
  const out = new Float64Array(places.length * inputs);
  let to = 0;
  for (const place of places) {
    const from = place * inputs;
    for (let b = 0; b < inputs; b++) {
      out[to++] = cells.values[from + b]!;
    }
  }
  return out;
};

/** Lists of places as one, and for each place which list it is of. */
export function joined(lists: readonly Places[]): Held {
  const count = lists.reduce((sum, list) => sum + list.length, 0);
  const places = new Uint32Array(count);
  const truths = new Uint8Array(count);
  let to = 0;
  lists.forEach((list, k) => {
    places.set(list, to);
    truths.fill(k, to, to + list.length);
    to += list.length;
  });
  return { places, truths };
}

/** Cells of several classes, and by each the place of its class. */
export interface Held {
  places: Places;
  truths: Uint8Array;
}

/**
 * Cells by class.
 * @param classOf by area the place of its class; −1 where it does not count
 * @param count of the classes
 */
export function placesByClass(
  { area, areas }: Pick<TrainingCells, "area" | "areas">,
  classOf: readonly number[],
  count: number,
): Places[] {
  const room = new Uint32Array(count);
  areas.forEach(({ cells }, at) => {
    const k = classOf[at]!;
    if (k >= 0) {
      room[k]! += cells;
    }
  });
  const own = Array.from(room, (cells) => new Uint32Array(cells));
  const filled = new Uint32Array(count);
  area.forEach((at, cell) => {
    const k = classOf[at]!;
    if (k >= 0) {
      own[k]![filled[k]!++] = cell;
    }
  });
  return own;
}
