import { useMemo, useState } from "react";
import type { FromTo } from "@hindglance/contract/fromTo";
import { transitionLabel } from "@hindglance/core/cover/coverClass";
import type { Study } from "../../api/types";
import { ClassLegend } from "../../map/Legend";
import { MapChoice } from "../../map/MapChoice";
import { MapPane } from "../../map/MapPane";
import { classLayer } from "../../map/layers";
import { viewOf } from "../../map/mapView";
import { tilesOf } from "../../map/tiles";
import { useOutline } from "../../map/useOutline";
import type { Picked } from "./FromToTableView";

const SHOWN = [
  { value: "change", name: "Change" },
  { value: "before", name: "Before" },
  { value: "after", name: "After" },
] as const;
type Shown = (typeof SHOWN)[number]["value"];

/** The colour of a transition that is picked in the table. */
const PICKED = "#e0512b";
/** How strongly the dates are drawn under it. */
const FAINT = 0.35;

/** Pixels of the map, about: it stands beside another picture. */
const SMALL = [420, 220] as const;

interface Props {
  study: Study;
  made: FromTo;
  count: number;
  picked: Picked | null;
}

function useLayers({ study, made, count, picked }: Props, shown: Shown) {
  const outline = useOutline(study, made.transitions.info);
  return useMemo(() => {
    const label = picked && transitionLabel(picked.from, picked.to, count);
    const node = shown === "change" ? made.transitions : made[shown];
    const base = classLayer(tilesOf(node), node.info.classes ?? [], label === null ? 1 : FAINT);
    const only = [{ label: label ?? 0, color: PICKED }];
    const over = label === null ? [] : [classLayer(tilesOf(made.transitions), only, 1)];
    return [base, ...over, ...outline];
  }, [made, count, picked, shown, outline]);
}

/** What became of what on the map, or either date; what is picked in the table stands out. */
export function TransitionMap(props: Props) {
  const { study, made, picked, count } = props;
  const [shown, setShown] = useState<Shown>("change");
  const layers = useLayers(props, shown);
  const { grid } = made.transitions.info;
  const view = useMemo(() => viewOf(grid, null, study.studyArea, SMALL), [grid, study.studyArea]);
  const classes = shown === "change" ? [] : (made[shown].info.classes ?? []);
  const label = picked && transitionLabel(picked.from, picked.to, count);
  const name = made.transitions.info.classes?.find((one) => one.label === label)?.name;
  return (
    <>
      <MapChoice<Shown>
        label="What the map shows"
        value={shown}
        options={SHOWN}
        onChange={setShown}
      />
      <MapPane view={view} layers={layers} label="Map of what became of what" scale>
        <div className="pointer-events-none absolute bottom-3 left-3 space-y-1.5">
          {name && <ClassLegend title="picked" classes={[{ label: 1, name, color: PICKED }]} />}
          {classes.length > 0 && !picked && <ClassLegend title={shown} classes={classes} />}
        </div>
      </MapPane>
    </>
  );
}
