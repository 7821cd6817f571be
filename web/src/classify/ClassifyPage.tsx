import { useCallback } from "react";
import { useOutletContext, useSearchParams } from "react-router";
import type { ClassifyView } from "@hindglance/contract/classify";
import { sayError } from "../api/client";
import { useScenes } from "../api/hooks";
import type { Study } from "../api/types";
import { Workspace } from "../frame/Workspace";
import { TimeStrip } from "../frame/strip/TimeStrip";
import { Problem } from "../ui/Messages";
import { useUndoKey } from "../ui/useUndoKey";
import type { Training } from "@hindglance/contract/classify";
import type { ClassifySettings, LegendClass } from "@hindglance/core/classify/settings";
import { extraName } from "@hindglance/core/classify/extraInputs";
import { ApartSection } from "./ApartSection";
import { AreaSection } from "./AreaSection";
import { wayOf } from "./changes";
import { ClassifyPicture } from "./ClassifyPicture";
import { GroupsSection } from "./GroupsSection";
import { type GroupsOnScreen, useGroups } from "./useGroups";
import { InputsSection } from "./InputsSection";
import { LegendSection } from "./LegendSection";
import { MethodSection } from "./MethodSection";
import { ModelSection } from "./ModelSection";
import { SmoothSection } from "./SmoothSection";
import { TestSection } from "./TestSection";
import { type Classify, useClassify } from "./useClassify";
import { type DrawingOnScreen, useDrawing } from "./useDrawing";
import { type TrainingOnScreen, useTraining } from "./useTraining";
import { WriteFooter } from "./WriteFooter";

/** The date that is looked at, which stands in the address; the latest where none does. */
function useDate(view: ClassifyView | null) {
  const [search, setSearch] = useSearchParams();
  const wanted = search.get("date");
  const dates = view?.dates ?? [];
  const date = dates.find(({ sceneId }) => sceneId === wanted) ?? dates.at(-1) ?? null;
  const pick = (id: string) => {
    if (dates.some(({ sceneId }) => sceneId === id)) {
      setSearch({ date: id }, { replace: true });
    }
  };
  return { date, pick };
}

/** Names and colours of the classes: of the study, or of the model that dates are classified by. */
const legendOf = (
  { legend, model }: ClassifySettings,
  training: Training | null,
): readonly LegendClass[] =>
  model && training
    ? (training.labels.info.classes ?? []).map((one) => ({ ...one, note: "" }))
    : legend;

/** Classify: ground that somebody knows, and the classes of every date by it. */
export function ClassifyPage() {
  const study = useOutletContext<Study>();
  const classify = useClassify(study.id);
  const { date, pick } = useDate(classify.view);
  const training = useTraining(study.id, date?.sceneId ?? null, classify);
  const groups = useGroups(study.id, date?.sceneId ?? null, classify);
  const drawing = useDrawing(study.id, date?.sceneId ?? null, classify);
  const scenes = (useScenes(study.id).data ?? []).filter(({ id }) =>
    classify.view?.dates.some(({ sceneId }) => sceneId === id),
  );
  const { undo } = classify;
  useUndoKey(useCallback(() => undo?.(), [undo]));
  if (classify.error) {
    return (
      <div className="m-auto w-[460px]">
        <Problem>{sayError(classify.error)}</Problem>
      </div>
    );
  }
  return (
    <Workspace
      label="Classify"
      strip={
        <TimeStrip
          study={study}
          scenes={scenes}
          beforeId={null}
          afterId={null}
          onPick={pick}
          pickedId={date?.sceneId ?? null}
        />
      }
      picture={<Picture {...{ study, date, classify, training, groups, drawing }} />}
      desk={<Desk studyId={study.id} {...{ date, classify, training, groups, drawing }} />}
      footer={<WriteFooter studyId={study.id} {...{ classify, training }} />}
    />
  );
}

interface DeskProps extends Omit<PictureProps, "study"> {
  studyId: string;
}

/** Everything that decides the classes, from the legend to what is cleaned. */
function Desk({ studyId, date, classify, training, groups, drawing }: DeskProps) {
  const sceneId = date?.sceneId ?? null;
  const { settings } = classify;
  const unsupervised = wayOf(settings) === "groups" ? settings.unsupervised : null;
  return (
    <>
      <LegendSection
        sceneId={sceneId}
        active={drawing.label}
        onActive={drawing.setActive}
        {...{ classify, training }}
      />
      {date && <AreaSection sceneId={date.sceneId} {...{ classify, drawing }} />}
      <InputsSection studyId={studyId} classify={classify} training={training.data} />
      <ModelSection studyId={studyId} {...{ classify, training }} />
      {unsupervised ? (
        <GroupsSection sceneId={sceneId} {...{ classify, groups, unsupervised }} />
      ) : (
        <MethodSection {...{ classify, training }} />
      )}
      {date && !unsupervised && <TestSection sceneId={date.sceneId} {...{ classify, training }} />}
      <SmoothSection {...{ studyId, sceneId, classify, training, groups }} />
      <ApartSection
        training={training}
        legend={legendOf(settings, training.data)}
        besides={(settings.extras ?? []).map(extraName)}
      />
    </>
  );
}

interface PictureProps {
  study: Study;
  date: ClassifyView["dates"][number] | null;
  classify: Classify;
  training: TrainingOnScreen;
  groups: GroupsOnScreen;
  drawing: DrawingOnScreen;
}

/** The date on the map, or why there is nothing to see. */
function Picture({ study, date, classify, drawing, ...found }: PictureProps) {
  if (!classify.view) {
    return <Note text="Looking at the dates …" />;
  }
  if (!date) {
    return <Note text="There is no date yet. Add scenes first." />;
  }
  const { picture } = date;
  if (!picture) {
    return (
      <div className="m-auto mt-24 w-[460px]">
        <Problem>{`${date.name}: ${date.problem}. See Prepare.`}</Problem>
      </div>
    );
  }
  return (
    <ClassifyPicture
      key={date.sceneId}
      {...{ study, classify, drawing }}
      results={{ training: found.training.data, groups: found.groups.data }}
      date={{ ...date, picture }}
    />
  );
}

const Note = ({ text }: { text: string }) => (
  <div className="flex h-full items-center justify-center text-[#c9d0cd]">{text}</div>
);
