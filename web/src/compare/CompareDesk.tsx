import { useRef, useState } from "react";
import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { canonicalJson } from "@hindglance/core/graph/node";
import { sayError } from "../api/client";
import type { Study } from "../api/types";
import { Choice } from "../ui/Choice";
import { ClassList } from "./rules/ClassList";
import { ClassTools } from "./ClassTools";
import { EvidenceSection } from "./EvidenceSection";
import { GroupDesk } from "./groups/GroupDesk";
import { firstGrouping } from "./groups/grouping";
import { HistogramSection } from "./histogram/HistogramSection";
import { limitsSet } from "@hindglance/core/change/limits/all";
import { LimitSection } from "./LimitSection";
import { MeasureSection } from "./MeasureSection";
import { useCompare } from "./state";
import type { LayerUnit } from "./units";
import type { Actions } from "./useActions";
import type { ComparisonOnScreen } from "./useComparison";
import { isValueBand } from "./useLook";

/** What lies on the map where classes come from groups. */
export interface GroupLook {
  hidden: ReadonlySet<number>;
  show: "groups" | "classes";
}

type Tab = "classes" | "limits";

/** Whether classes come from rules or from groups; groups that were left are kept to go back to. */
function ClassesBy({ setup }: { setup: ChangeSetup }) {
  const lastGroups = useRef<Grouping | null>(null);
  const pick = (by: "rules" | "groups") => {
    if (setup.groups) {
      lastGroups.current = setup.groups;
    }
    const groups = by === "groups" ? (lastGroups.current ?? firstGrouping()) : null;
    useCompare.getState().change((s) => ({ ...s, groups }));
  };
  return (
    <Choice
      label="Classes by"
      className="font-sans text-[12px]"
      value={setup.groups ? "groups" : "rules"}
      onChange={pick}
      options={[
        { value: "rules", name: "Rules", hint: "Conditions over before, after and the measure" },
        {
          value: "groups",
          name: "Groups",
          hint: "Like cells are grouped; you say which groups are the change",
        },
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
}

/** What decides the classes, written so that the same settings read alike. */
const written = ({ rules, groups, limits }: ChangeSetup): string =>
  canonicalJson([rules, groups ?? null, limitsSet(limits).map(({ own }) => own)]);

/** Whether the classes on screen are those of the first map, with the limits that they need. */
const isTaken = (setup: ChangeSetup, first: FirstMap | null): boolean =>
  !first || written(setup) === written({ ...withFirstMap(setup, first), groups: null });

/** Everything that decides the change map, from the measure to the limits. */
export function CompareDesk(props: Props) {
  const { study, shown, setup, actions, unit } = props;
  const [tab, setTab] = useState<Tab>("classes");
  const classesBy = <ClassesBy setup={setup} />;
  const tabs = <TabChoice tab={tab} setTab={setTab} setup={setup} />;
  return (
    <>
      <EvidenceSection
        first={shown.firstMap}
        isTaken={isTaken(setup, shown.firstMap.data)}
        onTake={actions.takeFirstMap}
      />
      <MeasureSection study={study} shown={shown} setup={setup} actions={actions} />
      {setup.groups ? (
        <Groups {...props} grouping={setup.groups} head={classesBy} lower={tabs} tab={tab} />
      ) : (
        <HistogramSection shown={shown} setup={setup} unit={unit} right={classesBy} />
      )}
      {!setup.groups && tab === "classes" && <Classes {...props} head={tabs} />}
      {tab === "limits" && (
        <LimitSection
          study={study}
          shown={shown}
          setup={setup}
          unit={unit}
          head={setup.groups ? null : tabs}
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
      change={useCompare.getState().change}
    />
  );
}
