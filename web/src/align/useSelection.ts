import { useMemo, useState } from "react";
import type { Study } from "../api/types";
import { type AlignRow, useAlign } from "./align";
import { firstReference } from "./figures";

const NONE: AlignRow[] = [];

/** The date that is laid: the one that was picked, else the after date, else another one. */
function dateOf(
  rows: AlignRow[],
  picked: AlignRow | undefined,
  referenceId: string | null,
  afterId: string | null,
): AlignRow | null {
  const others = rows.filter((row) => row.sceneId !== referenceId);
  if (picked && others.includes(picked)) {
    return picked;
  }
  const after = others.find((row) => row.sceneId === afterId);
  return after ?? others.find((row) => row.raw) ?? others[0] ?? null;
}

/** Every date, the one that is laid and the one that it is laid on. */
export function useSelection(study: Study) {
  const asked = useAlign(study.id);
  const rows = asked.data ?? NONE;
  const [chosenReference, setReference] = useState<string | null>(null);
  const [chosenDate, setDate] = useState<string | null>(null);
  const { beforeId = null, afterId = null } = study.compare ?? {};
  return useMemo(() => {
    const picked = rows.find((row) => row.sceneId === chosenDate);
    const held = picked?.align?.place?.referenceId ?? picked?.align?.level?.referenceId;
    const referenceId = chosenReference ?? held ?? firstReference(rows, beforeId);
    return {
      rows,
      error: asked.error,
      isPending: !asked.data,
      referenceId,
      reference: rows.find((row) => row.sceneId === referenceId) ?? null,
      date: dateOf(rows, picked, referenceId, afterId),
      setReference,
      /** Picks the date to lay; the reference itself gives way then. */
      pickDate: (id: string) => {
        setDate(id);
        if (id === referenceId) {
          setReference(null);
        }
      },
    };
  }, [rows, asked.error, asked.data, chosenReference, chosenDate, beforeId, afterId]);
}

/** The dates of Align and which of them are worked with. */
export type Selection = ReturnType<typeof useSelection>;
