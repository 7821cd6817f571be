import { type DrawnSheet, type SheetState, sheetRoutes } from "@hindglance/contract/sheet";
import type { Sheet } from "@hindglance/core/sheet/layout";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys } from "../../api/hooks";
import type { ChangeMap } from "../../api/types";
import { useUi } from "../../state/ui";
import { SheetSaver } from "./saver";

const stateKey = (mapId: string) => ["sheet", mapId] as const;
const layoutsKey = ["sheetLayouts"] as const;

const wrong = (error: Error): void => useUi.getState().say(sayError(error), "wrong");

/** What is set of the sheet of a map; undefined while it is asked for. */
export const useSheetState = (map: ChangeMap): SheetState | undefined =>
  useQuery({
    queryKey: stateKey(map.id),
    queryFn: () => call(sheetRoutes.find, { params: { id: map.id } }),
    // What is edited here is newer than what the server would say again.
    staleTime: Infinity,
    gcTime: 0,
  }).data;

/** Pages of a sheet as they are drawn; the last ones until the next are there. */
export const useDrawn = (map: ChangeMap, sheet: Sheet) => {
  const { data, error, isFetching } = useQuery<DrawnSheet>({
    queryKey: ["sheetPages", map.id, sheet],
    queryFn: () => call(sheetRoutes.draw, { params: { id: map.id }, body: { sheet } }),
    placeholderData: keepPreviousData,
  });
  return { drawn: data, error, isDrawing: isFetching };
};

interface History {
  sheet: Sheet;
  past: readonly Sheet[];
  future: readonly Sheet[];
}

/** Changes that can be taken back. */
const MOST = 100;

/** A sheet that is edited: changed, taken back, done again, and kept by itself. */
export function useEdited(map: ChangeMap, state: SheetState) {
  const queryClient = useQueryClient();
  const [history, setHistory] = useState<History>({ sheet: state.sheet, past: [], future: [] });
  const [saver] = useState(
    () =>
      new SheetSaver(
        async (sheet, version) => {
          const saved = await call(sheetRoutes.save, {
            params: { id: map.id },
            body: { sheet, version },
          });
          // Files of the sheet that was are not offered any more.
          void queryClient.invalidateQueries({ queryKey: keys.maps(map.studyId) });
          return saved;
        },
        state.version,
        wrong,
      ),
  );
  useEffect(() => () => void saver.flush(), [saver]);
  const become = useCallback(
    (next: (from: History) => History) =>
      setHistory((from) => {
        const to = next(from);
        if (to.sheet !== from.sheet) {
          saver.keep(to.sheet);
        }
        return to;
      }),
    [saver],
  );
  const change = useCallback(
    (to: (sheet: Sheet) => Sheet) =>
      become(({ sheet, past }) => ({
        sheet: to(sheet),
        past: [...past, sheet].slice(-MOST),
        future: [],
      })),
    [become],
  );
  const undo = useCallback(
    () =>
      become((from) => {
        const last = from.past.at(-1);
        return last
          ? { sheet: last, past: from.past.slice(0, -1), future: [from.sheet, ...from.future] }
          : from;
      }),
    [become],
  );
  const redo = useCallback(
    () =>
      become((from) => {
        const [next, ...future] = from.future;
        return next ? { sheet: next, past: [...from.past, from.sheet], future } : from;
      }),
    [become],
  );
  return {
    ...{ sheet: history.sheet, change, undo, redo, flush: () => saver.flush() },
    ...{ canUndo: history.past.length > 0, canRedo: history.future.length > 0 },
  };
}

/** Layouts that were saved for all studies: listed, saved, deleted. */
export function useLayouts() {
  const queryClient = useQueryClient();
  const again = () => void queryClient.invalidateQueries({ queryKey: layoutsKey });
  const list = useQuery({ queryKey: layoutsKey, queryFn: () => call(sheetRoutes.layouts, {}) });
  const save = useMutation({
    mutationFn: (body: { name: string; layout: Sheet["layout"] }) =>
      call(sheetRoutes.saveLayout, { body }),
    onSuccess: ({ name }) => {
      useUi.getState().say(`The layout “${name}” is saved for all studies.`);
      again();
    },
    onError: wrong,
  });
  const remove = useMutation({
    mutationFn: (id: string) => call(sheetRoutes.removeLayout, { params: { id } }),
    onSettled: again,
    onError: wrong,
  });
  return { layouts: list.data ?? [], save: save.mutate, remove: remove.mutate };
}
