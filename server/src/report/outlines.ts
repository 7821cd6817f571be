import simplify from "simplify-js";

type Ring = [number, number][];
type Geometry =
  { type: "Polygon"; coordinates: Ring[] } | { type: "MultiPolygon"; coordinates: Ring[][] };

/**
 * A ring in as few corners as tell it from the whole one by no more than the tolerance (Douglas &
 * Peucker 1973); null when less than a triangle is left.
 */
function fewer(r: Ring, tolerance: number): Ring | null {
  // A closed ring has no ends to hold on to: it is cut in two at the corner farthest from the
  // first.
  let far = 0;
  let most = -1;
  r.forEach(([x, y], i) => {
    const distance = (x - r[0]![0]) ** 2 + (y - r[0]![1]) ** 2;
    if (distance > most) {
      most = distance;
      far = i;
    }
  });
  const part = (from: number, to: number) =>
    simplify(
      r.slice(from, to + 1).map(([x, y]) => ({ x, y })),
      tolerance,
      true,
    );
  const out = [...part(0, far), ...part(far, r.length - 1).slice(1)].map(
    ({ x, y }): [number, number] => [x, y],
  );
  return out.length > 3 ? out : null;
}

/**
 * An outline for the screen only: corners nearer to the line than the tolerance are left out, and
 * so are holes and parts that have become less than a triangle. The
 * largest part always stays, if only as it is.
 * @param tolerance in the unit of the coordinates, 0 for the outline as it is
 */
export function forScreen(geometry: Geometry, tolerance: number): Geometry {
  if (!(tolerance > 0)) {
    return geometry;
  }
  const polygons = geometry.type === "Polygon" ? [geometry.coordinates] : geometry.coordinates;
  const seen: Ring[][] = [];
  for (const [shell, ...holes] of polygons) {
    const s = fewer(shell!, tolerance);
    if (s) {
      seen.push([
        s,
        ...holes.map((hole) => fewer(hole, tolerance)).filter((h): h is Ring => h !== null),
      ]);
    }
  }
  const kept = seen.length
    ? seen
    : [[polygons.reduce((a, b) => (b[0]!.length > a[0]!.length ? b : a))[0]!]];
  return kept.length === 1
    ? { type: "Polygon", coordinates: kept[0]! }
    : { type: "MultiPolygon", coordinates: kept };
}
