import { ontoGlobeAround } from "@hindglance/core/grid/globe";
import { type Grid, toMap } from "@hindglance/core/grid/grid";
import type { PatchShape, Ring } from "@hindglance/core/patches/polygonise";

/** Decimals of a degree in outlines along cells: seven are about a centimetre. */
const USUAL_DECIMALS = 7;

/**
 * GeoJSON geometry (RFC 7946: longitude, latitude, shells counter-clockwise) of a patch on a grid.
 * Longitudes of a grid over the date line are counted on past 180 instead of leaping. On a grid whose rows run south to north orientation flips, and is turned back.
 * @param decimals of degrees
 */
export function patchGeometry(
  shape: Pick<PatchShape, "polygons">,
  grid: Grid,
  decimals = USUAL_DECIMALS,
):
  | { type: "Polygon"; coordinates: [number, number][][] }
  | { type: "MultiPolygon"; coordinates: [number, number][][][] } {
  const pointTransform = ontoGlobeAround(grid);
  const round = (value: number) => Math.round(value * 10 ** decimals) / 10 ** decimals;
  const transform = grid.transform;
  const mirrored = transform[1] * transform[5] - transform[2] * transform[4] > 0;
  const ring = (r: Ring): [number, number][] => {
    const out = r.map(([c, r2]): [number, number] => {
      const [lon, lat] = pointTransform(...toMap(grid, c, r2));
      return [round(lon), round(lat)];
    });
    return mirrored ? out.reverse() : out;
  };
  const polygons = shape.polygons.map((poly) => poly.map(ring));
  return polygons.length === 1
    ? { type: "Polygon", coordinates: polygons[0]! }
    : { type: "MultiPolygon", coordinates: polygons };
}

/** How a feature collection begins: foreign members, then its features. */
export const collectionHead = (extra: Record<string, unknown>): string =>
  `{"type":"FeatureCollection",${Object.entries(extra)
    .map(([k, value]) => `${JSON.stringify(k)}:${JSON.stringify(value)},`)
    .join("")}"features":[`;
/** How a feature collection ends. */
export const COLLECTION_END = "\n]}\n";

/**
 * Pieces of a FeatureCollection, so that any number of features can be streamed. `extra` are
 * foreign members.
 */
export function* featureCollection(
  features: Iterable<object>,
  extra: Record<string, unknown>,
): Generator<string> {
  yield collectionHead(extra);
  let first = true;
  for (const feature of features) {
    yield `${first ? "" : ","}\n${JSON.stringify(feature)}`;
    first = false;
  }
  yield COLLECTION_END;
}
