import { useState } from "react";
import { sayError } from "../api/client";
import { useUpdateStudy } from "../api/hooks";
import type { AreaGeometry, Study } from "../api/types";
import { useUi } from "../state/ui";

/** Sets the study area, and takes that back: the areas that were there are remembered. */
export function useStudyArea(study: Study) {
  const update = useUpdateStudy(study.id);
  const [past, setPast] = useState<Study["studyArea"][]>([]);
  const send = (studyArea: Study["studyArea"], done: () => void) =>
    update.mutate(
      { studyArea, was: { studyArea: study.studyArea } },
      {
        onSuccess: done,
        onError: (error) => useUi.getState().say(sayError(error), "wrong"),
      },
    );
  return {
    set: (geometry: AreaGeometry, done: () => void) => {
      const before = study.studyArea;
      send(geometry, () => {
        setPast((all) => [...all, before]);
        useUi.getState().say("The study area is set.");
        done();
      });
    },
    undo: past.length
      ? () => send(past.at(-1) ?? null, () => setPast((all) => all.slice(0, -1)))
      : null,
  };
}
