type Place = [number, number];
/** Polygons with closed rings. */
export type Rings = Place[][][];

/** Where a corner stands: its polygon, ring, and place in the ring. */
interface At {
  polygon: number;
  ring: number;
  place: number;
}

/** The corner of a number, counted over all rings without the places that close them. */
function atOf(shape: Rings, corner: number): At | null {
  let left = corner;
  for (const [polygon, rings] of shape.entries()) {
    for (const [ring, { length }] of rings.entries()) {
      if (left < length - 1) {
        return { polygon, ring, place: left };
      }
      left -= length - 1;
    }
  }
  return null;
}

/** A shape with one of its rings made anew; its last place closes it. */
const withRing = (shape: Rings, at: At, to: (open: Place[]) => Place[]): Rings =>
  shape.map((rings, k) =>
    rings.map((ring, j) => {
      if (k !== at.polygon || j !== at.ring) {
        return ring;
      }
      const open = to(ring.slice(0, -1));
      return [...open, open[0]!];
    }),
  );

/** Where a corner lies; null where there is none of the number. */
export function placeOf(shape: Rings, corner: number): Place | null {
  const at = atOf(shape, corner);
  return at && shape[at.polygon]![at.ring]![at.place]!;
}

/** The corner that follows one, or comes before it, round and round over all rings. */
export function nextCorner(shape: Rings, corner: number | null, step: 1 | -1): number {
  const count = shape.flat().reduce((sum, ring) => sum + ring.length - 1, 0);
  if (corner === null) {
    return step > 0 ? 0 : count - 1;
  }
  return (corner + step + count) % count;
}

/** A shape with a corner moved. */
export function movedCorner(shape: Rings, corner: number, [across, up]: Place): Rings {
  const at = atOf(shape, corner);
  return at
    ? withRing(shape, at, (open) =>
        open.map(([x, y], k): Place => (k === at.place ? [x + across, y + up] : [x, y])),
      )
    : shape;
}

/** A shape with a corner more, amid the side that follows one; null where there is no such corner. */
export function cornerAmid(shape: Rings, corner: number): Rings | null {
  const at = atOf(shape, corner);
  return (
    at &&
    withRing(shape, at, (open) => {
      const [x0, y0] = open[at.place]!;
      const [x1, y1] = open[(at.place + 1) % open.length]!;
      return open.toSpliced(at.place + 1, 0, [(x0 + x1) / 2, (y0 + y1) / 2]);
    })
  );
}

/** A shape without a corner; null where three are left in its ring, or there is no such corner. */
export function withoutCorner(shape: Rings, corner: number): Rings | null {
  const at = atOf(shape, corner);
  const isTriangle = !!at && shape[at.polygon]![at.ring]!.length <= 4;
  return at && !isTriangle ? withRing(shape, at, (open) => open.toSpliced(at.place, 1)) : null;
}
