import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, sayError } from "../api/client";
import { keys } from "../api/hooks";
import { useUi } from "../state/ui";
import type { Expectation, Pin, Place, PlaceValues } from "./values";

export const SIZES = ["1", "3", "5", "7", "15"] as const;

/** Pins of a study. */
export const usePins = (studyId: string) =>
  useQuery({
    queryKey: keys.pins(studyId),
    queryFn: () => api<Pin[]>("GET", `/studies/${studyId}/pins`),
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
      api<PlaceValues>("POST", `/studies/${studyId}/values`, { places, sizeCells }, signal),
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
      mutationFn: (pin: Omit<Pin, "id">) => api<Pin>("POST", `/studies/${studyId}/pins`, pin),
      onSuccess,
      onError,
    }),
    update: useMutation({
      mutationFn: ({ id, ...pin }: { id: string; name?: string; expected?: Expectation | null }) =>
        api<Pin>("PATCH", `/pins/${id}`, pin),
      onSuccess,
      onError,
    }),
    remove: useMutation({
      mutationFn: (id: string) => api("DELETE", `/pins/${id}`),
      onSuccess,
      onError,
    }),
  };
}
