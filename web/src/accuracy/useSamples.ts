import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type Place, accuracyRoutes } from "@hindglance/contract/accuracy";
import type { RequestOf } from "@hindglance/contract/route";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { SENT_AGAIN } from "../api/isAway";
import { useBegun } from "../api/useBegun";
import type { ChangeMap } from "../api/types";
import { useUi } from "../state/ui";

const KEYS = {
  samples: (map: string) => ["samples", map] as const,
  places: (sample: string, interpreter: string) => ["places", sample, interpreter] as const,
  result: (sample: string) => ["sampleResult", sample] as const,
};

/** Samples of a map, the newest first. */
export const useSamples = ({ id }: ChangeMap) =>
  useQuery({
    queryKey: KEYS.samples(id),
    queryFn: () => call(accuracyRoutes.list, { params: { id } }),
  });

/** What came of looking at a sample. */
export const useSampleResult = (sample: string | null) =>
  useQuery({
    queryKey: KEYS.result(sample ?? ""),
    queryFn: () => call(accuracyRoutes.result, { params: { id: sample! } }),
    enabled: sample !== null,
  });

/** Places of a sample with what an interpreter said of them. */
export const usePlaces = (sample: string, interpreter: string) =>
  useQuery({
    queryKey: KEYS.places(sample, interpreter),
    queryFn: () => call(accuracyRoutes.places, { params: { id: sample }, query: { interpreter } }),
    staleTime: Infinity,
  });

type Order = RequestOf<typeof accuracyRoutes.draw>["body"];
type AreaOrder = RequestOf<typeof accuracyRoutes.testAreas>["body"];

/** What a map is tested on, made in a run. @param onMade is given the id of what was made */
function useMade<T>(
  map: ChangeMap,
  begin: (order: T) => Promise<{ runId: string }>,
  onMade: (sample: string) => void,
) {
  const queryClient = useQueryClient();
  return useBegun(begin, async (result) => {
    await queryClient.invalidateQueries({ queryKey: KEYS.samples(map.id) });
    if (result?.sampleId) {
      onMade(result.sampleId);
    }
  });
}

/** Draws samples of a map, in a run. @param onDrawn is given the id of one that was drawn */
export function useDraw(map: ChangeMap, onDrawn: (sample: string) => void) {
  const order = (body: Order) => call(accuracyRoutes.draw, { params: { id: map.id }, body });
  const { begin: draw, isBusy } = useMade(map, order, onDrawn);
  return { draw, isBusy };
}

/** Tests a map on areas of known class, in a run. @param onCounted is given the id of what was counted */
export function useTestAreas(map: ChangeMap, onCounted: (sample: string) => void) {
  const order = (body: AreaOrder) =>
    call(accuracyRoutes.testAreas, { params: { id: map.id }, body });
  const { begin: count, isBusy } = useMade(map, order, onCounted);
  return { count, isBusy };
}

/** Deletes a sample with all that was said of its places. */
export function useRemoveSample(map: ChangeMap) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (id: string) => call(accuracyRoutes.remove, { params: { id } }),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: KEYS.samples(map.id) }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  }).mutate;
}

/** What somebody says of a place; taken back where `label` is undefined. */
interface Saying {
  number: number;
  label: number | null | undefined;
  note: string;
}

const send = (id: string, interpreter: string, { number, label, note }: Saying) =>
  label === undefined
    ? call(accuracyRoutes.unlook, {
        params: { id, number: String(number) },
        query: { interpreter },
      })
    : call(accuracyRoutes.look, { params: { id }, body: { interpreter, number, label, note } });

/**
 * Says what places are, one after the other, and again while the server is away. What is on its way is
 * shown as such: only what the server has counts.
 */
export function useLooks(map: ChangeMap, sample: string, interpreter: string) {
  const queryClient = useQueryClient();
  const queryKey = KEYS.places(sample, interpreter);
  const mutationKey = ["looks", sample, interpreter];
  const [waiting, setWaiting] = useState<ReadonlySet<number>>(new Set());
  const mark = (number: number, isWaiting: boolean) =>
    setWaiting((all) => {
      const next = new Set(all);
      next[isWaiting ? "add" : "delete"](number);
      return next;
    });
  const { mutate } = useMutation({
    mutationKey,
    scope: { id: mutationKey.join(" ") },
    mutationFn: (saying: Saying) => send(sample, interpreter, saying),
    ...SENT_AGAIN,
    onMutate: ({ number }) => mark(number, true),
    onSuccess: (_none, { number, label, note }) => {
      queryClient.setQueryData<Place[]>(queryKey, (old) =>
        old?.map((place) =>
          place.number === number
            ? { ...place, isLooked: label !== undefined, label: label ?? null, note }
            : place,
        ),
      );
    },
    onError: (error) => useUi.getState().say(`Not kept: ${sayError(error)}`, "wrong"),
    onSettled: (_none, _error, { number }) => {
      mark(number, false);
      if (queryClient.isMutating({ mutationKey }) <= 1) {
        void queryClient.invalidateQueries({ queryKey: KEYS.samples(map.id) });
        void queryClient.invalidateQueries({ queryKey: KEYS.result(sample) });
      }
    },
  });
  return { say: (saying: Saying) => mutate(saying), waiting };
}
