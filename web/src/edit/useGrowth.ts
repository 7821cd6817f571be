import { useDeferredValue, useMemo, useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { editRoutes } from "@hindglance/contract/edits";
import { MOST_DISTANCE, grownCells } from "@hindglance/core/classify/growArea";
import { type Grid, toCell } from "@hindglance/core/grid/grid";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { call } from "../api/call";
import { sayError } from "../api/client";
import type { ChangeMap } from "../api/types";
import { bytesOf } from "../lib/bytesOf";
import { useUi } from "../state/ui";

/** How far the measure may differ where nobody said so yet, as a share of its spread about the place. */
const USUAL_SHARE = 0.3;

/** Polygons of a part of a map in the cells of the whole. */
function inWhole(polygons: MultiPolygon, part: Grid, whole: Grid): MultiPolygon {
  const [col, row] = toCell(whole, part.transform[0], part.transform[3]).map(Math.round);
  return polygons.map((rings) => rings.map((ring) => ring.map(([c, r]) => [c + col!, r + row!])));
}

/** Ground that grows within the measure from a place of a map: asked for once, then as far as is said. */
export function useGrowth(map: ChangeMap) {
  const [share, setShare] = useState(USUAL_SHARE);
  const { mutate, reset, data, isPending } = useMutation({
    mutationFn: async (at: [number, number]) => {
      const found = await call(editRoutes.grow, { params: { id: map.id }, body: { at } });
      return { ...found, levels: bytesOf(found.levels) };
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const upTo = useDeferredValue(share);
  const { grid } = map.info;
  const area = useMemo(() => {
    if (!data) {
      return null;
    }
    const grown = grownCells(data, upTo);
    return { ...grown, polygons: inWhole(grown.polygons, data.grid, grid) };
  }, [data, upTo, grid]);
  return {
    area,
    isPending,
    /** As a share of the spread of the measure; at most `most`. */
    ...{ share, setShare, most: MOST_DISTANCE },
    /** Spread of the measure about the place, in its unit; null before a place is known. */
    spread: data?.spread ?? null,
    /** @param at in the coordinates of the map */
    from: (at: [number, number]) => mutate(at),
    discard: reset,
  };
}

/** Ground that grows, as far as it did. */
export type Growth = ReturnType<typeof useGrowth>;
