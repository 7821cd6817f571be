import { COVER, type Ground, HEIGHT, WIDTH } from "./ground";
import { type SmallThing, scatterThings } from "./smallThings";
import { polygonOf } from "./vectors";

const SEED = 619;
/** Part of the island in which they stand, in kilometres east and south: seen on every date. */
const PART = { west: 3.6, east: 21.8, north: 6.3, south: 13.6 };
/** Metres from one cell to the next: ground that no sensor sees in layover or shadow. */
const LEVEL_M = 1;
/** Cells that a boat keeps off the bank. */
const BANK = 4;

/** Cells to the edge of the flood: what it surrounds it would hide. */
const OFF_FLOOD = 8;

const kept = new WeakMap<Ground, SmallThing[]>();

/**
 * Thirty things of one to twelve image cells that came to the plain or left it between the second of
 * May and the fourteenth, where the flood did not reach: vehicles on fields, stands on pasture, boats
 * on the lake and the river, buildings in town.
 */
export function islandThings(ground: Ground): SmallThing[] {
  const known = kept.get(ground);
  if (known) {
    return known;
  }
  const on =
    (...covers: number[]) =>
    (i: number) =>
      covers.includes(ground.cover[i]!) &&
      isInPart(i) &&
      isLevel(ground, i) &&
      isOffTheFlood(ground, i);
  const fits = {
    vehicles: on(COVER.crop, COVER.airfield),
    stand: on(COVER.pasture),
    boat: (i: number) => on(COVER.water)(i) && isOffTheBank(ground, i),
    building: on(COVER.town),
  };
  const things = scatterThings({ width: WIDTH, height: HEIGHT, fits }, SEED);
  kept.set(ground, things);
  return things;
}

function isInPart(i: number): boolean {
  const x = (i % WIDTH) / 100;
  const y = Math.floor(i / WIDTH) / 100;
  return x > PART.west && x < PART.east && y > PART.north && y < PART.south;
}

/** Whether the ground around a cell is water on both dates or on neither. */
function isOffTheFlood({ cover, waterAfter }: Ground, i: number): boolean {
  for (let r = -OFF_FLOOD; r <= OFF_FLOOD; r += OFF_FLOOD / 2) {
    for (let c = -OFF_FLOOD; c <= OFF_FLOOD; c += OFF_FLOOD / 2) {
      const place = i + r * WIDTH + c;
      if ((cover[place] === COVER.water) !== (waterAfter[place] === 1)) {
        return false;
      }
    }
  }
  return true;
}

function isLevel({ elevation }: Ground, i: number): boolean {
  const rise = Math.abs(elevation[i + 1]! - elevation[i - 1]!) / 2;
  const climb = Math.abs(elevation[i + WIDTH]! - elevation[i - WIDTH]!) / 2;
  return Math.max(rise, climb) < LEVEL_M;
}

/** Whether the nearest bank of a river or lake is more than BANK cells away. */
function isOffTheBank({ cover }: Ground, i: number): boolean {
  for (let r = -BANK; r <= BANK; r++) {
    for (let c = -BANK; c <= BANK; c++) {
      if (cover[i + r * WIDTH + c] !== COVER.water) {
        return false;
      }
    }
  }
  return true;
}

/** The things of the island as GeoJSON polygons, with what they are. */
export const thingsGeoJson = (ground: Ground) => ({
  type: "FeatureCollection",
  features: islandThings(ground).map(({ kind, on, db, cells, col, row, width, height }) => {
    const [west, east] = [col / 100, (col + width) / 100];
    const [north, south] = [row / 100, (row + height) / 100];
    return {
      type: "Feature",
      properties: { kind, on, db: Math.round(100 * db) / 100, cells },
      geometry: polygonOf([
        [west, north],
        [west, south],
        [east, south],
        [east, north],
      ]),
    };
  }),
});
