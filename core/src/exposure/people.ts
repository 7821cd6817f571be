import { betweenGrids } from "../grid/globe";
import { type Grid, type Window, fullWindow, intersect, toCell, toMap } from "../grid/grid";
import { largestCellM } from "../grid/metres";

/** Samples along a side of a cell of people: at least two a cell of the map, and so many at the most. */
const FEWEST_SAMPLES = 4;
const MOST_SAMPLES = 64;

/** People by zone and class of a map. */
export interface PeopleSums {
  zones: number;
  /** Sparse: zone · 256 + label, people. Label 0 has no class, 255 was not seen. */
  entries: [number, number][];
  /** People on ground that the map does not have. */
  beyond: number;
}

/** Gathers people by zone and class; merges, so that it can be gathered part by part. */
export class PeopleTally {
  private readonly people: Float64Array;
  private beyond = 0;

  /** @param zones number of zones; zone 0 is "in no zone" */
  constructor(private readonly zones: number) {
    this.people = new Float64Array(256 * zones);
  }

  add(zone: number, label: number, people: number): void {
    this.people[zone * 256 + label]! += people;
  }

  addBeyond(people: number): void {
    this.beyond += people;
  }

  merge({ entries, beyond }: PeopleSums): void {
    for (const [key, people] of entries) {
      this.people[key]! += people;
    }
    this.beyond += beyond;
  }

  toJSON(): PeopleSums {
    const entries: [number, number][] = [];
    this.people.forEach((people, key) => {
      if (people > 0) {
        entries.push([key, people]);
      }
    });
    return { zones: this.zones, entries, beyond: this.beyond };
  }
}

/** People of a class; of a zone, or of all. */
export const peopleOf = ({ entries }: PeopleSums, label: number, zone: number | null): number =>
  entries.reduce((sum, [key, people]) => {
    const isAsked = key % 256 === label && (zone === null || Math.floor(key / 256) === zone);
    return isAsked ? sum + people : sum;
  }, 0);

/** All people, whether the map has their ground or not. */
export const allPeople = ({ entries, beyond }: PeopleSums): number =>
  entries.reduce((sum, [, people]) => sum + people, beyond);

/** Where the corners of cells of one grid lie in cells of another one. */
export interface OntoCells {
  (col: number, row: number): [number, number];
}

/** From columns and rows of one grid to those of another one. */
export function ontoCells(from: Grid, to: Grid): OntoCells {
  const onto = betweenGrids(from, to);
  return (col, row) => toCell(to, ...onto(...toMap(from, col, row)));
}

/** The window of a map that holds cells of a grid of people; null where none lies on it. */
export function windowUnder(
  { col, row, width, height }: Window,
  onto: OntoCells,
  map: Grid,
): Window | null {
  let [left, right, top, bottom] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let r = row; r <= row + height; r++) {
    for (let c = col; c <= col + width; c++) {
      const [x, y] = onto(c, r);
      left = Math.min(left, x);
      right = Math.max(right, x);
      top = Math.min(top, y);
      bottom = Math.max(bottom, y);
    }
  }
  const [west, north] = [Math.floor(left), Math.floor(top)];
  const around = {
    ...{ col: west, row: north },
    ...{ width: Math.ceil(right) - west, height: Math.ceil(bottom) - north },
  };
  return Number.isFinite(left + right + top + bottom) ? intersect(around, fullWindow(map)) : null;
}

/** How many samples stand for a cell of people, along each side. */
export const samplesAlong = (people: Grid, map: Grid): number =>
  Math.min(
    MOST_SAMPLES,
    Math.max(FEWEST_SAMPLES, Math.ceil((2 * largestCellM(people)) / largestCellM(map))),
  );

/** A part of a map: its classes and zones. */
export interface MapPart {
  window: Window;
  labels: Uint8Array;
  /** The zone of each cell, 0 in none; null where there are no zones. */
  zones: Uint16Array | null;
}

/**
 * Spreads the people of each cell of a grid evenly over its ground, and counts them by the class and zone
 * of the map under it: each of so many samples a side stands for an equal share, so that nobody is counted
 * twice or lost, whatever the grids (their sum is kept to rounding).
 * @param people counts, not densities, of the cells of `window`; not a number or negative: nobody
 * @param part of the map; null where the window does not lie on it
 */
export function spreadPeople(
  people: Float32Array,
  window: Window,
  onto: OntoCells,
  samples: number,
  part: MapPart | null,
  tally: PeopleTally,
): void {
  for (let k = 0; k < people.length; k++) {
    const count = people[k]!;
    if (count > 0) {
      const col = window.col + (k % window.width);
      const row = window.row + Math.floor(k / window.width);
      if (part) {
        spreadCell({ col, row, share: count / samples ** 2 }, onto, samples, part, tally);
      } else {
        tally.addBeyond(count);
      }
    }
  }
}

/** Spreads the people of one cell; within it positions are bilinear between its corners. */
function spreadCell(
  { col, row, share }: { col: number; row: number; share: number },
  onto: OntoCells,
  samples: number,
  { window, labels, zones }: MapPart,
  tally: PeopleTally,
): void {
  const [nw, ne] = [onto(col, row), onto(col + 1, row)];
  const [sw, se] = [onto(col, row + 1), onto(col + 1, row + 1)];
  for (let j = 0; j < samples; j++) {
    const down = (j + 0.5) / samples;
    for (let i = 0; i < samples; i++) {
      const across = (i + 0.5) / samples;
      const at = (axis: 0 | 1) =>
        (nw[axis] * (1 - across) + ne[axis] * across) * (1 - down) +
        (sw[axis] * (1 - across) + se[axis] * across) * down;
      const x = Math.floor(at(0)) - window.col;
      const y = Math.floor(at(1)) - window.row;
      if (x >= 0 && y >= 0 && x < window.width && y < window.height) {
        const cell = y * window.width + x;
        tally.add(zones ? zones[cell]! : 0, labels[cell]!, share);
      } else {
        tally.addBeyond(share);
      }
    }
  }
}
