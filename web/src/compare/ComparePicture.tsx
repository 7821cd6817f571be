import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { Study } from "../api/types";
import { sayError } from "../api/client";
import { Beginning } from "./Beginning";
import { Problem } from "../ui/Messages";
import { CompareMaps } from "./maps/CompareMaps";
import type { LayerUnit } from "./units";
import type { SecondShow } from "./second/ShowChoice";
import type { ComparisonOnScreen } from "./useComparison";

interface Props {
  study: Study;
  shown: ComparisonOnScreen;
  unit: LayerUnit;
  bandName: string;
  measureName: string;
  /** Ends of the grey levels of both dates. */
  stretch: { lo: number; hi: number };
  /** End of the measure's usual range. */
  changeEnd: number;
  groups: { hidden: ReadonlySet<number>; show: "groups" | "classes" } | null;
  secondShow: SecondShow;
}

const PICKED: Props["groups"] = { hidden: new Set(), show: "classes" };

/** What lies on the map where classes come from groups; of transitions it is always the classes. */
function groupsOnMap({ groups, transitions }: ChangeSetup, look: Props["groups"]): Props["groups"] {
  if (transitions) {
    return PICKED;
  }
  return groups ? look : null;
}

/** The maps of both dates, or why they are not there. */
export function ComparePicture({ study, shown, groups, ...look }: Props) {
  const { nodes, drawnSetup, pair, problem, error } = shown;
  if (nodes && drawnSetup && pair) {
    return (
      <CompareMaps
        {...look}
        study={study}
        before={pair.before}
        after={pair.after}
        nodes={nodes}
        setup={drawnSetup}
        classesReady={shown.classesReady}
        groups={groupsOnMap(drawnSetup, groups)}
      />
    );
  }
  const wrong = problem ?? (error ? sayError(error) : null);
  return wrong ? (
    <div className="m-auto mt-24 w-[460px]">
      <Problem>{wrong}</Problem>
    </div>
  ) : (
    <Beginning studyId={study.id} isLooking={!!shown.sides} />
  );
}
