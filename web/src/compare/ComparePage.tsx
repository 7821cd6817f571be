import { useMemo, useState } from "react";
import { useOutletContext } from "react-router";
import { classesFrom } from "@hindglance/core/change/classSource";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { useScenes } from "../api/hooks";
import type { Scene, Study } from "../api/types";
import { Workspace } from "../frame/Workspace";
import { TimeStrip } from "../frame/strip/TimeStrip";
import { CompareDesk, type GroupLook } from "./CompareDesk";
import { CompareFooter, type MainFigure } from "./CompareFooter";
import { ComparePicture } from "./ComparePicture";
import { NoPair } from "./NoPair";
import type { SecondShow } from "./second/ShowChoice";
import { comparableScenes } from "./pair";
import { useActions } from "./useActions";
import { useCompareKeys } from "./useCompareKeys";
import { useComparison } from "./useComparison";
import { unitsOf, useLook } from "./useLook";
import { useWriteMap } from "./useWriteMap";

/** Compare: two dates, how they are measured against each other, and the map that comes of it. */
export function ComparePage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data;
  return scenes ? (
    <Compare study={study} scenes={scenes} />
  ) : (
    <p className="p-6 text-soft">Loading …</p>
  );
}

/** What the one figure of the page is of: the first class, or all that changed between two maps. */
function mainOf(setup: ChangeSetup): MainFigure | null {
  const classes = classesFrom(setup);
  if (setup.transitions) {
    return { name: "Changed", labels: classes.map(({ label }) => label) };
  }
  const first = classes[0];
  return first ? { name: first.name, labels: [first.label] } : null;
}

function Compare({ study, scenes }: { study: Study; scenes: Scene[] }) {
  const shown = useComparison(study, scenes);
  const actions = useActions(study, scenes, shown);
  const look = useLook(shown);
  const map = useWriteMap(study.id, shown.whole);
  const [secondShow, setSecondShow] = useState<SecondShow>("classes");
  const [groupLook, setGroupLook] = useState<GroupLook>({ hidden: new Set(), show: "groups" });
  const dates = useMemo(() => comparableScenes(shown.able, shown.kind), [shown.able, shown.kind]);
  useCompareKeys(dates, shown.whole, actions.setPair);
  const { pair, setup, whole } = shown;
  const strip = (
    <TimeStrip
      study={study}
      scenes={scenes}
      pairable={dates}
      beforeId={whole?.beforeId ?? null}
      afterId={whole?.afterId ?? null}
      onPair={actions.setPair}
    />
  );
  if (!pair && shown.sides && dates.length < 2) {
    return <NoPair studyId={study.id} dates={dates.length} strip={strip} />;
  }
  return (
    <Workspace
      label="Compare"
      strip={strip}
      picture={
        <ComparePicture
          study={study}
          shown={shown}
          groups={groupLook}
          secondShow={secondShow}
          {...look}
        />
      }
      desk={
        setup && (
          <CompareDesk
            study={study}
            shown={shown}
            setup={setup}
            actions={actions}
            unit={unitsOf(setup, shown.bands)}
            look={groupLook}
            setLook={setGroupLook}
            scenes={scenes}
            secondShow={secondShow}
            setSecondShow={setSecondShow}
          />
        )
      }
      footer={
        setup && (
          <CompareFooter
            main={mainOf(setup)}
            numbers={shown.numbers}
            writing={map.writing}
            disabled={!shown.nodes || !!shown.problem || map.isPending}
            onWrite={map.write}
          />
        )
      }
    />
  );
}
