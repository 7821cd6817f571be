import type { GroundPoint } from "@hindglance/core/align/groundPoint";

/** Numbers of a rational polynomial in a TIFF (tag 50844, in the order of the published extension). */
const LENGTH = 92;
const TERMS = 20;

/** A rational polynomial from the ground into an image. */
export interface Rational {
  /** Offsets and scales: line, sample, latitude, longitude, height. */
  offset: Record<Axis, number>;
  scale: Record<Axis, number>;
  line: [numerator: number[], denominator: number[]];
  sample: [numerator: number[], denominator: number[]];
}
type Axis = "line" | "sample" | "lat" | "lon" | "height";
const AXES = ["line", "sample", "lat", "lon", "height"] as const;

/** A rational polynomial from its numbers; null where they are none. */
export function rationalFrom(numbers: readonly number[]): Rational | null {
  if (numbers.length < LENGTH || !numbers.slice(0, LENGTH).every(Number.isFinite)) {
    return null;
  }
  // The first two tell how far it may be off.
  const byAxis = (first: number) => {
    const [line, sample, lat, lon, height] = AXES.map((_axis, k) => numbers[first + k]!);
    return { line: line!, sample: sample!, lat: lat!, lon: lon!, height: height! };
  };
  const scale = byAxis(7);
  const terms = (k: number) => numbers.slice(12 + k * TERMS, 12 + (k + 1) * TERMS);
  const isUsable = Object.values(scale).every((value) => value !== 0);
  return isUsable
    ? { offset: byAxis(2), scale, line: [terms(0), terms(1)], sample: [terms(2), terms(3)] }
    : null;
}

/** The twenty terms of the polynomials: longitude, latitude and height, each without its scale. */
const termsAt = (lon: number, lat: number, height: number): number[] => [
  ...[1, lon, lat, height, lon * lat, lon * height, lat * height],
  ...[lon * lon, lat * lat, height * height, lat * lon * height, lon ** 3],
  ...[lon * lat * lat, lon * height * height, lon * lon * lat, lat ** 3],
  ...[lat * height * height, lon * lon * height, lat * lat * height, height ** 3],
];

const sumOf = (terms: readonly number[], factors: readonly number[]): number =>
  terms.reduce((sum, term, k) => sum + term * factors[k]!, 0);

/** Where a place on the ground lies in the image: sample and line, counted from the first cell's centre. */
export function intoImage(
  { offset, scale, line, sample }: Rational,
  lon: number,
  lat: number,
  height: number,
): [sample: number, line: number] {
  const terms = termsAt(
    (lon - offset.lon) / scale.lon,
    (lat - offset.lat) / scale.lat,
    (height - offset.height) / scale.height,
  );
  const ratio = ([above, below]: Rational["line"]) => sumOf(terms, above) / sumOf(terms, below);
  return [offset.sample + scale.sample * ratio(sample), offset.line + scale.line * ratio(line)];
}

/** Steps of the search at most, and the cells that it may end away from its aim. */
const STEPS = 20;
const NEAR = 1e-4;
/** Part of a scale that slopes are taken over. */
const DELTA = 1e-4;

/** The place on the ground, at a height, that lies at a place of the image; null where none is found. */
function ontoGround(
  model: Rational,
  at: [number, number],
  height: number,
): [number, number] | null {
  const { offset, scale } = model;
  let [lon, lat] = [offset.lon, offset.lat];
  for (let step = 0; step < STEPS; step++) {
    const here = intoImage(model, lon, lat, height);
    const [gapX, gapY] = [at[0] - here[0], at[1] - here[1]];
    if (Math.hypot(gapX, gapY) < NEAR) {
      return [lon, lat];
    }
    const east = intoImage(model, lon + scale.lon * DELTA, lat, height);
    const north = intoImage(model, lon, lat + scale.lat * DELTA, height);
    const [xEast, yEast] = [east[0] - here[0], east[1] - here[1]];
    const [xNorth, yNorth] = [north[0] - here[0], north[1] - here[1]];
    const area = xEast * yNorth - xNorth * yEast;
    lon += (scale.lon * DELTA * (gapX * yNorth - gapY * xNorth)) / area;
    lat += (scale.lat * DELTA * (gapY * xEast - gapX * yEast)) / area;
  }
  return null;
}

/** Points along each side of the image. */
const ACROSS = 7;

/**
 * Places of an image on the ground by its rational polynomial, at the height in the middle of the
 * ground that it was made for: hills are not taken into account.
 *
 * @returns a square of points over the image; none where the polynomial leads nowhere
 */
export function pointsOf(model: Rational, width: number, height: number): GroundPoint[] {
  const places = Array.from({ length: ACROSS * ACROSS }, (_v, k): [number, number] => [
    ((k % ACROSS) * width) / (ACROSS - 1),
    (Math.floor(k / ACROSS) * height) / (ACROSS - 1),
  ]);
  return places.flatMap(([col, row]) => {
    // The polynomial counts from the centre of the first cell.
    const to = ontoGround(model, [col - 0.5, row - 0.5], model.offset.height);
    return to?.every(Number.isFinite) ? [{ from: [col, row], to }] : [];
  });
}
