import { type ArchiveKind, type Found, archiveRoutes } from "@hindglance/contract/archive";
import { call } from "../../api/call";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { sayError } from "../../api/client";
import { keys, useRuns } from "../../api/hooks";
import { useUi } from "../../state/ui";

export type { ArchiveAnswer as Answer, ArchiveQuery, Found } from "@hindglance/contract/archive";

/** The archive that the server knows, if any. @param wanted whether it is asked at all */
export const useArchive = (wanted = true) =>
  useQuery({
    queryKey: ["archive"],
    queryFn: () => call(archiveRoutes.state, {}),
    staleTime: 60_000,
    enabled: wanted,
  });

/** What a study's chain lacks and the archive has. */
export const useLacking = (studyId: string, set: boolean, key: string) =>
  useQuery({
    queryKey: [...keys.lacking(studyId), key],
    queryFn: () => call(archiveRoutes.lacking, { params: { id: studyId } }),
    enabled: set,
    staleTime: 30_000,
  });

/** Starts fetching; says so, and what went wrong. */
export function useFetchItems(studyId: string) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (x: { kind: ArchiveKind; items: Found[] }) =>
      call(archiveRoutes.fetch, {
        params: { id: studyId },
        body: {
          kind: x.kind,
          items: x.items.map(({ collection, id }) => ({ collection, id })),
        },
      }),
    onSuccess: () => {
      void queryClient.invalidateQueries({ queryKey: keys.runs });
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
}
/** Whether something is being fetched for a study. */
export const useFetching = (studyId: string) =>
  (useRuns().data ?? []).filter(
    (run) => run.kind === "fetchItems" && run.studyId === studyId && run.state === "running",
  );

/** Bytes of all files of items together. */
export const totalBytes = (items: readonly Found[]): number =>
  items.reduce((n, found) => n + (found.bytes ?? 0), 0);
