import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type Edit, type EditState, editRoutes } from "@hindglance/contract/edits";
import { call } from "../api/call";
import { ApiError, sayError } from "../api/client";
import { EDIT_KEYS } from "../api/hooks";
import { SENT_AGAIN } from "../api/isAway";
import type { ChangeMap } from "../api/types";
import { uuid } from "../lib/uuid";
import { useReviewer } from "../state/reviewer";
import { useUi } from "../state/ui";

/** Something is done to patches, with a key by which it is done once; or another state is gone to. */
type Deed = { key: string; editor: string; edit: Edit } | { to: number | null };

const send = async (id: string, deed: Deed): Promise<number[]> => {
  if ("to" in deed) {
    await call(editRoutes.go, { params: { id }, body: { head: deed.to } });
    return [];
  }
  return (await call(editRoutes.do, { params: { id }, body: deed })).made;
};

/** How far the edits of a map are. */
const useEditState = ({ id }: ChangeMap) =>
  useQuery({
    queryKey: ["edits", id],
    queryFn: () => call(editRoutes.state, { params: { id } }),
    placeholderData: (former) => former,
  });

/** How edits are kept: along cells, and over other patches. */
export type Manner = Pick<Edit, "isSnapped" | "isTaking">;

/** What is done to patches, without how it is kept. */
export type What = Omit<Edit, keyof Manner>;

/**
 * Edits of the patches of a map: what was done, and what can be.
 * @param onDone is given the patches that an edit made, or nothing where another state was gone to
 * @param onRefused is called where the server does not do it
 */
export function useEdits(map: ChangeMap, onDone: (made: number[]) => void, onRefused: () => void) {
  const queryClient = useQueryClient();
  const editor = useReviewer(({ name }) => name);
  const state: EditState | null = useEditState(map).data ?? null;
  const mutationKey = ["doEdit", map.id];
  const mutation = useMutation({
    mutationKey,
    scope: { id: mutationKey.join(" ") },
    mutationFn: (deed: Deed) => send(map.id, deed),
    ...SENT_AGAIN,
    onSuccess: onDone,
    onError: (error) => {
      useUi.getState().say(`Not done: ${sayError(error)}`, "wrong");
      onRefused();
    },
    onSettled: () =>
      EDIT_KEYS.forEach((queryKey) => void queryClient.invalidateQueries({ queryKey })),
  });
  const go = (to: number | null) => mutation.mutate({ to });
  const isAt = state !== null && state.head !== null;
  return {
    state,
    isSaving: mutation.isPending,
    /** Does something to patches; whether it is known who does. */
    act: (what: What, manner: Manner): boolean => {
      if (!editor) {
        useUi.getState().say("Write your name first: an edit has one.", "wrong");
        return false;
      }
      mutation.mutate({ key: uuid(), editor, edit: { ...what, ...manner } });
      return true;
    },
    go,
    undo: isAt ? () => go(state.before) : null,
    redo: state?.redo ? () => go(state.redo) : null,
  };
}

/** Edits of a map as they are on screen. */
export type EditsOnScreen = ReturnType<typeof useEdits>;

/**
 * The whole outline of a patch in cells of the map; undefined while it is not known. Where edits left
 * nothing of it, it is gone.
 */
export function useWholePatch(map: ChangeMap, number: number | null) {
  const state = useEditState(map).data;
  const { data, error } = useQuery({
    // What came of a patch is another one in each state of the edits.
    queryKey: ["editedPatch", map.id, number, state?.head],
    queryFn: () => call(editRoutes.patch, { params: { id: map.id, number: String(number) } }),
    enabled: number !== null && state !== undefined,
    placeholderData: (former) => (former?.number === number ? former : undefined),
    staleTime: Infinity,
    retry: false,
  });
  return { whole: data, isGone: error instanceof ApiError && error.status === 404 };
}
