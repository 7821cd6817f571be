import { type ReactNode, useMemo } from "react";
import type { ChangeMap, Scene, Study } from "../api/types";
import { CompareMaps } from "../compare/maps/CompareMaps";
import { unitOf } from "../compare/units";
import { usePlainKey } from "../frame/usePlainKey";
import { Workspace } from "../frame/Workspace";
import { number } from "../lib/format";
import { type DatesOfMap, useDates, useLookOfMap } from "../review/useDates";
import { ReviewerName } from "../review/Judge";
import { ClassMap } from "../tally/ClassMap";
import { useShowOnce } from "./useShowOnce";
import { useUndoKey } from "../ui/useUndoKey";
import { AreasSection } from "./AreasSection";
import { HistorySection } from "./HistorySection";
import { MakeSection } from "./MakeSection";
import { PickedSection } from "./PickedSection";
import { type Doing, type Editing, useEditing } from "./useEditing";
import { WriteEdited } from "./WriteEdited";

interface Props {
  study: Study;
  map: ChangeMap;
  before: Scene | null;
  after: Scene | null;
  strip: ReactNode;
  /** Which map it is, and what of it is looked at. */
  head: ReactNode;
}

const HELP: Record<Doing, string> = {
  polygon: "Click corners, double-click the last one. Esc stops.",
  rectangle: "Click one corner, then the opposite one. Esc stops.",
  freehand: "Hold the mouse button and go around. Esc stops.",
  grow: "Click where the patch begins.",
  reshape:
    "Drag the patch, its corners or a place on a side; Alt and a click takes a corner away. Esc ends.",
  cut: "Draw a line across the patch, double-click its end. Esc stops.",
};

/** Outlines and classes of the patches of a map, put right by hand; the edited map is written as one of its own. */
export function EditPage({ study, map, before, after, strip, head }: Props) {
  const dates = useDates(study, map, before, after);
  const look = useLookOfMap(map, dates);
  const editing = useEditing(map);
  const { edits } = editing;
  useShowOnce(editing.olMap, map, editing.asked === null ? null : editing.whole);
  useEditKeys(editing);
  const { undo, redo } = edits;
  useUndoKey(
    () => undo?.(),
    () => redo?.(),
  );
  return (
    <Workspace
      label="Edits"
      strip={strip}
      picture={
        <>
          <Picture {...{ study, map, before, after, dates, look, editing }} />
          <Told editing={editing} />
        </>
      }
      desk={
        <div className="flex h-full min-h-0 flex-col">
          {head}
          <MakeSection {...{ map, editing }} unit={unitOf("measure", look.unit)} />
          <PickedSection {...{ map, editing }} />
          <AreasSection map={map} state={edits.state} />
          <HistorySection edits={edits} right={<ReviewerName />} />
        </div>
      }
      footer={<WriteEdited map={map} edits={edits} />}
    />
  );
}

/** What the pointer does now, and how many outlines are not drawn, over the map. */
function Told({ editing: { doing, outlines } }: { editing: Editing }) {
  const lacking = outlines.count - outlines.drawn;
  const told = [
    ...(doing ? [HELP[doing]] : []),
    ...(lacking > 0
      ? [
          `Outlines of the largest ${number(outlines.drawn)} of ${number(outlines.count)} patches here: zoom in for the others.`,
        ]
      : []),
  ];
  return told.length > 0 ? (
    <p
      role="status"
      className="pointer-events-none absolute bottom-[52px] left-1/2 max-w-[80%] -translate-x-1/2 rounded-field bg-night/85 px-3 py-1.5 text-center text-[#e8ece9]"
    >
      {told.join(" ")}
    </p>
  ) : null;
}

const NONE: ReadonlySet<number> = new Set();

interface PictureProps extends Omit<Props, "strip" | "head"> {
  dates: DatesOfMap;
  look: ReturnType<typeof useLookOfMap>;
  editing: Editing;
}

/** Both dates with the edited classes on them; the classes alone where the dates are gone. */
function Picture({ study, map, before, after, dates, look, editing }: PictureProps) {
  const classes = editing.edits.state?.node;
  const nodes = useMemo(
    () => (dates.nodes && classes ? { ...dates.nodes, classes } : null),
    [dates.nodes, classes],
  );
  const shown = {
    study,
    extra: editing.layers,
    onMap: editing.setOlMap,
    onClick: editing.onClick,
  };
  if (nodes && before && after) {
    return (
      <CompareMaps
        {...{ ...shown, ...look, before, after, nodes }}
        setup={map.setup}
        classesReady
        groups={{ hidden: NONE, show: "classes" }}
      />
    );
  }
  return dates.gone || dates.error ? (
    <ClassMap {...shown} {...{ map, classes }} only={null} />
  ) : (
    <p className="p-6 text-[#c9d0cd]">Loading the map …</p>
  );
}

/** What is done to picked patches by keys. */
function useEditKeys({ picked, doing, begin, act, isHeld }: Editing): void {
  usePlainKey((key) => {
    const isFree = !isHeld;
    const isOne = isFree && picked.length === 1;
    switch (key) {
      case "d":
        begin("polygon");
        return true;
      case "s":
        begin(isOne ? "reshape" : null);
        return isOne;
      case "c":
        begin(isOne ? "cut" : null);
        return isOne;
      case "m":
        return isFree && picked.length > 1 && act({ kind: "merge", numbers: picked });
      case "delete":
        return (
          isFree && doing === null && picked.length > 0 && act({ kind: "remove", numbers: picked })
        );
      default:
        return false;
    }
  });
}
