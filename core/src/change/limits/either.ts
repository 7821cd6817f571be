import { InputError } from "../../errors";
import { type NodeSpec, node } from "../../graph/node";
import { type Grid, sameGrid } from "../../grid/grid";
import type { ChangeSide } from "../setup";

/**
 * Where a mask of either date is set, on the grid of a map. @throws InputError where neither date
 * has one
 */
export function onEither(
  masks: readonly (ChangeSide | null)[],
  grid: Grid,
  refusal: { message: string; field: string; hint: string },
): NodeSpec {
  const there = masks.filter((mask) => mask !== null);
  if (there.length === 0) {
    throw new InputError(refusal.message, refusal.field, refusal.hint);
  }
  const placed = there.map((mask) =>
    sameGrid(mask.info.grid, grid)
      ? mask.node
      : node("grid.warp", { grid, kernel: "nearest" }, mask.node),
  );
  return node("mask.either", {}, ...placed);
}
