import { createRequire } from "node:module";
import { feature } from "topojson-client";
import type { GeometryCollection, Topology } from "topojson-specification";
import type { Rings } from "@hindglance/core/sheet/facts";

type Ring = [number, number][];

let read: Ring[] | null = null;
/** Outlines of the land of the Earth, longitude and latitude. */
function land(): Ring[] {
  if (!read) {
    // The package describes its file as plain JSON; it is a topology with one object.
    // eslint-disable-next-line @typescript-eslint/no-unsafe-type-assertion
    const topology = createRequire(import.meta.url)("world-atlas/land-50m.json") as Topology<{
      land: GeometryCollection;
    }>;
    read = feature(topology, topology.objects.land).features.flatMap(({ geometry }) => {
      if (geometry.type === "Polygon") {
        return geometry.coordinates.map((ring) => ring.map(([x, y]): [number, number] => [x!, y!]));
      }
      return geometry.type === "MultiPolygon"
        ? geometry.coordinates
            .flat()
            .map((ring) => ring.map(([x, y]): [number, number] => [x!, y!]))
        : [];
    });
  }
  return read;
}

/** Outlines of land that reach into so many degrees around a place; over the date line too. */
export function landAround([lon, lat]: readonly [number, number], degrees: number): Rings {
  const near: Ring[] = [];
  for (const ring of land()) {
    for (const turn of [-360, 0, 360]) {
      const isNear = ring.some(
        ([x, y]) => Math.abs(x + turn - lon) < degrees && Math.abs(y - lat) < degrees,
      );
      // A ring around all of it has no corner near.
      if (isNear || isAround(ring, [lon - turn, lat])) {
        near.push(turn === 0 ? ring : ring.map(([x, y]) => [x + turn, y]));
      }
    }
  }
  return near;
}

/** Whether a place lies in a ring. */
function isAround(ring: Ring, [px, py]: readonly [number, number]): boolean {
  let isIn = false;
  for (let k = 0, j = ring.length - 1; k < ring.length; j = k++) {
    const [[x1, y1], [x2, y2]] = [ring[k]!, ring[j]!];
    if (y1 > py !== y2 > py && px < ((x2 - x1) * (py - y1)) / (y2 - y1) + x1) {
      isIn = !isIn;
    }
  }
  return isIn;
}
