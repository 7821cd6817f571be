import { useState } from "react";
import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { RequestOf } from "@hindglance/contract/route";
import { verdictRoutes } from "@hindglance/contract/verdicts";
import type { Verdict } from "@hindglance/core/review/standing";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { SENT_AGAIN } from "../api/isAway";
import { VERDICT_KEYS, keys } from "../api/hooks";
import type { ChangeMap, PatchRow } from "../api/types";
import { useReviewer } from "../state/reviewer";
import { useUi } from "../state/ui";

type Body = RequestOf<typeof verdictRoutes.say>["body"];
/** What is said, of patches by number or by a question. */
export type Saying = Partial<Omit<Body, "reviewer">>;
/** Nothing said, of nothing. */
const UNSAID = { verdict: null, note: null, numbers: null, which: null };
/** An act is said, taken back or said again. */
type Deed = { saying: Saying; reviewer: string } | { act: number; undone: boolean };

/** Shows what is said at once, as if nobody else had said anything. */
function markInList(queryClient: QueryClient, map: string, { numbers, verdict }: Saying): void {
  if (!numbers || !verdict) {
    return;
  }
  const marked = (patch: PatchRow): PatchRow =>
    numbers.includes(patch.number) ? { ...patch, standing: verdict } : patch;
  queryClient.setQueriesData<{ patches: PatchRow[] }>(
    { queryKey: ["patches", map] },
    (old) => old && { ...old, patches: old.patches.map(marked) },
  );
}

const send = (id: string, deed: Deed): Promise<{ act?: number | null; patches: number }> =>
  "saying" in deed
    ? call(verdictRoutes.say, {
        params: { id },
        body: { ...UNSAID, ...deed.saying, reviewer: deed.reviewer },
      })
    : call(verdictRoutes.turn, {
        params: { id, act: String(deed.act) },
        body: { undone: deed.undone },
      });

/**
 * What somebody here said of the patches of a map, one after the other, and can take back.
 * @param onChanged is called when lists have come anew
 */
export function useVerdicts(map: ChangeMap, onChanged: () => void) {
  const queryClient = useQueryClient();
  const reviewer = useReviewer((state) => state.name);
  const [past, setPast] = useState<number[]>([]);
  const [future, setFuture] = useState<number[]>([]);
  const mutationKey = keys.verdicts(map.id);
  const mutation = useMutation({
    mutationKey,
    // In the order in which it was said.
    scope: { id: mutationKey.join(" ") },
    mutationFn: (deed: Deed) => send(map.id, deed),
    ...SENT_AGAIN,
    onMutate: (deed) => {
      if ("saying" in deed) {
        markInList(queryClient, map.id, deed.saying);
      }
    },
    onSuccess: ({ act }, deed) => {
      if ("saying" in deed && act != null) {
        setPast((all) => [...all, act]);
        setFuture([]);
      }
    },
    onError: (error) => useUi.getState().say(`Not said: ${sayError(error)}`, "wrong"),
    onSettled: () => {
      // The last one on its way asks for all that it changed.
      if (queryClient.isMutating({ mutationKey }) <= 1) {
        const asked = VERDICT_KEYS.map((queryKey) => queryClient.invalidateQueries({ queryKey }));
        void Promise.all(asked).then(onChanged);
      }
    },
  });
  const turn = (from: number[], undone: boolean) => {
    const act = from.at(-1);
    if (act === undefined) {
      return null;
    }
    return () => {
      (undone ? setPast : setFuture)(from.slice(0, -1));
      (undone ? setFuture : setPast)((all) => [...all, act]);
      mutation.mutate({ act, undone });
    };
  };
  return {
    reviewer,
    /** Says something of patches; false, and said why, where it is not known who speaks. */
    say: (saying: Saying): boolean => {
      if (!reviewer) {
        useUi.getState().say("Write your name first: a verdict has one.", "wrong");
        return false;
      }
      mutation.mutate({ saying, reviewer });
      return true;
    },
    undo: turn(past, true),
    redo: turn(future, false),
    /** Takes any act back, or says it again. */
    turn: (act: number, undone: boolean) => mutation.mutate({ act, undone }),
  };
}

/** Verdicts of one that looks through a map. */
export type VerdictsOnScreen = ReturnType<typeof useVerdicts>;

/** What all said of a patch. */
export const useSaid = (map: ChangeMap, patch: number) =>
  useQuery({
    queryKey: ["said", map.id, patch],
    queryFn: () => call(verdictRoutes.of, { params: { id: map.id, number: String(patch) } }),
  });

/** How the patches of a map stand, by class and zone, and who said so. */
export const useStanding = (map: ChangeMap) =>
  useQuery({
    queryKey: ["standing", map.id],
    queryFn: () => call(verdictRoutes.standing, { params: { id: map.id } }),
  });

/** What was said of the patches of a map, the latest first. */
export const useActs = (map: ChangeMap, enabled: boolean) =>
  useQuery({
    queryKey: ["acts", map.id],
    queryFn: () => call(verdictRoutes.acts, { params: { id: map.id } }),
    enabled,
  });

/** Words for what can be said, and its key. */
export const VERDICT_WORDS: { verdict: Verdict; name: string; key: string; hint: string }[] = [
  { verdict: "real", name: "Real", key: "R", hint: "It is what the map calls it" },
  { verdict: "false", name: "False", key: "F", hint: "It is not what the map calls it" },
  { verdict: "open", name: "Open", key: "O", hint: "It cannot be told" },
];
