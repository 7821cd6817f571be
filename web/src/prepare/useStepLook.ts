import { useCallback, useMemo, useState } from "react";
import { prepareRoutes } from "@hindglance/contract/prepare";
import type { NodeView } from "@hindglance/contract/nodes";
import type { AnswerOf } from "@hindglance/contract/route";
import type { Family } from "@hindglance/core/chain/family";
import { useQuery } from "@tanstack/react-query";
import { call } from "../api/call";
import { type Look, type LookChoice, bandLook, bandsOfLook, looksOf } from "../map/look";
import type { BoardRow, Desk, PrepareView } from "./chainState";
import { type Pictures, usePictures } from "./usePictures";
import { type FieldBox, useField } from "./useFields";
import type { Prepare } from "./usePrepare";

/** Nodes of a step for one scene. */
export type StepNodes = AnswerOf<typeof prepareRoutes.nodes>;
/** A box on the map: left, bottom, right, top. */
export type MapBox = [number, number, number, number];

/** Nodes of a step for one scene, found again whenever the chain changes. */
function useStepNodes(
  studyId: string,
  family: Family,
  sceneId: string | null,
  step: string,
  chainKey: string,
) {
  return useQuery({
    queryKey: ["stepNodes", studyId, family, sceneId, step, chainKey],
    queryFn: () =>
      call(prepareRoutes.nodes, {
        params: { id: studyId },
        query: { family },
        body: { sceneId: sceneId!, step },
      }),
    enabled: !!sceneId,
    staleTime: Infinity,
    retry: false,
    placeholderData: (old) => old,
  });
}

/** Two pictures in one frame have one key, so that a marked field stays while settings change. */
function frameKey(sceneId: string | undefined, nodes: StepNodes | undefined): string {
  if (!nodes) {
    return "";
  }
  const { crs, width } = nodes.input.info.grid;
  return `${sceneId}/${nodes.output.info.grid.crs.code}/${crs.code}/${width}`;
}

/** What is being marked on the picture, and what has been. */
function useMarks(frame: string) {
  const [marking, setMarking] = useState<"field" | "preview" | null>(null);
  const [field, setField] = useState<{ key: string; input: FieldBox; output: FieldBox } | null>(
    null,
  );
  const [preview, setPreview] = useState<MapBox | null>(null);
  const takeField = useCallback(
    (boxes: { input: FieldBox; output: FieldBox } | null) => {
      setMarking(null);
      setField(boxes && { key: frame, ...boxes });
    },
    [frame],
  );
  const takePreview = useCallback((box: MapBox | null) => {
    setMarking(null);
    setPreview(box);
  }, []);
  const markField = (on: boolean) => {
    setMarking(on ? "field" : null);
    if (on) {
      setField(null);
    }
  };
  return {
    marking,
    box: field?.key === frame ? field : null,
    preview,
    takeField,
    takePreview,
    markField,
    markPreview: () => setMarking(marking === "preview" ? null : "preview"),
  };
}

/** The bands that are shown: what was chosen, else what the step makes, else natural colours. */
function shownLook(chosen: Look | null, looks: readonly LookChoice[], made: string | null): Look {
  if (chosen && looks.some((choice) => choice.value === chosen)) {
    return chosen;
  }
  return made ? bandLook(made) : "natural";
}

/** Name of the first band that the step adds to the image, where it adds one. */
function bandMade(nodes: StepNodes | undefined, step: string): string | null {
  if (step !== "indices" || !nodes) {
    return null;
  }
  const before = nodes.input.info.bands.map((band) => band.name);
  return nodes.output.info.bands.find((band) => !before.includes(band.name))?.name ?? null;
}

/** Which bands of both sides are shown, and whether the haze map is. */
function useChosenLook(family: Family, step: string, nodes: StepNodes | undefined) {
  const [chosen, setChosen] = useState<Look | null>(null);
  const [haze, setHaze] = useState(false);
  const isOptical = family === "optical";
  const looks = nodes && isOptical ? looksOf(nodes.output.info.bands) : [];
  return {
    looks,
    look: isOptical ? shownLook(chosen, looks, bandMade(nodes, step)) : "none",
    choose(look: Look) {
      setChosen(look);
      setHaze(false);
    },
    levels: haze && !!nodes?.levels,
    toggleLevels: () => setHaze(!haze),
  };
}

interface StepSides {
  input: NodeView | null;
  output: NodeView | null;
}
interface SideBands {
  input: number[];
  output: number[];
}

/** Figures of both sides over the marked field or the scene, and the band that they are of. */
function useFigures(
  family: Family,
  { input, output }: StepSides,
  bands: SideBands,
  box: { input: FieldBox; output: FieldBox } | null,
) {
  const nameOf = (side: NodeView | null, k: number | undefined) => side?.info.bands[k ?? 0]?.name;
  const bandIn = nameOf(input, bands.input[0]);
  const bandOut = nameOf(output, bands.output[0]);
  // Figures of in stand beside those of out only where both are of one band.
  const together = family === "radar" || bandIn === bandOut;
  return {
    input: useField(together && input ? input.hash : null, box && box.input, bands.input[0]),
    output: useField(output && output.hash, box && box.output, bands.output[0]),
    /** The band that figures are of, where there are several to choose from. */
    what: family === "optical" ? (bandOut ?? null) : null,
  };
}

/** Whatever makes the pictures of a step others. */
const keyOfChain = (view: PrepareView | null, row: BoardRow | null): string =>
  view
    ? JSON.stringify([view.chain, view.exceptions, view.heldOut, view.orbits.length, row?.result])
    : "";

/** Everything that is seen of a step: its nodes, bands, stretches, figures and marks. */
export function useStepLook(
  studyId: string,
  view: PrepareView | null,
  prepare: Prepare,
  desk: Desk,
  row: BoardRow | null,
  family: Family,
) {
  const { step } = desk;
  const chainKey = keyOfChain(view, row);
  const sceneId = row && !prepare.saving ? row.sceneId : null;
  const { data, error } = useStepNodes(studyId, family, sceneId, step, chainKey);
  const marks = useMarks(frameKey(row?.sceneId, data));
  const chosen = useChosenLook(family, step, data);
  const input = data?.input ?? null;
  const output = data?.output ?? null;
  const bands = useMemo(
    () => ({
      input: input ? bandsOfLook(input.info.bands, chosen.look) : [0],
      output: output ? bandsOfLook(output.info.bands, chosen.look) : [0],
    }),
    [input, output, chosen.look],
  );
  const pictures: Pictures = usePictures(family, { input, output }, bands, chosen.look);
  return {
    ...marks,
    ...chosen,
    ...useFigures(family, { input, output }, bands, marks.box),
    chainKey,
    nodes: data ?? null,
    error,
    pictures,
    marked: marks.box !== null,
  };
}
export type StepLook = ReturnType<typeof useStepLook>;
