import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { BY_RULES, isByRules } from "@hindglance/core/change/classSource";
import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { canonicalJson } from "@hindglance/core/graph/node";
import { sayError } from "../api/client";
import type { Scene, Study } from "../api/types";
import { Choice } from "../ui/Choice";
import { ClassList } from "./rules/ClassList";
import { ClassTools } from "./ClassTools";
import { EvidenceSection } from "./EvidenceSection";
import { GroupDesk } from "./groups/GroupDesk";
import { firstGrouping } from "./groups/grouping";
import { HistogramSection } from "./histogram/HistogramSection";
import { limitsSet } from "@hindglance/core/change/limits/all";
import { LimitSection } from "./LimitSection";
import { MeasureSection, PairMessages } from "./MeasureSection";
import { isOfCovers } from "./pair";
import { SecondDesk } from "./second/SecondDesk";
import type { SecondShow } from "./second/ShowChoice";
import { useCompare } from "./state";
import { TransitionDesk } from "./transitions/TransitionDesk";
import type { LayerUnit } from "./units";
import type { Actions } from "./useActions";
import type { ComparisonOnScreen } from "./useComparison";
import { isValueBand } from "./useLook";

/** What lies on the map where classes come from groups. */
export interface GroupLook {
  hidden: ReadonlySet<number>;
  show: "groups" | "classes";
}

type Tab = "classes" | "limits" | "second";

type Source = "rules" | "groups" | "cover";

function sourceOf({ groups, transitions }: ChangeSetup): Source {
  if (transitions) {
    return "cover";
  }
  return groups ? "groups" : "rules";
}

/**
 * Whether classes come from rules, from groups or from two classified dates; what was left is kept to
 * go back to. Transitions that were never set are paired in Tally first.
 */
function ClassesBy({ study, setup, covers }: Pick<Props, "study" | "setup"> & { covers: number }) {
  const go = useNavigate();
  const last = useRef<Pick<ChangeSetup, "groups" | "transitions">>({});
  const pick = (by: Source) => {
    const { groups, transitions } = setup;
    last.current = {
      ...last.current,
      ...(groups && { groups }),
      ...(transitions && { transitions }),
    };
    if (by === "cover" && !last.current.transitions) {
      void go(`/studies/${study.id}/tally?of=cover`);
      return;
    }
    useCompare.getState().change((old) => ({
      ...old,
      groups: by === "groups" ? (last.current.groups ?? firstGrouping()) : null,
      transitions: by === "cover" ? last.current.transitions : null,
    }));
  };
  return (
    <Choice
      label="Classes by"
      className="font-sans text-[12px]"
      value={sourceOf(setup)}
      onChange={pick}
      options={[
        { value: "rules", name: "Rules", hint: "Conditions over before, after and the measure" },
        {
          value: "groups",
          name: "Groups",
          hint: "Like cells are grouped; you say which groups are the change",
        },
        ...(covers >= 2
          ? [
              {
                value: "cover" as const,
                name: "Cover",
                hint: "What became of what between two classified dates",
              },
            ]
          : []),
      ]}
    />
  );
}

function TabChoice({
  tab,
  setTab,
  setup,
}: {
  tab: Tab;
  setTab(tab: Tab): void;
  setup: ChangeSetup;
}) {
  return (
    <Choice
      label="Classes or limits"
      className="font-sans text-[12px]"
      value={tab}
      onChange={setTab}
      options={[
        { value: "classes", name: "Classes", hint: "What a cell must be to belong to a class" },
        {
          value: "limits",
          name: `Limits ${limitsSet(setup.limits).length}`,
          hint: "Where classes are kept and dropped, in order",
        },
        {
          value: "second",
          name: setup.second ? "Second sensor ✓" : "Second sensor",
          hint: "Another sensor that saw the ground near these dates",
        },
      ]}
    />
  );
}

interface Props {
  study: Study;
  shown: ComparisonOnScreen;
  setup: ChangeSetup;
  actions: Actions;
  unit: LayerUnit;
  look: GroupLook;
  setLook(change: (old: GroupLook) => GroupLook): void;
  scenes: Scene[];
  secondShow: SecondShow;
  setSecondShow(show: SecondShow): void;
}

/** What decides the classes, written so that the same settings read alike. */
const written = ({ rules, groups, transitions, limits }: ChangeSetup): string =>
  canonicalJson([
    rules,
    groups ?? null,
    transitions ?? null,
    limitsSet(limits).map(({ own }) => own),
  ]);

/** Whether the classes on screen are those of the first map, with the limits that they need. */
const isTaken = (setup: ChangeSetup, first: FirstMap | null): boolean =>
  !first || written(setup) === written({ ...withFirstMap(setup, first), ...BY_RULES });

/** Everything that decides the change map, from the measure to the limits. */
export function CompareDesk(props: Props) {
  const { study, shown, setup, actions, unit } = props;
  const [tab, setTab] = useState<Tab>("classes");
  const byRules = isByRules(setup);
  // Two classified dates without pictures are compared by their classes alone.
  const byCovers = isOfCovers(setup);
  const classesBy = byCovers ? null : (
    <ClassesBy study={study} setup={setup} covers={shown.covers.length} />
  );
  const tabs = <TabChoice tab={tab} setTab={setTab} setup={setup} />;
  return (
    <>
      {!setup.transitions && (
        <EvidenceSection
          first={shown.firstMap}
          isTaken={isTaken(setup, shown.firstMap.data)}
          onTake={actions.takeFirstMap}
        />
      )}
      {byCovers ? (
        <div className="px-4">
          <PairMessages study={study} shown={shown} />
        </div>
      ) : (
        <MeasureSection study={study} shown={shown} setup={setup} actions={actions} />
      )}
      {setup.groups && (
        <Groups {...props} grouping={setup.groups} head={classesBy} lower={tabs} tab={tab} />
      )}
      {setup.transitions && (
        <TransitionDesk
          studyId={study.id}
          transitions={setup.transitions}
          covers={shown.covers}
          head={classesBy}
          lower={tabs}
          classes={tab === "classes"}
          areas={shown.numbers.areas?.byLabel ?? null}
          exact={shown.numbers.isExact}
          change={useCompare.getState().change}
        />
      )}
      {byRules && <HistogramSection shown={shown} setup={setup} unit={unit} right={classesBy} />}
      {byRules && tab === "classes" && <Classes {...props} head={tabs} />}
      {tab === "limits" && (
        <LimitSection
          study={study}
          shown={shown}
          setup={setup}
          unit={unit}
          head={byRules ? tabs : null}
        />
      )}
      {tab === "second" && (
        <SecondDesk
          study={study}
          scenes={props.scenes}
          shown={shown}
          setup={setup}
          head={byRules ? tabs : null}
          show={props.secondShow}
          setShow={props.setSecondShow}
        />
      )}
    </>
  );
}

function Groups({
  shown,
  grouping,
  look,
  setLook,
  head,
  lower,
  tab,
}: Props & {
  grouping: Grouping;
  head: React.ReactNode;
  lower: React.ReactNode;
  tab: Tab;
}) {
  const { areas, isExact } = shown.numbers;
  const { data, error } = shown.groups;
  return (
    <GroupDesk
      head={head}
      lower={lower}
      grouping={grouping}
      facts={data ?? null}
      error={error ? sayError(error) : null}
      seenM2={areas && areas.seenM2 > 0 ? areas.seenM2 : null}
      areas={areas?.byLabel ?? null}
      exact={isExact}
      hidden={look.hidden}
      setHidden={(hidden) => setLook((old) => ({ ...old, hidden }))}
      show={look.show}
      setShow={(show) => setLook((old) => ({ ...old, show }))}
      change={useCompare.getState().change}
      classes={tab === "classes"}
    />
  );
}

function Classes({ shown, setup, actions, unit, head }: Props & { head: React.ReactNode }) {
  const band = shown.bands[setup.band];
  const { areas, isExact } = shown.numbers;
  return (
    <ClassList
      covers={shown.covers}
      cover={shown.cover}
      head={head}
      unit={unit}
      start={isValueBand(band) ? { measure: 0.2, after: 0 } : { measure: -6, after: -17 }}
      tools={
        <ClassTools
          setup={setup}
          band={band}
          canReset={shown.histograms.data !== undefined}
          actions={actions}
        />
      }
      setup={setup}
      areas={areas?.byLabel ?? null}
      exact={isExact}
      hasElevation={!!shown.elevation}
      hasCross={shown.has.cross}
      hasSecond={!!setup.second}
      change={useCompare.getState().change}
    />
  );
}
