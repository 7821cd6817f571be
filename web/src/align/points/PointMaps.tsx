import { useMemo, useState } from "react";
import type { ControlPoint } from "@hindglance/core/align/alignment";
import type { Study } from "../../api/types";
import { number } from "../../lib/format";
import { displayed } from "../../map/displayed";
import type { AlignRow } from "../align";
import type { Marking, Spot } from "../useMarking";
import { Pane } from "./Pane";
import { type Side, marksOf, pointNear, useCrossing } from "./usePoints";

interface Props {
  study: Study;
  date: AlignRow;
  reference: AlignRow;
  marking: Marking;
}

/** Where the cursor is. */
interface Cursor {
  side: Side;
  spot: Spot;
}

const NONE: ControlPoint[] = [];

/** Of a picture rows count downwards; the map draws them upwards. The same both ways. */
const turned = ([x, y]: Spot): Spot => [x, -y];
const asItIs = (spot: Spot): Spot => spot;

const metresText = ([x, y]: Spot): string => `${number(x, 0)} E, ${number(y, 0)} N`;
const cellsText = ([x, y]: Spot): string => `column ${number(x, 1)}, row ${number(-y, 1)}`;

/**
 * The date and its reference side by side: the same place is clicked in both. Magnifiers follow the
 * cursor, and once there is a fit, both look at the same place.
 */
export function PointMaps({ study, date, reference, marking }: Props) {
  const isPicture = date.picture;
  const points = marking.points?.points ?? NONE;
  const { pending } = marking;
  const left = useMemo(() => displayed(date.raw!), [date.raw]);
  const right = useMemo(() => displayed(reference.aligned!), [reference.aligned]);
  const crossing = useCrossing(points, isPicture);
  const [cursor, setCursor] = useState<Cursor | null>(null);
  const onMap = isPicture ? turned : asItIs;
  const other = otherSide();
  const fromOf = (point: ControlPoint) => onMap(point.from);
  const toOf = (point: ControlPoint) => point.to;
  function otherSide(): Spot | null {
    if (!cursor || !crossing) {
      return null;
    }
    return cursor.side === "left"
      ? crossing.toReference(onMap(cursor.spot))
      : onMap(crossing.toDate(cursor.spot));
  }
  const shared = (side: Side) => ({
    side,
    study,
    at: cursor?.side === side ? cursor.spot : other,
    live: cursor?.side === side,
    onPointer: (spot: Spot | null) => setCursor(spot && { side, spot }),
  });
  const click = (
    placeOf: (point: ControlPoint) => Spot,
    spot: Spot,
    cell: number,
    free: () => void,
  ) => {
    const hit = pointNear(points, placeOf, spot, cell);
    if (hit) {
      marking.pick(hit.id);
    } else {
      free();
    }
  };
  return (
    <div className="flex h-full">
      <Pane
        {...shared("left")}
        row={date}
        node={left}
        title="Date"
        label="The date, to be marked"
        marks={marksOf(marking, fromOf, pending.from && onMap(pending.from))}
        onClick={(spot, cell) =>
          click(fromOf, spot, cell, () => marking.mark({ from: onMap(spot) }))
        }
        waits={!!pending.to && !pending.from}
        say={isPicture ? cellsText : metresText}
      />
      <Pane
        {...shared("right")}
        row={reference}
        node={right}
        title="Reference"
        label="The reference, to be marked"
        marks={marksOf(marking, toOf, pending.to)}
        onClick={(spot, cell) => click(toOf, spot, cell, () => marking.mark({ to: spot }))}
        waits={!!pending.from && !pending.to}
        say={metresText}
      />
    </div>
  );
}
