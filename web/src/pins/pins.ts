import { pinRoutes } from "@hindglance/contract/pins";
import { call } from "../api/call";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { sayError } from "../api/client";
import { keys } from "../api/hooks";
import { useUi } from "../state/ui";
import type { Expectation, Pin, Place } from "./values";

export const SIZES = ["1", "3", "5", "7", "15"] as const;

/** Pins of a study. */
export const usePins = (studyId: string) =>
  useQuery({
    queryKey: keys.pins(studyId),
    queryFn: () => call(pinRoutes.list, { params: { id: studyId } }),
  });
/** @param version changes when the values may have changed: another chain, another scene */
export const useValues = (
  studyId: string,
  places: readonly Place[],
  sizeCells: number,
  version: string,
) =>
  useQuery({
    queryKey: ["values", studyId, places, sizeCells, version],
    queryFn: ({ signal }) =>
      call(
        pinRoutes.values,
        { params: { id: studyId }, body: { places: [...places], sizeCells } },
        signal,
      ),
    enabled: places.length > 0,
    staleTime: 60_000,
  });

/** Pins kept, changed and removed. */
export function usePinEdits(studyId: string) {
  const queryClient = useQueryClient();
  const onSuccess = () => void queryClient.invalidateQueries({ queryKey: keys.pins(studyId) });
  const onError = (e: unknown) => useUi.getState().say(sayError(e), "wrong");
  return {
    create: useMutation({
      mutationFn: (body: Pick<Pin, "name" | "lon" | "lat" | "expected">) =>
        call(pinRoutes.create, { params: { id: studyId }, body }),
      onSuccess,
      onError,
    }),
    update: useMutation({
      mutationFn: ({ id, ...pin }: { id: string; name?: string; expected?: Expectation | null }) =>
        call(pinRoutes.update, { params: { id }, body: pin }),
      onSuccess,
      onError,
    }),
    remove: useMutation({
      mutationFn: (id: string) => call(pinRoutes.remove, { params: { id } }),
      onSuccess,
      onError,
    }),
  };
}
