import { useCallback } from "react";
import { useOutletContext } from "react-router";
import { sayError } from "../api/client";
import { useScenes } from "../api/hooks";
import type { Study } from "../api/types";
import { Section } from "../frame/Section";
import { Workspace } from "../frame/Workspace";
import { TimeStrip } from "../frame/strip/TimeStrip";
import { Problem } from "../ui/Messages";
import { useUndoKey } from "../ui/useUndoKey";
import { AlignPicture } from "./AlignPicture";
import { DatesSection } from "./DatesSection";
import { GridDesk } from "./grid/GridDesk";
import { LevelDesk } from "./LevelDesk";
import { PlaceSection } from "./PlaceSection";
import { type History, useHistory } from "./useHistory";
import { type Marking, useMarking } from "./useMarking";
import { type Selection, useSelection } from "./useSelection";
import { type Laying, useWay } from "./useWay";

/** Align: dates and pictures brought to lie on each other, and to the same level. */
export function AlignPage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data ?? [];
  const selection = useSelection(study);
  const { date, reference } = selection;
  const history = useHistory(study.id, date);
  const marking = useMarking(date, selection.referenceId, history);
  const laying = useWay(date, reference);
  const { undo } = history;
  useUndoKey(useCallback(() => undo?.(), [undo]));
  if (selection.error) {
    return (
      <div className="m-auto w-[460px]">
        <Problem>{sayError(selection.error)}</Problem>
      </div>
    );
  }
  return (
    <Workspace
      label="Align"
      strip={
        <TimeStrip
          study={study}
          scenes={scenes}
          beforeId={study.compare?.beforeId ?? null}
          afterId={study.compare?.afterId ?? null}
          onPick={selection.pickDate}
          pickedId={date?.sceneId ?? null}
        />
      }
      picture={<AlignPicture {...{ study, selection, marking, laying }} />}
      desk={
        <>
          <DatesSection selection={selection} />
          <DateDesk studyId={study.id} {...{ selection, history, marking, laying }} />
          {reference?.aligned && (
            <Section title="Study grid">
              <GridDesk study={study} scenes={scenes} reference={reference.aligned.info.grid} />
            </Section>
          )}
        </>
      }
    />
  );
}

interface DeskProps {
  studyId: string;
  selection: Selection;
  history: History;
  marking: Marking;
  laying: Laying;
}

/** What is done to the date that is picked. */
function DateDesk({ studyId, selection, history, marking, laying }: DeskProps) {
  const { date, reference } = selection;
  if (!date?.raw || !reference) {
    return null;
  }
  return (
    <>
      <PlaceSection {...{ studyId, date, reference, history, marking, laying }} />
      {!date.picture && (
        <LevelDesk
          key={`${date.sceneId} ${reference.sceneId}`}
          studyId={studyId}
          sceneId={date.sceneId}
          referenceId={reference.sceneId}
          level={date.align?.level ?? null}
          onSet={(level) => history.change({ level })}
        />
      )}
    </>
  );
}
