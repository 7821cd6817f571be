import type { Affine, Grid } from "@hindglance/core/grid/grid";
import { crsOfEpsg } from "../crs/epsg";
import { cornersOf, requirePlaced } from "../crs/place";
import { FormatError } from "../errors";
import { MemorySource } from "../source";
import { openTiff } from "../tiff/readTiff";
import type { Boxes } from "./boxes";

/** Where an image lies, or why that is not known. */
export interface Position {
  grid: Grid | null;
  noPosition: FormatError | null;
}

interface Size {
  width: number;
  height: number;
}

const numbersIn = (text: string | undefined): number[] =>
  (text ?? "")
    .trim()
    .split(/[\s,]+/)
    .map(Number);

/** Origin and vectors from cell to cell of a rectified grid, in the order of the text. */
function vectorsOf(gml: string): { origin: number[]; vectors: number[][] } | null {
  const origin = /<(?:\w+:)?origin>[\s\S]*?<\/(?:\w+:)?origin>/.exec(gml)?.[0] ?? "";
  const place = numbersIn(/<(?:\w+:)?(?:pos|coordinates)>([^<]+)</.exec(origin)?.[1]);
  const vectors = [...gml.matchAll(/<(?:\w+:)?offsetVector[^>]*>([^<]+)</g)].map((match) =>
    numbersIn(match[1]),
  );
  const isWhole =
    place.length >= 2 &&
    vectors.length >= 2 &&
    [...place, ...vectors.flat()].every(Number.isFinite);
  return isWhole ? { origin: place, vectors } : null;
}

/** Position from the GML of a JP2 file: origin is the centre of the first cell. */
async function gridOfGml(gml: string, { width, height }: Size): Promise<Grid | null> {
  const epsg = Number(/srsName="[^"]*?(\d{4,6})"/.exec(gml)?.[1] ?? 0);
  const found = vectorsOf(gml);
  if (!epsg || !found) {
    return null;
  }
  // Latitude comes first where the system is named by its authority.
  const isSwapped = epsg === 4326 && /urn:ogc|opengis\.net/.test(gml);
  const at = ([first = NaN, second = NaN]: number[] = []): [number, number] =>
    isSwapped ? [second, first] : [first, second];
  const [ox, oy] = at(found.origin);
  const [ax, ay] = at(found.vectors[0]);
  const [bx, by] = at(found.vectors[1]);
  const transform: Affine = [ox - (ax + bx) / 2, ax, bx, oy - (ay + by) / 2, ay, by];
  if (ax * by - ay * bx === 0) {
    return null;
  }
  const crs = await crsOfEpsg(epsg, cornersOf({ transform, width, height }));
  return requirePlaced({ crs, transform, width, height });
}

const UNKNOWN = new FormatError(
  "noPosition",
  "The file does not say where on the ground it lies",
  "A position, a world file or control points are needed.",
);

async function positionOfGeo(geo: Uint8Array, size: Size): Promise<Position> {
  const raster = await openTiff(new MemorySource(geo)).catch(() => null);
  return raster?.grid
    ? { grid: { ...raster.grid, ...size }, noPosition: null }
    : { grid: null, noPosition: raster?.noPosition ?? UNKNOWN };
}

/** @returns null where the GML says nothing that can be used */
async function positionOfGml(gml: string, size: Size): Promise<Position | null> {
  try {
    const grid = await gridOfGml(gml, size);
    return grid && { grid, noPosition: null };
  } catch (error) {
    if (error instanceof FormatError) {
      return { grid: null, noPosition: error };
    }
    throw error;
  }
}

/** Position of a JPEG 2000 image: from its TIFF of one cell, else from its GML. */
export async function positionOf({ geo, gml }: Boxes, size: Size): Promise<Position> {
  const fromGeo = geo ? await positionOfGeo(geo, size) : { grid: null, noPosition: UNKNOWN };
  if (fromGeo.grid || !gml) {
    return fromGeo;
  }
  return (await positionOfGml(gml, size)) ?? fromGeo;
}
