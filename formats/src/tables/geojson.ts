import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { type Grid, toMap } from "@hindglance/core/grid/grid";
import type { PatchShape, Ring } from "@hindglance/core/patches/polygonise";

/** Decimals of a degree: seven are about a centimetre. */
const round = (v: number) => Math.round(v * 1e7) / 1e7;

/**
 * GeoJSON geometry (RFC 7946: longitude, latitude, shells counter-clockwise) of a patch on a grid.
 * On a grid whose rows run south to north orientation flips, and is turned back.
 */
export function patchGeometry(
  p: PatchShape,
  g: Grid,
):
  | { type: "Polygon"; coordinates: [number, number][][] }
  | { type: "MultiPolygon"; coordinates: [number, number][][][] } {
  const t = transformer(g.crs, LONLAT);
  const x = g.transform;
  const mirrored = x[1] * x[5] - x[2] * x[4] > 0;
  const ring = (r: Ring): [number, number][] => {
    const out = r.map(([c, q]): [number, number] => {
      const [lon, lat] = t(...toMap(g, c, q));
      return [round(lon), round(lat)];
    });
    return mirrored ? out.reverse() : out;
  };
  const polygons = p.polygons.map((poly) => poly.map(ring));
  return polygons.length === 1
    ? { type: "Polygon", coordinates: polygons[0]! }
    : { type: "MultiPolygon", coordinates: polygons };
}

/**
 * Pieces of a FeatureCollection, so that any number of features can be streamed. `extra` are
 * foreign members.
 */
export function* featureCollection(
  features: Iterable<object>,
  extra: Record<string, unknown>,
): Generator<string> {
  yield `{"type":"FeatureCollection",${Object.entries(extra)
    .map(([k, v]) => `${JSON.stringify(k)}:${JSON.stringify(v)},`)
    .join("")}"features":[`;
  let first = true;
  for (const f of features) {
    yield `${first ? "" : ","}\n${JSON.stringify(f)}`;
    first = false;
  }
  yield "\n]}\n";
}
