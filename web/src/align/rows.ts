import type { BandInfo } from "@hindglance/core/graph/image";
import { dayYear, number } from "../lib/format";
import type { AlignRow } from "./align";
import { fitOf, offsetFigures } from "./figures";

/** The day of a date; null where its name holds that already. */
export function dayOf({ acquiredAt, name }: AlignRow): string | null {
  const day = acquiredAt && dayYear(acquiredAt);
  return day && !name.includes(day) ? day : null;
}

/** A date's name with its day. */
export function nameOf(row: AlignRow): string {
  const day = dayOf(row);
  return day ? `${row.name}, ${day}` : row.name;
}

const NOT_COMPARED: (BandInfo["role"] | undefined)[] = ["quality", "mask", "hidden"];

/**
 * Bands of the reference that dates can be laid by, named as its comparable form has them: decibels
 * on screen are power underneath.
 */
export const bandsOf = (row: AlignRow | null): BandInfo[] =>
  (row?.raw?.info.bands ?? []).filter(({ role }) => !NOT_COMPARED.includes(role));

/** How a date lies, in a few words. */
export function stateOf(row: AlignRow, referenceId: string | null): string {
  const place = row.align?.place;
  if (row.sceneId === referenceId) {
    return "the others are laid on it";
  }
  if (place?.kind === "offset") {
    const grid = row.raw?.info.grid;
    if (!grid) {
      return "moved";
    }
    const { east, south } = offsetFigures(place, grid);
    return `moved ${number(Math.hypot(east, south), 2)} cells · RMSE ${number(place.rmseCells, 2)}`;
  }
  if (place?.kind === "points") {
    const found = fitOf(place, row.picture);
    return "fit" in found ? `${found.used.length} control points` : found.problem;
  }
  return row.picture ? "no position yet" : (row.problem ?? "as it lies");
}
