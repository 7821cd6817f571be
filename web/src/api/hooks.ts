import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { compareRoutes } from "@hindglance/contract/compare";
import type { RequestOf } from "@hindglance/contract/route";
import { runRoutes } from "@hindglance/contract/runs";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { studyRoutes } from "@hindglance/contract/studies";
import { uploadRoutes } from "@hindglance/contract/upload";
import { call } from "./call";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { Scene } from "./types";

export const keys = {
  studies: ["studies"] as const,
  study: (id: string) => ["study", id] as const,
  scenes: (id: string) => ["scenes", id] as const,
  arriving: (id: string) => ["arriving", id] as const,
  uploads: (id: string) => ["uploads", id] as const,
  zones: (id: string) => ["zones", id] as const,
  overlays: (id: string) => ["overlays", id] as const,
  /** Features of one overlay. */
  overlay: (id: string) => ["overlay", id] as const,
  maps: (id: string) => ["maps", id] as const,
  runs: ["runs"] as const,
  ledger: (id: string) => ["ledger", id] as const,
  align: (id: string) => ["align", id] as const,
  sides: (id: string) => ["sides", id] as const,
  classify: (id: string) => ["classify", id] as const,
  comparison: (id: string) => ["comparison", id] as const,
  prepare: (id: string) => ["prepare", id] as const,
  orbits: (id: string) => ["orbits", id] as const,
  pins: (id: string) => ["pins", id] as const,
  datum: (scene: string) => ["datum", scene] as const,
  lacking: (id: string) => ["lacking", id] as const,
  /** What is being said of the patches of a map. */
  verdicts: (map: string) => ["verdicts", map] as const,
};

/** What is asked for anew when something was said of patches: lists, how they stand, who said what. */
export const VERDICT_KEYS = [
  ["patches"],
  ["outlines"],
  ["outline"],
  ["standing"],
  ["said"],
  ["acts"],
];

/** What is asked for anew when patches of a map were edited; the outline that has a number stays. */
export const EDIT_KEYS = [["edits"], ["editedOutlines"]];

/** What is asked for anew when a sample was drawn or deleted, or something was seen at its places. */
export const SAMPLE_KEYS = [["samples"], ["sampleResult"]];

/** All studies. */
export const useStudies = () =>
  useQuery({ queryKey: keys.studies, queryFn: () => call(studyRoutes.list, {}) });

/** One study. */
export const useStudy = (id: string) =>
  useQuery({ queryKey: keys.study(id), queryFn: () => call(studyRoutes.find, { params: { id } }) });

/** Scenes of a study. */
export const useScenes = (id: string) =>
  useQuery({
    queryKey: keys.scenes(id),
    queryFn: () => call(sceneRoutes.list, { params: { id } }),
  });

/** Files of a study that are no scenes yet. */
export const useUploads = (id: string) =>
  useQuery({
    queryKey: keys.uploads(id),
    queryFn: () => call(uploadRoutes.list, { params: { id } }),
  });

/** How often what others send is looked at, milliseconds. */
const LOOK_MS = 3000;

/** Files of a study that are on their way, or were refused. */
export const useArriving = (id: string) =>
  useQuery({
    queryKey: keys.arriving(id),
    queryFn: () => call(uploadRoutes.arriving, { params: { id } }),
    // That more bytes have come is told to nobody.
    refetchInterval: ({ state }) =>
      state.data?.some((thing) => thing.state !== "refused") ? LOOK_MS : false,
  });

/** What each date of a study is compared as. */
export const useSides = (id: string) =>
  useQuery({
    queryKey: keys.sides(id),
    queryFn: () => call(compareRoutes.sides, { params: { id } }),
  });

/** Orbit files of a study. */
export const useOrbits = (id: string) =>
  useQuery({
    queryKey: keys.orbits(id),
    queryFn: () => call(sceneRoutes.orbits, { params: { id } }),
  });

/** Zone layers of a study. */
export const useZones = (id: string) =>
  useQuery({
    queryKey: keys.zones(id),
    queryFn: () => call(sceneRoutes.zones, { params: { id } }),
  });

/** Features that lie over every map of a study. */
export const useOverlays = (id: string) =>
  useQuery({
    queryKey: keys.overlays(id),
    queryFn: () => call(sceneRoutes.overlays, { params: { id } }),
  });

/** Change maps of a study. */
export const useChangeMaps = (id: string) =>
  useQuery({
    queryKey: keys.maps(id),
    queryFn: () => call(changeMapRoutes.list, { params: { id } }),
  });

/** Runs that go on or have just ended; kept fresh by events. */
export const useRuns = () =>
  useQuery({ queryKey: keys.runs, queryFn: () => call(runRoutes.list, { query: {} }) });

/** What was done in a study. */
export const useLedger = (id: string) =>
  useQuery({
    queryKey: keys.ledger(id),
    queryFn: () => call(studyRoutes.ledger, { params: { id } }),
  });

/** The image that shows a scene. */
export const useSceneNode = (scene: Scene | null) =>
  useQuery({
    queryKey: ["sceneNode", scene?.id, scene?.imageId],
    queryFn: () => call(sceneRoutes.node, { params: { id: scene!.id }, query: {} }),
    enabled: !!scene?.imageId,
    staleTime: Infinity,
  });

/** Changes what a study is called and about. */
export function useUpdateStudy(id: string) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (body: RequestOf<typeof studyRoutes.update>["body"]) =>
      call(studyRoutes.update, { params: { id }, body }),
    onSuccess: (study) => {
      queryClient.setQueryData(keys.study(id), study);
      void queryClient.invalidateQueries({ queryKey: keys.studies });
    },
  });
}
