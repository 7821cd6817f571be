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

export const useStudies = () =>
  useQuery({ queryKey: keys.studies, queryFn: () => api<Study[]>("GET", "/studies") });
export const useStudy = (id: string) =>
  useQuery({ queryKey: keys.study(id), queryFn: () => api<Study>("GET", `/studies/${id}`) });
export const useScenes = (id: string) =>
  useQuery({
    queryKey: keys.scenes(id),
    queryFn: () => api<Scene[]>("GET", `/studies/${id}/scenes`),
  });
export const useUploads = (id: string) =>
  useQuery({
    queryKey: keys.uploads(id),
    queryFn: () => api<Upload[]>("GET", `/studies/${id}/uploads`),
  });
export const useSides = (id: string) =>
  useQuery({
    queryKey: keys.sides(id),
    queryFn: () => api<Side[]>("GET", `/studies/${id}/compare/sides`),
  });
export const useZones = (id: string) =>
  useQuery({
    queryKey: keys.zones(id),
    queryFn: () => api<ZoneLayer[]>("GET", `/studies/${id}/zones`),
  });
export const useChangeMaps = (id: string) =>
  useQuery({
    queryKey: keys.maps(id),
    queryFn: () => api<ChangeMap[]>("GET", `/studies/${id}/change-maps`),
  });
export const useRuns = () =>
  useQuery({ queryKey: keys.runs, queryFn: () => api<Run[]>("GET", "/runs") });
export const useLedger = (id: string) =>
  useQuery({
    queryKey: keys.ledger(id),
    queryFn: () => api<LedgerEntry[]>("GET", `/studies/${id}/ledger`),
  });
export const useSceneNode = (scene: Scene | null) =>
  useQuery({
    queryKey: ["sceneNode", scene?.id, scene?.imageId],
    queryFn: () => api<NodeView>("GET", `/scenes/${scene!.id}/node`),
    enabled: !!scene?.imageId,
    staleTime: Infinity,
  });

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
