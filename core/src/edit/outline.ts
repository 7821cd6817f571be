import { type Grid, toCell } from "../grid/grid";
import { ontoGrid } from "../grid/globe";
import type { MultiPolygon, Position } from "../vector/polygons";
import { isRecord } from "../values";
import { STEPS_A_CELL } from "./clip";

/** An outline of a patch as it is kept: longitude and latitude. */
export type OutlineGeometry =
  | { type: "Polygon"; coordinates: Position[][] }
  | { type: "MultiPolygon"; coordinates: Position[][][] };

const isOutline = (value: unknown): value is OutlineGeometry =>
  isRecord(value) &&
  (value.type === "Polygon" || value.type === "MultiPolygon") &&
  Array.isArray(value.coordinates);

/** An outline from the text that a map keeps of it. @throws Error where it is none */
export function outlineFrom(text: string): OutlineGeometry {
  const value: unknown = JSON.parse(text);
  if (!isOutline(value)) {
    throw new Error(`A patch is kept without an outline: ${text.slice(0, 60)}`);
  }
  return value;
}

/**
 * An outline in cells of a map. One that follows the sides of cells comes onto them exactly; any other
 * onto the lattice on which outlines are edited.
 * @param followsCells whether nobody gave it another outline
 */
export function outlineInCells(
  { type, coordinates }: OutlineGeometry,
  grid: Grid,
  followsCells: boolean,
): MultiPolygon {
  const onto = ontoGrid(grid);
  const steps = followsCells ? 1 : STEPS_A_CELL;
  const polygons = type === "Polygon" ? [coordinates] : coordinates;
  return polygons.map((rings) =>
    rings.map((ring) =>
      ring.map(([lon, lat]): Position => {
        const [col, row] = toCell(grid, ...onto(lon, lat));
        return [Math.round(col * steps) / steps, Math.round(row * steps) / steps];
      }),
    ),
  );
}
