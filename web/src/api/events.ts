import { useEffect } from "react";
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { answerIn } from "./client";
import { EDIT_KEYS, SAMPLE_KEYS, VERDICT_KEYS, keys } from "./hooks";
import { PAGE, useLine } from "./page";
import type { Run } from "./types";

/** What the server tells of a study: which of its tables was changed, and the version it has now. */
interface StudyEvent {
  id: string;
  part: string;
  version: number | null;
}

type Key = readonly unknown[];

/**
 * What is asked for anew when a part of a study was changed, here or on another page; the study itself
 * and its comparison tell how old they are (`takeStudy`).
 */
const CHANGED: Record<string, (id: string) => Key[]> = {
  study: (id) => [keys.prepare(id), keys.sides(id), keys.align(id), keys.classify(id)],
  scene: (id) => [
    keys.scenes(id),
    keys.prepare(id),
    keys.sides(id),
    keys.orbits(id),
    keys.classify(id),
  ],
  zone_layer: (id) => [keys.zones(id)],
  overlay: (id) => [keys.overlays(id)],
  pin: (id) => [keys.pins(id)],
  change_map: (id) => [keys.maps(id), ["exposure"]],
  orbit_file: (id) => [keys.prepare(id), keys.sides(id), keys.orbits(id)],
  blob: (id) => [keys.arriving(id), keys.uploads(id)],
  edit: () => EDIT_KEYS,
  sample: (id) => [...SAMPLE_KEYS, keys.maps(id)],
  verdict: (id) => [...VERDICT_KEYS, keys.maps(id)],
};

/** What an ended run has changed. */
const ENDED = (id: string): Key[] => [
  keys.scenes(id),
  keys.maps(id),
  keys.ledger(id),
  keys.arriving(id),
  keys.uploads(id),
  keys.sides(id),
  keys.comparison(id),
  keys.prepare(id),
  keys.lacking(id),
  keys.studies,
];

const refresh = (queryClient: QueryClient, all: Key[]): void =>
  all.forEach((queryKey) => void queryClient.invalidateQueries({ queryKey }));

/**
 * Takes what is told of a run into the list of runs. A list that was asked for before that is not
 * taken when it comes: in it the run may still go on, and nobody would say again that it has ended.
 */
function takeRun(queryClient: QueryClient, run: Run): void {
  const isAsked = queryClient.isFetching({ queryKey: keys.runs }) > 0;
  if (isAsked) {
    void queryClient.cancelQueries({ queryKey: keys.runs });
  }
  queryClient.setQueryData<Run[]>(keys.runs, (old) => {
    const rest = (old ?? []).filter((other) => other.id !== run.id);
    return [run, ...rest].sort((a, b) => (a.createdAt < b.createdAt ? 1 : -1));
  });
  if (isAsked) {
    refresh(queryClient, [keys.runs]);
  }
  if (run.state !== "running" && run.studyId) {
    refresh(queryClient, ENDED(run.studyId));
  }
}

/** Asks anew for what says of itself that it is of an older version of its study. */
function refreshOlder(queryClient: QueryClient, queryKey: Key, version: number | null): void {
  for (const [key, held] of queryClient.getQueriesData<{ version: number }>({ queryKey })) {
    if (!held || version === null || held.version < version) {
      void queryClient.invalidateQueries({ queryKey: key, exact: true });
    }
  }
}

/**
 * What tells its own version is asked for anew where it is older than what was told: of a change of
 * this page's own it is not. The rest does not say how old it is, and always is.
 */
function takeStudy(queryClient: QueryClient, { id, part, version }: StudyEvent): void {
  if (part === "study") {
    refreshOlder(queryClient, keys.study(id), version);
    refreshOlder(queryClient, keys.comparison(id), version);
  }
  if (
    part === "classification" &&
    queryClient.isMutating({ mutationKey: keys.classify(id) }) === 0
  ) {
    void queryClient.invalidateQueries({ queryKey: keys.classify(id) });
  }
  if (part === "sample") {
    // Where this page is, what it says of places is newer than what it would be given.
    void queryClient.invalidateQueries({ queryKey: ["places"], refetchType: "none" });
  }
  refresh(queryClient, [...(CHANGED[part]?.(id) ?? []), keys.studies]);
}

/**
 * Lets the page hear of runs and of what is changed on other pages. Changes of this page's own are
 * in flight for a moment before their version is known; they are waited for.
 */
export function useEvents(): void {
  const queryClient = useQueryClient();
  useEffect(() => {
    const source = new EventSource(`/api/events?page=${PAGE}`);
    source.addEventListener("run", (event) =>
      takeRun(queryClient, answerIn<Run>(String(event.data))),
    );
    source.addEventListener("study", (event) => {
      const told = answerIn<StudyEvent>(String(event.data));
      const take = () =>
        queryClient.isMutating() > 0 ? void setTimeout(take, 150) : takeStudy(queryClient, told);
      take();
    });
    // The server has not heard everything for a moment: all that is shown is asked for again.
    source.addEventListener("again", () => void queryClient.invalidateQueries());
    // After a break something may have been missed.
    source.onopen = () => {
      useLine.setState(({ made }) => ({ made: made + 1 }));
      refresh(queryClient, [keys.runs]);
    };
    return () => source.close();
  }, [queryClient]);
}
