import { useDeferredValue, useMemo, useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { classifyRoutes } from "@hindglance/contract/classify";
import { type Grown, type GrownArea, grownArea } from "@hindglance/core/classify/growArea";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { bytesOf } from "../lib/bytesOf";
import { useUi } from "../state/ui";

/** How unlike the first cell ground may be where nobody said so yet, in standard deviations. */
const USUAL_DISTANCE = 0.3;

/** Ground as far as its area needs it. */
type ShownGround = Pick<Grown, "grid" | "levels">;

/** Ground that grows from a place of a date: asked for once, then as far as the page says. */
export function useGrow(studyId: string, sceneId: string | null) {
  const [distance, setDistance] = useState(USUAL_DISTANCE);
  const { mutate, reset, data, isPending } = useMutation({
    mutationFn: async (at: [number, number]) => {
      const body = { sceneId: sceneId!, at };
      const { grid, levels } = await call(classifyRoutes.grow, { params: { id: studyId }, body });
      return { sceneId, grown: { grid, levels: bytesOf(levels) } satisfies ShownGround };
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const grown = data?.sceneId === sceneId ? data.grown : null;
  const upTo = useDeferredValue(distance);
  const area = useMemo<GrownArea | null>(() => grown && grownArea(grown, upTo), [grown, upTo]);
  return {
    area,
    distance,
    setDistance,
    isPending,
    /** @param at longitude and latitude */
    from: (at: [number, number]) => mutate(at),
    discard: reset,
  };
}

/** Ground that grows, as far as it did. */
export type GrowOnScreen = ReturnType<typeof useGrow>;
