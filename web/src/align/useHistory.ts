import { useState } from "react";
import type { Alignment } from "@hindglance/core/align/alignment";
import { type AlignRow, useSetAlign } from "./align";

/** Former states of a date that are kept. */
const KEPT = 100;
const NOTHING: Alignment = { place: null, level: null };

/**
 * What Align does to a date, changed step by step: every change is kept by the server at once, and
 * can be taken back while the page is open.
 */
export function useHistory(studyId: string, date: AlignRow | null) {
  const set = useSetAlign(studyId);
  const [past, setPast] = useState<Record<string, Alignment[]>>({});
  const former = (date && past[date.sceneId]) ?? [];
  const now = date?.align ?? NOTHING;
  const send = (sceneId: string, next: Alignment, kept: Alignment[]) => {
    setPast({ ...past, [sceneId]: kept.slice(-KEPT) });
    set.mutate({ sceneId, was: now, now: next });
  };
  const last = former.at(-1);
  return {
    change: (part: Partial<Alignment>) => {
      if (date) {
        send(date.sceneId, { ...now, ...part }, [...former, now]);
      }
    },
    /** Takes the last change back; null where there is none. */
    undo: date && last ? () => send(date.sceneId, last, former.slice(0, -1)) : null,
  };
}

/** What is done to the date, and how it is taken back. */
export type History = ReturnType<typeof useHistory>;
