import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, sayError } from "../api/client";
import { keys, useRuns } from "../api/hooks";
import { useUi } from "../state/ui";

export type ArchiveKind = "radar" | "elevation" | "orbit";
export interface Found {
  id: string;
  collection: string;
  kind: ArchiveKind;
  title: string;
  from: string;
  to: string;
  footprint: [number, number][] | null;
  pass: string | null;
  polarisations: string[];
  mode: string | null;
  platform: string | null;
  bytes: number | null;
  picture: boolean;
  have: boolean;
}
export interface ArchiveState {
  set: boolean;
  problem: string | null;
  title: string | null;
  host: string | null;
  kinds: ArchiveKind[];
}
export interface ArchiveQuery {
  kind: "radar" | "elevation";
  from: string | null;
  to: string | null;
  pass: string | null;
  polarisation: string | null;
  anywhere: boolean;
  next: string | null;
}
export interface Answer {
  items: Found[];
  next: string | null;
  leftOut: number;
  within: "study area" | "scenes" | null;
}
export interface Lacking {
  orbits: { sceneId: string; sceneName: string; item: Found | null }[];
  elevation: { items: Found[]; bytes: number } | null;
  problem: string | null;
}

/** The archive that the server knows, if any. */
export const useArchive = () =>
  useQuery({
    queryKey: ["archive"],
    queryFn: () => api<ArchiveState>("GET", "/archive"),
    staleTime: 60_000,
  });

/** What a study's chain lacks and the archive has. */
export const useLacking = (studyId: string, set: boolean, key: string) =>
  useQuery({
    queryKey: [...keys.lacking(studyId), key],
    queryFn: () => api<Lacking>("GET", `/studies/${studyId}/archive/lacking`),
    enabled: set,
    staleTime: 30_000,
  });

/** Starts fetching; says so, and what went wrong. */
export function useFetchItems(studyId: string) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (x: { kind: ArchiveKind; items: Found[] }) =>
      api<{ runId: string }>("POST", `/studies/${studyId}/archive/fetch`, {
        kind: x.kind,
        items: x.items.map(({ collection, id }) => ({ collection, id })),
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
