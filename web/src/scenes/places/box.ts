import { fromLonLat } from "ol/proj";
import View from "ol/View";

/** Corners of an outline in longitude and latitude. */
export type Ring = [number, number][];
/** West, south, east, north in metres of the map. */
export type Box = [number, number, number, number];

/** Half a turn: outlines that are wider cross the line where dates change. */
const HALF_TURN = 180;

/**
 * An outline in one piece: one that crosses the line where dates change goes on beyond 180° east, so
 * that it is not drawn around the whole Earth.
 */
export function inOnePiece(ring: Ring): Ring {
  const longitudes = ring.map(([lon]) => lon);
  const width = Math.max(...longitudes) - Math.min(...longitudes);
  return width > HALF_TURN
    ? ring.map(([lon, lat]) => [lon < 0 ? lon + 2 * HALF_TURN : lon, lat])
    : ring;
}

/** Degrees of latitude that the map of footprints reaches to, in Mercator's projection. */
const REACH = 85.06;

/** Whether an outline lies nearer to a pole than the map of footprints reaches. */
export const isBeyond = (ring: Ring): boolean => ring.every(([, lat]) => Math.abs(lat) > REACH);

/** Box around outlines; null where there is none. */
export function boxOf(rings: readonly Ring[]): Box | null {
  const corners = rings.flat().map((corner) => fromLonLat(corner));
  if (corners.length === 0) {
    return null;
  }
  const [xs, ys] = [0, 1].map((k) => corners.map((corner) => corner[k]!));
  return [Math.min(...xs!), Math.min(...ys!), Math.max(...xs!), Math.max(...ys!)];
}

/** The inhabited world, which is shown while there is nothing to show. */
const WORLD: Box = [-2e7, -8e6, 2e7, 1.2e7];
/** Least metres across that are shown. */
const LEAST = 2000;

const middleOf = (box: Box): [number, number] => [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];

/** View with a box in its middle and some room around it. */
export function viewOn(box: Box | null): View {
  const shown = box ?? WORLD;
  const width = Math.max(shown[2] - shown[0], LEAST);
  const height = Math.max(shown[3] - shown[1], LEAST);
  return new View({
    center: middleOf(shown),
    resolution: Math.max(width / 740, height / 470),
    enableRotation: false,
    minResolution: 1,
    maxResolution: 40_000,
  });
}

/** Metres a pixel of the small map of the world. */
const SMALL = 62_000;

/** View of a small map of the world about a box, which cannot be zoomed. */
export function worldView(box: Box | null): View {
  const [x, y] = middleOf(box ?? WORLD);
  return new View({
    center: [x, Math.max(-8e6, Math.min(8e6, y))],
    resolution: SMALL,
    minResolution: SMALL,
    maxResolution: SMALL,
    enableRotation: false,
  });
}
