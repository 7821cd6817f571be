import { type Normal, NormalOf, priorOfCells } from "./departure";

/** Between what values one more date is normal at a place. */
export interface NormalBand {
  /** What is normal, in the middle. */
  middle: number;
  low: number;
  high: number;
  /** Deviations of a normal distribution that its ends lie away. */
  beyond: number;
}

/** Blocks of size x size cells, side by side from the first corner on, as their means; NaN where none is seen. */
export function blockMeans(
  cells: Float32Array,
  width: number,
  size: number,
  isDecibel: boolean,
): Float32Array {
  const across = Math.floor(width / size);
  const down = Math.floor(cells.length / width / size);
  const out = new Float32Array(across * down);
  for (let k = 0; k < out.length; k++) {
    const first = Math.floor(k / across) * size * width + (k % across) * size;
    let [sum, count] = [0, 0];
    for (let i = 0; i < size * size; i++) {
      const value = cells[first + Math.floor(i / size) * width + (i % size)]!;
      if (value === value) {
        sum += isDecibel ? 10 ** (value / 10) : value;
        count++;
      }
    }
    const mean = count > 0 ? sum / count : NaN;
    out[k] = isDecibel ? 10 * Math.log10(mean) : mean;
  }
  return out;
}

/**
 * Between what values one more date is normal at a cell, as far as the normal dates tell: the ends depart
 * from normal by so many deviations, as `departures` gives them. How cells vary is told by all cells that are
 * given; null where those are too few, or the cell is seen on too few dates.
 */
export function normalBand(
  dates: readonly Float32Array[],
  cell: number,
  beyond: number,
): NormalBand | null {
  const prior = priorOfCells(dates, 1);
  if (!prior) {
    return null;
  }
  const found: Normal = { middle: NaN, deviation: NaN, table: null };
  new NormalOf(dates, prior).at(cell, found);
  if (!found.table) {
    return null;
  }
  const away = found.table.back(beyond) * found.deviation;
  return { middle: found.middle, low: found.middle - away, high: found.middle + away, beyond };
}
