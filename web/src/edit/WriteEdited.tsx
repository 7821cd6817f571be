import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { editRoutes } from "@hindglance/contract/edits";
import { call } from "../api/call";
import { keys, useRuns } from "../api/hooks";
import { useBegun } from "../api/useBegun";
import type { ChangeMap } from "../api/types";
import { number } from "../lib/format";
import { useUi } from "../state/ui";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/Button";
import { inputStyle } from "../ui/Labelled";
import { cx } from "../ui/cx";
import type { EditsOnScreen } from "./useEdits";

interface Props {
  map: ChangeMap;
  edits: EditsOnScreen;
}

/** Writes the edited map, and goes to its tally once it is there. */
function useWriteEdited(map: ChangeMap) {
  const queryClient = useQueryClient();
  const go = useNavigate();
  const write = (name: string) =>
    call(editRoutes.write, { params: { id: map.id }, body: { name } });
  return useBegun(write, async (result) => {
    if (result?.changeMapId) {
      await queryClient.invalidateQueries({ queryKey: keys.maps(map.studyId) });
      useUi.getState().say("The edited map is written.");
      void go(`/studies/${map.studyId}/tally?map=${result.changeMapId}`);
    }
  });
}

/** The edited map as a map of its own: its name, and writing it. */
export function WriteEdited({ map, edits: { state, isSaving } }: Props) {
  const [name, setName] = useState(`${map.name}, edited`);
  const { begin, isBusy } = useWriteEdited(map);
  const running = useRuns().data?.find(
    (run) =>
      run.kind === "writeEditedMap" && run.studyId === map.studyId && run.state === "running",
  );
  const isBare = state === null || state.head === null;
  return (
    <div className="space-y-2">
      <div className="text-label text-soft" role="status">
        {isSaving ? "Saving …" : savedText(state)}
      </div>
      <div className="flex items-center gap-2">
        <input
          aria-label="Name of the edited map"
          className={cx(inputStyle, "min-w-0 flex-1")}
          maxLength={120}
          value={name}
          onChange={({ target }) => setName(target.value)}
        />
        {running ? (
          <span className="w-[140px] shrink-0">
            <span className="text-label text-soft">{running.doing}</span>
            <Bar share={running.progress} label="Writing the edited map" />
          </span>
        ) : (
          <Button
            tone="act"
            className="shrink-0"
            disabled={isBare || isBusy || isSaving || name.trim() === ""}
            onClick={() => begin(name.trim())}
          >
            Write edited map
          </Button>
        )}
      </div>
    </div>
  );
}

function savedText(state: EditsOnScreen["state"]): string {
  if (!state) {
    return "Loading …";
  }
  if (state.head === null) {
    return "No edits count: the map is as it was written.";
  }
  const gone = `${number(state.gone)} ${state.gone === 1 ? "patch" : "patches"} changed or gone`;
  return `All saved · ${gone}, ${number(state.made)} new or in their place`;
}
