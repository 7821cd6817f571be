import { sayError } from "../api/client";
import type { Study } from "../api/types";
import { Problem } from "../ui/Messages";
import { type AlignRow, useCheck } from "./align";
import { CheckMaps } from "./check/CheckMaps";
import { PointMaps } from "./points/PointMaps";
import { nameOf } from "./rows";
import type { Marking } from "./useMarking";
import type { Selection } from "./useSelection";
import type { Laying } from "./useWay";

interface Props {
  study: Study;
  selection: Selection;
  marking: Marking;
  laying: Laying;
}

/** Both dates over each other, or side by side to be marked; or why there is nothing to see. */
export function AlignPicture({ study, selection, marking, laying }: Props) {
  const { rows, date, reference } = selection;
  if (selection.isPending) {
    return <Note text="Looking at how the dates lie …" />;
  }
  if (!date || !reference) {
    const none = "There is no date yet. Add scenes first.";
    const one = "One date lies on the map; add another one to lay on it.";
    return <Note text={rows.length === 0 ? none : one} />;
  }
  if (!date.raw) {
    return <Wrong text={`${date.name}: ${date.problem}. See Prepare.`} />;
  }
  if (!reference.aligned) {
    return <Wrong text={`${reference.name}: ${reference.problem}`} />;
  }
  const pair = { study, date, reference, marking };
  const key = `${date.sceneId} ${reference.sceneId}`;
  return looksOver(date, marking, laying) ? (
    <Over key={key} {...pair} band={laying.band} />
  ) : (
    <PointMaps key={key} {...pair} />
  );
}

/** Whether a date is laid with points, so that it can be looked at over its reference. */
export const isLaidByPoints = (date: AlignRow): boolean =>
  !!date.aligned && date.align?.place?.kind === "points";

const looksOver = (date: AlignRow, marking: Marking, { way }: Laying): boolean =>
  way === "offset" || (marking.over && isLaidByPoints(date));

interface Pair {
  study: Study;
  date: AlignRow;
  reference: AlignRow;
  marking: Marking;
}

function Over({ study, date, reference, marking, band }: Pair & { band: string | null }) {
  const { aligned, setAligned } = marking;
  const place = date.align?.place;
  const ask = { referenceId: reference.sceneId, sceneId: date.sceneId, aligned };
  const check = useCheck(
    study.id,
    band ? { ...ask, band } : null,
    `${date.aligned?.hash ?? date.raw?.hash} ${reference.aligned?.hash}`,
  );
  if (check.error) {
    return <Wrong text={sayError(check.error)} />;
  }
  return check.data ? (
    <CheckMaps
      study={study}
      nodes={check.data}
      names={[nameOf(reference), nameOf(date)]}
      place={aligned && place?.kind === "offset" ? place : null}
      aligned={aligned}
      onAligned={setAligned}
      moved={!date.picture && (!!place || !!date.align?.level)}
    />
  ) : (
    <Note text="Laying the dates over each other …" />
  );
}

const Note = ({ text }: { text: string }) => (
  <div className="flex h-full items-center justify-center text-[#c9d0cd]">{text}</div>
);

const Wrong = ({ text }: { text: string }) => (
  <div className="m-auto mt-24 w-[460px]">
    <Problem>{text}</Problem>
  </div>
);
