import { comparisonRoutes } from "@hindglance/contract/compare";
import { call } from "../api/call";
import { useEffect, useMemo, useRef } from "react";
import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { changesBetween } from "@hindglance/contract/changes";
import type { Comparison, ComparisonView } from "@hindglance/contract/comparison";
import { ApiError, sayError } from "../api/client";
import { keys } from "../api/hooks";
import { PAGE } from "../api/page";
import type { Study } from "../api/types";
import { useUi } from "../state/ui";
import { useCompare } from "./state";
import { useSettled } from "./useSettled";

/** Settings are sent once they have been still for this long, milliseconds. */
const STILL_MS = 350;

/** What of a study decides how its comparison is computed, besides the settings. */
export type Ground = readonly unknown[];

const viewKey = (studyId: string, ground: Ground) => [...keys.comparison(studyId), ...ground];

/**
 * The later of two answers. They need not come in the order in which the server gave them: one that
 * was long on its way must not put back what another page has changed since.
 */
const later = (held: ComparisonView | undefined, come: ComparisonView): ComparisonView =>
  held && held.version > come.version ? held : come;

/** Keeps what the study says of its comparison in step with what the server answered. */
function takeView(queryClient: QueryClient, studyId: string, ground: Ground, view: ComparisonView) {
  queryClient.setQueryData<ComparisonView>(viewKey(studyId, ground), (held) => later(held, view));
  queryClient.setQueryData<Study>(keys.study(studyId), (study) =>
    study && study.version <= view.version
      ? { ...study, version: view.version, compare: view.comparison }
      : study,
  );
}

/**
 * Why the server is told: something was changed, exact areas are wanted, or they are wanted although
 * dates have to be prepared on the way.
 */
type Wish = "changes" | "areas" | "anyway";

/** Sends what was changed since the server was last told; one after the other. */
function useSave(studyId: string, ground: Ground) {
  const queryClient = useQueryClient();
  return useMutation({
    scope: { id: `comparison ${studyId}` },
    mutationFn: async (wish: Wish) => {
      const { saved, comparison } = useCompare.getState();
      if (!saved || !comparison) {
        return;
      }
      const changes = changesBetween(saved.comparison, comparison);
      if (changes.length === 0 && wish === "changes") {
        return;
      }
      const view = await call(comparisonRoutes.change, {
        params: { id: studyId },
        body: { changes, measure: wish === "anyway" ? "anyway" : "yes", page: PAGE },
      });
      takeView(queryClient, studyId, ground, view);
      useCompare.getState().savedAs(comparison, view);
    },
    onError: async (error) => {
      if (error instanceof ApiError && error.code === "changedElsewhere") {
        await queryClient.invalidateQueries({ queryKey: keys.comparison(studyId) });
        return;
      }
      useUi.getState().say(`These settings could not be kept. ${sayError(error)}`, "wrong");
    },
  });
}

/** What was not still long enough to be sent is sent when the page or the stage is left. */
function useLeaving(studyId: string, send: (wish: "changes") => void): void {
  useEffect(() => {
    const onHide = () => {
      const { studyId: opened, saved, comparison } = useCompare.getState();
      const changes =
        opened === studyId && saved && comparison
          ? changesBetween(saved.comparison, comparison)
          : [];
      if (changes.length) {
        void fetch(`/api/studies/${studyId}/comparison`, {
          method: "PATCH",
          keepalive: true,
          headers: { "content-type": "application/json" },
          body: JSON.stringify({ changes, measure: "no" }),
        });
      }
    };
    window.addEventListener("pagehide", onHide);
    return () => {
      window.removeEventListener("pagehide", onHide);
      if (useCompare.getState().studyId === studyId) {
        send("changes");
      }
    };
  }, [studyId, send]);
}

/** Takes in what the server holds: as a beginning, or because another page changed it. */
function useAdoption(studyId: string, view: ComparisonView | undefined, saving: boolean): void {
  useEffect(() => {
    const { studyId: opened, saved, open, adopt } = useCompare.getState();
    if (!view || saving) {
      return;
    }
    if (opened !== studyId || !saved) {
      open(studyId, view);
    } else if (view.version > saved.version) {
      const changed = changesBetween(saved.comparison, view.comparison).length > 0;
      const both = adopt(view);
      if (changed) {
        useUi
          .getState()
          .say(
            both
              ? "These settings were changed on another page."
              : "The same setting was changed on another page: theirs is shown, undo brings yours back.",
          );
      }
    }
  }, [studyId, view, saving]);
}

/** Asks for the exact areas of a map that nobody has asked for; once, since it may be cancelled. */
function useMeasuring(areas: ComparisonView["areas"], send: (wish: "areas") => void): void {
  const asked = useRef<string | null>(null);
  useEffect(() => {
    if (areas?.state === "notAsked" && asked.current !== areas.hash) {
      asked.current = areas.hash;
      send("areas");
    }
  }, [areas, send]);
}

/**
 * The comparison of a study on screen, kept in step with the server: what is changed here is sent
 * once it is still, what is changed elsewhere is taken in.
 * @param ground what its answer depends on besides the settings: an answer for other ground is old
 */
export function useVersions(studyId: string, ground: Ground) {
  const comparison = useCompare((state) => (state.studyId === studyId ? state.comparison : null));
  const dragging = useCompare((state) => state.dragFrom !== null);
  const saved = useCompare((state) => state.saved);
  const queryClient = useQueryClient();
  const queryKey = viewKey(studyId, ground);
  const query = useQuery({
    queryKey,
    queryFn: async () => {
      const view = await call(comparisonRoutes.find, { params: { id: studyId } });
      return later(queryClient.getQueryData(queryKey), view);
    },
    staleTime: Infinity,
    placeholderData: (previous: ComparisonView | undefined) => previous,
  });
  const save = useSave(studyId, ground);
  useAdoption(studyId, query.isPlaceholderData ? undefined : query.data, save.isPending);

  const settled = useSettled(comparison, STILL_MS, dragging);
  const { mutate } = save;
  useEffect(() => {
    const state = useCompare.getState();
    if (settled && settled === state.comparison && state.studyId === studyId) {
      mutate("changes");
    }
  }, [settled, studyId, mutate]);

  useLeaving(studyId, mutate);

  // An answer counts only for the very settings that are on screen.
  const isCurrent = useMemo(
    () =>
      !!query.data &&
      !query.isPlaceholderData &&
      changesBetween(query.data.comparison, comparison).length === 0,
    [query.data, query.isPlaceholderData, comparison],
  );
  useMeasuring(isCurrent ? (query.data?.areas ?? null) : null, mutate);
  return {
    comparison,
    dragging,
    /** Whether the server holds no comparison yet. */
    isFresh: saved !== null && saved.comparison === null && comparison === null,
    view: query.data ?? null,
    isCurrent,
    error: query.error,
    measureAnyway: () => mutate("anyway"),
  };
}

/** A comparison with its pair and settings filled in. */
export type Whole = Comparison & { beforeId: string; afterId: string };
