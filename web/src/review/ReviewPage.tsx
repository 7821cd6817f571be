import { type ReactNode, useCallback, useMemo, useState } from "react";
import type BaseLayer from "ol/layer/Base";
import { useOutletContext, useSearchParams } from "react-router";
import { isByRules } from "@hindglance/core/change/classSource";
import { AccuracyPage } from "../accuracy/AccuracyPage";
import { sayError } from "../api/client";
import { useScenes } from "../api/hooks";
import type { ChangeMap, Scene, Study } from "../api/types";
import { CompareMaps } from "../compare/maps/CompareMaps";
import { unitOf } from "../compare/units";
import { EditPage } from "../edit/EditPage";
import { Section } from "../frame/Section";
import { Workspace } from "../frame/Workspace";
import { ChangeMapPicker, usePickedMap } from "../tally/ChangeMapPicker";
import { ClassMap } from "../tally/ClassMap";
import { MapStrip, dateOfMap } from "../tally/MapStrip";
import { NoMap } from "../tally/NoMap";
import { Warning } from "../ui/Messages";
import { useUndoKey } from "../ui/useUndoKey";
import { DoubtChip, WithDoubtLegend } from "./DoubtOnMap";
import { Judge } from "./Judge";
import { PatchLook } from "./PatchLook";
import { PatchCount } from "./PatchCount";
import { PatchFilter } from "./PatchFilter";
import { useEditKey } from "./useEditKey";
import { ReviewOf, reviewedIn } from "./ReviewOf";
import { StandingBar } from "./StandingBar";
import { PatchTable } from "./PatchTable";
import { PickedPatch } from "./PickedPatch";
import { type DatesOfMap, useDates, useLookOfMap } from "./useDates";
import { useDoubtLayer } from "./useDoubtLayer";
import { useLassoLayer } from "./useLassoLayer";
import { type ReviewOnScreen, useReview } from "./useReview";

/** Review: the patches of a change map, looked at one by one. */
export function ReviewPage() {
  const study = useOutletContext<Study>();
  const { maps, map, pick } = usePickedMap(study.id);
  const scenes = useScenes(study.id).data;
  const of = reviewedIn(useSearchParams()[0]);
  if (!maps || !scenes) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  const strip = <MapStrip study={study} scenes={scenes} map={map} />;
  if (map && of !== "patches") {
    const OfMap = of === "accuracy" ? AccuracyPage : EditPage;
    return (
      <OfMap
        key={map.id}
        {...{ study, map, strip }}
        before={dateOfMap(map, scenes, "before")}
        after={dateOfMap(map, scenes, "after")}
        head={
          <Section title="Change map" right={<ReviewOf />} className="py-2.5">
            <ChangeMapPicker maps={maps} map={map} pick={pick} />
          </Section>
        }
      />
    );
  }
  return map ? (
    <Review
      key={map.id}
      study={study}
      map={map}
      before={dateOfMap(map, scenes, "before")}
      after={dateOfMap(map, scenes, "after")}
      strip={strip}
      picker={<ChangeMapPicker maps={maps} map={map} pick={pick} />}
    />
  ) : (
    <Workspace
      label="Review"
      strip={strip}
      picture={
        <NoMap
          studyId={study.id}
          title="Nothing to review yet"
          text="Write a change map in Compare; its patches are listed here, to be looked at one by one."
        />
      }
      desk={
        <Section title="Review">
          <p className="text-soft">Patches of the change map appear here.</p>
        </Section>
      }
    />
  );
}

interface Dates {
  study: Study;
  map: ChangeMap;
  before: Scene | null;
  after: Scene | null;
}

interface Props extends Dates {
  strip: ReactNode;
  picker: ReactNode;
}

function Review({ study, map, before, after, strip, picker }: Props) {
  const dates = useDates(study, map, before, after);
  const look = useLookOfMap(map, dates);
  const review = useReview(map);
  const [isDoubtShown, showDoubt] = useState(false);
  const doubt = useDoubtLayer(map, isDoubtShown);
  const measured = unitOf("measure", look.unit);
  const { undo, redo } = review.verdicts;
  useEditKey(review.picked?.number ?? null);
  useUndoKey(
    useCallback(() => undo?.(), [undo]),
    useCallback(() => redo?.(), [redo]),
  );
  return (
    <Workspace
      label="Review"
      strip={strip}
      picture={
        <WithDoubtLegend isShown={doubt !== null}>
          <Picture {...{ study, map, before, after, dates, look, review, doubt }} />
        </WithDoubtLegend>
      }
      desk={
        <div className="flex h-full min-h-0 flex-col">
          <Section title="Change map" right={<ReviewOf />} className="py-2.5">
            <div className="flex items-center gap-2">
              <div className="min-w-0 flex-1">{picker}</div>
              <DoubtChip map={map} isShown={isDoubtShown} show={showDoubt} />
            </div>
            <Notes dates={dates} />
          </Section>
          <PatchFilter
            {...{ map, ask: review.ask, change: review.change, lasso: review }}
            unit={measured}
          />
          <StandingBar map={map} review={review} />
          <PatchCount map={map} ask={review.ask} />
          <PatchTable map={map} review={review} unit={measured} />
        </div>
      }
      footer={
        review.picked ? (
          <>
            <PickedPatch map={map} patch={review.picked} unit={measured} />
            <PatchLook {...{ study, map, before, after, dates, look }} patch={review.picked} />
            <Judge
              map={map}
              patch={review.picked}
              verdicts={review.verdicts}
              judge={review.judge}
            />
          </>
        ) : (
          <p className="text-soft">
            Pick a patch in the list or on the map; J and K go through them. R says that it is real,
            F false, O that it stays open.
          </p>
        )
      }
    />
  );
}

/** What is to be said of a map whose dates are gone or have changed. */
function Notes({ dates }: { dates: DatesOfMap }) {
  const gone = "A date of this map is not in the study any more, or is not prepared";
  const missing = dates.error ? sayError(dates.error) : gone;
  return (
    <>
      {(dates.gone || dates.error) && (
        <div className="mt-2">
          <Warning>{dates.gone ? gone : missing}: the map is shown without its pictures.</Warning>
        </div>
      )}
      {dates.moved && (
        <div className="mt-2">
          <Warning>
            The dates were prepared or moved anew since this map was written: the pictures, and the
            classes on them, are those of today. The list holds the patches of the map.
          </Warning>
        </div>
      )}
    </>
  );
}

const NONE: ReadonlySet<number> = new Set();

interface PictureProps extends Dates {
  dates: DatesOfMap;
  look: ReturnType<typeof useLookOfMap>;
  review: ReviewOnScreen;
  /** Doubt of every cell, where it is shown. */
  doubt: BaseLayer | null;
}

/** Both dates with the map on them; the map alone where they are gone. */
function Picture({ study, map, before, after, dates, look, review, doubt }: PictureProps) {
  const { outlines, pickOnMap } = review;
  const lasso = useLassoLayer(review.ask.within, map.info.grid.crs);
  const extra = useMemo(
    () => [...(doubt ? [doubt] : []), ...lasso, ...outlines.extra],
    [doubt, lasso, outlines.extra],
  );
  const shown = { study, extra, onMap: outlines.setOlMap, onClick: pickOnMap };
  if (dates.nodes && before && after) {
    return (
      <CompareMaps
        {...shown}
        {...look}
        before={before}
        after={after}
        nodes={dates.nodes}
        setup={map.setup}
        classesReady
        groups={isByRules(map.setup) && !map.edited ? null : { hidden: NONE, show: "classes" }}
      />
    );
  }
  return dates.gone || dates.error ? (
    <ClassMap {...shown} map={map} only={null} />
  ) : (
    <p className="p-6 text-[#c9d0cd]">Loading the map …</p>
  );
}
