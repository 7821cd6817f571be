import { type KeyboardEvent, type PointerEvent, useState } from "react";
import type { Scene } from "../../api/types";
import { day, dayYear } from "../../lib/format";
import { cx } from "../../ui/cx";
import { type Axis, timeOf } from "./axis";
import type { Pairing, Side } from "./pairing";

interface Props {
  side: Side;
  scene: Scene;
  axis: Axis;
  pair: Pairing;
  /** Index of the last scene that it can be put on. */
  last: number;
  movable: boolean;
}

const NAME: Record<Side, string> = { before: "Before", after: "After" };
const STEP_OF: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 };
/** Room that a handle wants, and how far its point lies from its end, pixels. */
const ROOM = 96;
const POINT = 7;

/** Before hangs to the left of its date, after to the right; both stay on the strip. */
function placeOf({ side, scene, axis }: Props): { left: number } | { right: number } {
  const { width, x } = axis;
  const at = x(timeOf(scene));
  return side === "before"
    ? { right: Math.min(width - ROOM, width - at - POINT) }
    : { left: Math.min(width - ROOM, at - POINT) };
}

/** Chooses the scene of one side: dragged, or moved by the arrow keys from scene to scene. */
export function Handle(props: Props) {
  const { side, scene, axis, pair, last, movable } = props;
  const [held, setHeld] = useState(false);
  const onKeyDown = (event: KeyboardEvent) => {
    const step = STEP_OF[event.key];
    if (step) {
      event.preventDefault();
      pair.step(side, step);
    }
  };
  const onMove = ({ clientX, currentTarget }: PointerEvent<HTMLElement>) => {
    const strip = currentTarget.offsetParent;
    if (held && strip) {
      pair.moveNear(side, clientX - strip.getBoundingClientRect().left, axis);
    }
  };
  return (
    <div
      role="slider"
      tabIndex={movable ? 0 : -1}
      aria-label={`${NAME[side]} date`}
      aria-valuemin={0}
      aria-valuemax={last}
      aria-valuenow={pair.indexOf(side)}
      aria-valuetext={dayYear(scene.acquiredAt!)}
      aria-disabled={!movable}
      onKeyDown={onKeyDown}
      onPointerDown={(event) => {
        if (movable) {
          setHeld(true);
          event.currentTarget.setPointerCapture(event.pointerId);
        }
      }}
      onPointerMove={onMove}
      onPointerUp={() => setHeld(false)}
      className={cx(
        "absolute top-[59px] touch-none select-none whitespace-nowrap rounded-[3px] px-2 text-[12px] font-semibold leading-[19px] text-white",
        movable && "cursor-ew-resize",
        side === "before" ? "bg-before" : "bg-after",
      )}
      style={placeOf(props)}
    >
      {NAME[side]} · {day(scene.acquiredAt!)}
    </div>
  );
}
