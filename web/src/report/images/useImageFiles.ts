import { isCompared } from "@hindglance/contract/comparison";
import {
  type ImageFile,
  type ImageFileAsk,
  imageFileRoutes,
} from "@hindglance/contract/imageFiles";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys, useRuns } from "../../api/hooks";
import type { Scene } from "../../api/types";
import { useUi } from "../../state/ui";

/** How images are taken away, as it is typed. */
export interface ImageSettings {
  of: ImageFileAsk["of"];
  /** Code of a system; empty: their own. */
  epsg: string;
  /** Side of a cell in units of the system; empty: about their own. */
  cellSize: string;
  asDecibel: boolean;
}

/** What is wrong with a code of a system, or null. */
export const codeProblem = (typed: string): string | null =>
  /^\s*(EPSG:)?\d{4,6}\s*$/i.test(typed) || typed.trim() === ""
    ? null
    : "Four to six digits, such as 32727";

/** What is wrong with a cell size, or null. */
export const sizeProblem = (typed: string): string | null =>
  typed.trim() === "" || Number(typed) > 0 ? null : "A number greater than 0";

/** What is asked of the server for a scene; null while something typed cannot be taken. */
export function askFor(sceneId: string, settings: ImageSettings): ImageFileAsk | null {
  const { of, epsg, cellSize, asDecibel } = settings;
  if (codeProblem(epsg) ?? sizeProblem(cellSize)) {
    return null;
  }
  const code = epsg.replace(/\D/g, "");
  const size = cellSize.trim();
  return {
    ...{ sceneId, of, asDecibel },
    epsg: code === "" ? null : Number(code),
    cellSize: size === "" ? null : Number(size),
  };
}

/** Scenes that a file can be made of: as they are compared, or as they were taken in. */
export const takeable = (scenes: readonly Scene[], of: ImageFileAsk["of"]): Scene[] =>
  scenes.filter(
    ({ kind, info }) =>
      info && (of === "compared" ? isCompared(kind) : !isSensorFrame(info.grid.crs)),
  );

const filesKey = (studyId: string) => ["imageFiles", studyId] as const;

/** Files of a study's images: those that are there, those under way, how they are made and deleted. */
export function useImageFiles(studyId: string) {
  const queryClient = useQueryClient();
  const [sceneOf, setSceneOf] = useState<Record<string, string>>({});
  const key = filesKey(studyId);
  const runs = (useRuns().data ?? []).filter(
    (run) => run.kind === "makeImageFile" && run.studyId === studyId,
  );
  const ended = runs.filter(({ state }) => state !== "running").length;
  const files = useQuery({
    // One that has just been made is asked for with its run's end.
    queryKey: [...key, ended],
    queryFn: () => call(imageFileRoutes.list, { params: { id: studyId } }),
    placeholderData: (before: ImageFile[] | undefined) => before,
  });
  const wrong = (error: Error) => useUi.getState().say(sayError(error), "wrong");
  const make = useMutation({
    scope: { id: key.join(" ") },
    mutationFn: (ask: ImageFileAsk) =>
      call(imageFileRoutes.make, { params: { id: studyId }, body: ask }),
    onSuccess: ({ runId, fileName, grid }, { sceneId }) => {
      setSceneOf((all) => ({ ...all, [runId]: sceneId }));
      useUi.getState().say(`${fileName} is being made: ${grid}.`);
      void queryClient.invalidateQueries({ queryKey: keys.runs });
    },
    onError: wrong,
  });
  const remove = useMutation({
    mutationFn: (id: string) => call(imageFileRoutes.remove, { params: { id } }),
    onSettled: () => void queryClient.invalidateQueries({ queryKey: key }),
    onError: wrong,
  });
  return {
    files: files.data,
    /** Runs that this page began for a scene and that go on. */
    runningFor: (sceneId: string) =>
      runs.filter(({ id, state }) => state === "running" && sceneOf[id] === sceneId),
    make: make.mutate,
    isAsking: make.isPending,
    remove: remove.mutate,
  };
}
