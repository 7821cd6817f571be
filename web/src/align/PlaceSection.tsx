import { Undo2 } from "lucide-react";
import type { GroundPoint } from "@hindglance/core/align/groundPoint";
import { toldCellSize } from "@hindglance/core/grid/metres";
import { useScenes } from "../api/hooks";
import { Section } from "../frame/Section";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import type { AlignRow } from "./align";
import { isLaidByPoints } from "./AlignPicture";
import { OffsetDesk } from "./OffsetDesk";
import { PointsDesk } from "./points/PointsDesk";
import type { History } from "./useHistory";
import type { Marking } from "./useMarking";
import type { Laying, Way } from "./useWay";

interface Props {
  studyId: string;
  date: AlignRow;
  reference: AlignRow;
  history: History;
  marking: Marking;
  laying: Laying;
}

const POINTS: { value: Way; name: string } = { value: "points", name: "Control points" };
const WAYS: { value: Way; name: string }[] = [{ value: "offset", name: "Measured offset" }, POINTS];

/** Places that the file of a date tells itself. */
function useGroundPoints(studyId: string, sceneId: string): readonly GroundPoint[] {
  const scene = useScenes(studyId).data?.find(({ id }) => id === sceneId);
  return scene?.detail.groundPoints ?? [];
}

/** How the date is laid on its reference: by an offset that is measured, or by marked points. */
export function PlaceSection({ studyId, date, reference, history, marking, laying }: Props) {
  const place = date.align?.place ?? null;
  const { way, setWay } = laying;
  const ofFile = useGroundPoints(studyId, date.sceneId);
  return (
    <Section
      title={
        <Choice
          label="How the date is laid"
          className="font-sans text-[12px]"
          value={way}
          onChange={setWay}
          options={date.picture ? [POINTS] : WAYS}
        />
      }
    >
      <div className="mb-1 flex justify-end">
        {way === "points" && isLaidByPoints(date) && (
          <Button
            tone="quiet"
            className="h-6 px-1.5"
            aria-pressed={marking.over}
            onClick={marking.turnOver}
          >
            {marking.over ? "Mark points" : "Lay over"}
          </Button>
        )}
        <TakeBack isLaid={place !== null} history={history} />
      </div>
      {way === "offset" && (
        <OffsetDesk
          key={date.sceneId}
          studyId={studyId}
          date={date}
          reference={reference}
          laying={laying}
          place={place?.kind === "offset" ? place : null}
          onTake={(offset) => {
            history.change({ place: offset });
            marking.setAligned(true);
          }}
        />
      )}
      {way === "points" && marking.points && (
        <PointsDesk
          place={marking.points}
          picture={date.picture}
          crs={(reference.raw ?? reference.aligned!).info.grid.crs}
          cellM={toldCellSize(date.raw!.info.grid)}
          picked={marking.picked}
          ofFile={ofFile}
          onPick={marking.pick}
          onChange={marking.setPoints}
        />
      )}
    </Section>
  );
}

/** Leaves the date where it came from, and takes the last change back. */
function TakeBack({ isLaid, history }: { isLaid: boolean; history: History }) {
  return (
    <span className="flex">
      <Button
        tone="quiet"
        className="h-6 px-1.5"
        aria-label="Undo"
        title="Takes back the last change to this date"
        disabled={!history.undo}
        onClick={() => history.undo?.()}
      >
        <Undo2 size={14} aria-hidden />
      </Button>
      {isLaid && (
        <Button tone="quiet" className="h-6 px-1.5" onClick={() => history.change({ place: null })}>
          Take it away
        </Button>
      )}
    </span>
  );
}
