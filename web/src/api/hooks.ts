import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api } from "./client";
import type {
  ChangeMap,
  LedgerEntry,
  NodeView,
  Run,
  Scene,
  Side,
  Study,
  Upload,
  ZoneLayer,
} from "./types";

export const keys = {
  studies: ["studies"] as const,
  study: (id: string) => ["study", id] as const,
  scenes: (id: string) => ["scenes", id] as const,
  uploads: (id: string) => ["uploads", id] as const,
  zones: (id: string) => ["zones", id] as const,
  maps: (id: string) => ["maps", id] as const,
  runs: ["runs"] as const,
  ledger: (id: string) => ["ledger", id] as const,
  align: (id: string) => ["align", id] as const,
  sides: (id: string) => ["sides", id] as const,
  comparison: (id: string) => ["comparison", id] as const,
  prepare: (id: string) => ["prepare", id] as const,
  orbits: (id: string) => ["orbits", id] as const,
  pins: (id: string) => ["pins", id] as const,
  lacking: (id: string) => ["lacking", id] as const,
};

/** All studies. */
export const useStudies = () =>
  useQuery({ queryKey: keys.studies, queryFn: () => api<Study[]>("GET", "/studies") });

/** One study. */
export const useStudy = (id: string) =>
  useQuery({ queryKey: keys.study(id), queryFn: () => api<Study>("GET", `/studies/${id}`) });

/** Scenes of a study. */
export const useScenes = (id: string) =>
  useQuery({
    queryKey: keys.scenes(id),
    queryFn: () => api<Scene[]>("GET", `/studies/${id}/scenes`),
  });

/** Files of a study that are no scenes yet. */
export const useUploads = (id: string) =>
  useQuery({
    queryKey: keys.uploads(id),
    queryFn: () => api<Upload[]>("GET", `/studies/${id}/uploads`),
  });

/** What each date of a study is compared as. */
export const useSides = (id: string) =>
  useQuery({
    queryKey: keys.sides(id),
    queryFn: () => api<Side[]>("GET", `/studies/${id}/compare/sides`),
  });

/** Zone layers of a study. */
export const useZones = (id: string) =>
  useQuery({
    queryKey: keys.zones(id),
    queryFn: () => api<ZoneLayer[]>("GET", `/studies/${id}/zones`),
  });

/** Change maps of a study. */
export const useChangeMaps = (id: string) =>
  useQuery({
    queryKey: keys.maps(id),
    queryFn: () => api<ChangeMap[]>("GET", `/studies/${id}/change-maps`),
  });

/** Runs that go on or have just ended; kept fresh by events. */
export const useRuns = () =>
  useQuery({ queryKey: keys.runs, queryFn: () => api<Run[]>("GET", "/runs") });

/** What was done in a study. */
export const useLedger = (id: string) =>
  useQuery({
    queryKey: keys.ledger(id),
    queryFn: () => api<LedgerEntry[]>("GET", `/studies/${id}/ledger`),
  });

/** The image that shows a scene. */
export const useSceneNode = (scene: Scene | null) =>
  useQuery({
    queryKey: ["sceneNode", scene?.id, scene?.imageId],
    queryFn: () => api<NodeView>("GET", `/scenes/${scene!.id}/node`),
    enabled: !!scene?.imageId,
    staleTime: Infinity,
  });

/** Changes what a study is called and about. */
export function useUpdateStudy(id: string) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (s: Partial<Study>) => api<Study>("PATCH", `/studies/${id}`, s),
    onSuccess: (study) => {
      queryClient.setQueryData(keys.study(id), study);
      void queryClient.invalidateQueries({ queryKey: keys.studies });
    },
  });
}
